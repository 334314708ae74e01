import { Pause, Play, SkipBack, SkipForward } from 'lucide-react';
import { useEffect, useState } from 'react';
import { Button, Hint } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import { due, played } from './played';

/** Play at the shot's frame rate: frames are dropped to keep real time, or every frame is shown however long it takes;
 *  what is achieved is said. */
export function Transport() {
  const store = useShotStore();
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const loop = useShot((s) => s.loop);
  const range = useShot((s) => s.range);
  const everyFrame = useShot((s) => s.everyFrame);
  const [achieved, setAchieved] = useState<number | null>(null);
  const fps = draft ? draft.fps[0] / draft.fps[1] : 25;

  useEffect(() => {
    if (!playing || !draft) return;
    const [first, last] = bounded(range, draft.first, draft.last);
    const at = store.getState().frame;
    const from = at >= last || at < first ? first : at;
    const begun = performance.now();
    const drawn = store.pictures.shown;
    let shown = drawn;
    let since = begun;
    let asked = requestAnimationFrame(function tick(now) {
      // A frame counts when it has been drawn, so that none is passed over.
      const gone = Math.min(due(now - begun, fps), everyFrame ? store.pictures.shown - drawn : Infinity);
      const next = played({ first, last, from, loop: store.getState().loop }, gone);
      if (next === null) {
        store.seek(last);
        store.setPlaying(false);
        return;
      }
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
  }, [playing, draft, fps, store, range, everyFrame]);

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
      {range && (
        <Hint text="Play all frames again" keys="\\">
          <Button look="quiet" active onClick={() => store.setRange(null)}>
            {range[0]} to {range[1]}
          </Button>
        </Hint>
      )}
      <Hint text="Real time drops frames that take too long; otherwise each one is shown" keys="Shift E">
        <Button
          look="quiet"
          aria-pressed={everyFrame}
          active={everyFrame}
          onClick={() => store.toggle('everyFrame')}
        >
          every frame
        </Button>
      </Hint>
      <Button look="quiet" aria-pressed={loop} active={loop} onClick={() => store.toggle('loop')}>
        loop
      </Button>
      <span className="text-dim text-sm tabular-nums" data-testid="achieved">
        {achieved === null ? `${rate} fps` : `${achieved.toFixed(1)} of ${rate} fps`}
      </span>
    </div>
  );
}

/** The range that is played, within the shot. */
function bounded(range: [number, number] | null, first: number, last: number): [number, number] {
  if (!range || range[1] <= first || range[0] >= last) return [first, last];
  return [Math.max(first, range[0]), Math.min(last, range[1])];
}
