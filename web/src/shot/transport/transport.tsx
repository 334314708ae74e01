import { Pause, Play, SkipBack, SkipForward } from 'lucide-react';
import { useEffect, useState } from 'react';
import { Button, Hint } from '../../ui/controls';
import { useShot, useShotStore } from '../context';

/** Play at the shot's frame rate: frames are dropped to keep real time, and what is achieved is said. */
export function Transport() {
  const store = useShotStore();
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const loop = useShot((s) => s.loop);
  const [achieved, setAchieved] = useState<number | null>(null);
  const fps = draft ? draft.fps[0] / draft.fps[1] : 25;

  useEffect(() => {
    if (!playing || !draft) return;
    const { first, last } = draft;
    const count = last - first + 1;
    const from = store.getState().frame >= last ? first : store.getState().frame;
    const begun = performance.now();
    let shown = store.pictures.shown;
    let since = begun;
    let asked = requestAnimationFrame(function tick(now) {
      const passed = Math.floor(((now - begun) / 1000) * fps) + (from - first);
      if (passed >= count && !store.getState().loop) {
        store.seek(last);
        store.setPlaying(false);
        return;
      }
      const next = first + (passed % count);
      if (next !== store.getState().frame) store.seek(next);
      if (now - since > 1000) {
        setAchieved(((store.pictures.shown - shown) * 1000) / (now - since));
        shown = store.pictures.shown;
        since = now;
      }
      asked = requestAnimationFrame(tick);
    });
    return () => {
      cancelAnimationFrame(asked);
      setAchieved(null);
    };
  }, [playing, draft, fps, store]);

  const rate = Number(fps.toFixed(3));
  return (
    <div
      role="group"
      aria-label="Transport"
      className="flex items-center gap-2 border-t border-b px-3 py-1.5"
    >
      <Hint text="To the first frame" keys="Home">
        <Button look="quiet" aria-label="First frame" onClick={() => store.seek(draft?.first ?? 0)}>
          <SkipBack size={14} />
        </Button>
      </Hint>
      <Hint text={playing ? 'Pause' : 'Play'} keys="Space">
        <button
          type="button"
          aria-label={playing ? 'Pause' : 'Play'}
          onClick={() => store.setPlaying(!playing)}
          className="grid size-8 place-items-center rounded-full border bg-raised hover:bg-moss-deep"
        >
          {playing ? <Pause size={14} /> : <Play size={14} />}
        </button>
      </Hint>
      <Hint text="To the last frame" keys="End">
        <Button look="quiet" aria-label="Last frame" onClick={() => store.seek(draft?.last ?? 0)}>
          <SkipForward size={14} />
        </Button>
      </Hint>
      <output
        aria-label="Frame"
        data-testid="frame"
        className="min-w-10 text-center font-semibold text-lg tabular-nums"
      >
        {frame}
      </output>
      <span className="text-dim tabular-nums">{(frame / fps).toFixed(2)} s</span>
      <span className="flex-1" />
      <Button look="quiet" aria-pressed={loop} active={loop} onClick={() => store.toggle('loop')}>
        loop
      </Button>
      <span className="text-dim text-sm tabular-nums" data-testid="achieved">
        {achieved === null ? `${rate} fps` : `${achieved.toFixed(1)} of ${rate} fps`}
      </span>
    </div>
  );
}
