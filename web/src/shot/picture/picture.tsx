import { useEffect, useLayoutEffect, useRef, useState } from 'react';
import { Link } from 'wouter';
import { Button, Hint } from '../../ui/controls';
import { useAspect, useShot, useShotStore } from '../context';
import type { Seen } from '../draft';
import type { View } from '../open/state';
import { reaches } from '../reaching';
import { Ball } from './ball';
import { Clearance } from './clearance';
import { Guides, OtherFrames } from './guides';
import { CameraDrag } from './handheld';
import { Levers } from './levers';
import { Meter } from './meter';
import type { Overlay } from './overlay';
import { Paths } from './paths';
import { Picked } from './picked';
import { Pivots } from './pivots';
import { Pointing } from './pointing';
import { ProofTools, ProofView } from './proof';
import { Starts } from './starts';
import { Viewer } from './viewer';
import { Zones } from './zones';

declare global {
  interface Window {
    /** The last picture of the draft: what it is of, when it was there, and how long it took; for measuring. */
    mossShown?: { of: Seen; at: number; frame: number; ms: number };
  }
}

const VIEWS: { id: View; name: string; keys: string }[] = [
  { id: 'shot', name: 'Shot camera', keys: '1' },
  { id: 'walk', name: 'Walk around', keys: '2' },
  { id: 'front', name: 'Front', keys: '3' },
  { id: 'side', name: 'Side', keys: '4' },
  { id: 'top', name: 'Top', keys: '5' },
];

export function Picture() {
  const store = useShotStore();
  const mode = useShot((s) => s.mode);
  const guides = useShot((s) => s.guides);
  const meter = useShot((s) => s.meter);
  return (
    <section aria-label="Picture" className="flex min-h-0 flex-1 flex-col">
      <div className="flex flex-wrap items-center gap-1.5 px-3 py-1.5">
        {mode === 'proof' ? <ProofTools /> : <Views />}
        <span className="flex-1" />
        {guides && <OtherFrames />}
        <Hint
          text="Safe areas, thirds, centre, baselines, cap lines, widest line, letters that meet"
          keys="G"
        >
          <Button look="quiet" aria-pressed={guides} active={guides} onClick={() => store.toggle('guides')}>
            guides
          </Button>
        </Hint>
        <Hint
          text="How light each letter is, how it stands apart from what is behind it, and what is white"
          keys="B"
        >
          <Button look="quiet" aria-pressed={meter} active={meter} onClick={() => store.toggle('meter')}>
            meter
          </Button>
        </Hint>
        <div role="group" aria-label="Kind of picture" className="flex overflow-hidden rounded-md border">
          {(['draft', 'proof'] as const).map((m) => (
            <Hint
              key={m}
              text={
                m === 'draft' ? 'The live picture' : 'This frame from the renderer, as a take will have it'
              }
              keys={m === 'proof' ? 'P' : undefined}
            >
              <button
                type="button"
                aria-pressed={mode === m}
                onClick={() => {
                  if (m === 'proof') store.setView('shot');
                  store.setMode(m);
                }}
                className={`px-2.5 py-1 text-sm ${mode === m ? 'bg-raised text-ink shadow-[inset_0_-2px_0_var(--moss)]' : 'text-dim hover:text-ink'}`}
              >
                {m === 'draft' ? 'Draft' : 'Proof'}
              </button>
            </Hint>
          ))}
        </div>
      </div>
      <Frame />
    </section>
  );
}

/** Whose eyes the draft is seen through. A proof is always the shot camera's. */
function Views() {
  const store = useShotStore();
  const view = useShot((s) => s.view);
  return (
    <div role="group" aria-label="View" className="flex overflow-hidden rounded-md border">
      {VIEWS.map((v) => (
        <Hint
          key={v.id}
          text={v.id === 'shot' ? 'Through the shot camera' : 'Drag to look around; the shot is not changed'}
          keys={v.keys}
        >
          <button
            type="button"
            aria-pressed={view === v.id}
            onClick={() => store.setView(v.id)}
            className={`px-2.5 py-1 text-sm ${view === v.id ? 'bg-raised text-ink shadow-[inset_0_-2px_0_var(--moss)]' : 'text-dim hover:text-ink'}`}
          >
            {v.name}
          </button>
        </Hint>
      ))}
    </div>
  );
}

const LONG_MS = 20_000;

/** What stands in the picture's place until it comes; when that takes long, with ways on. */
function FirstFrame() {
  const [long, setLong] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setLong(true), LONG_MS);
    return () => clearTimeout(timer);
  }, []);
  return (
    <div className="absolute inset-0 grid place-content-center gap-2 p-6 text-center text-sm text-white/80">
      <p>setting the first frame …</p>
      {long && (
        <>
          <p role="status">
            That takes longer than it should: the server may be busy with something else, or this machine
            slow.
          </p>
          <p className="flex justify-center gap-2">
            <Button onClick={() => location.reload()}>Load the page again</Button>
            <Link className="self-center underline" href="/">
              To the slate
            </Link>
          </p>
        </>
      )}
    </div>
  );
}

/** The frame, as large as it goes, on a neutral surround. */
function Frame() {
  const store = useShotStore();
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const viewer = useRef<Viewer | null>(null);
  const fps = useShot((s) => (s.draft ? s.draft.fps[0] / s.draft.fps[1] : 25));
  const view = useShot((s) => s.view);
  const mode = useShot((s) => s.mode);
  const playing = useShot((s) => s.playing);
  const guides = useShot((s) => s.guides);
  const turning = useShot(
    (s) => s.document?.steps?.find((step) => step.id === s.step)?.kind === 'environment',
  );
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [broken, setBroken] = useState('');
  const [shown, setShown] = useState(false);
  const [shownAt, setShownAt] = useState(0);
  const aspect = useAspect();

  useLayoutEffect(() => {
    const box = holder.current;
    if (!box) return;
    const fit = () => {
      const width = Math.min(box.clientWidth - 16, (box.clientHeight - 12) * aspect);
      setSize({ width: Math.max(1, Math.floor(width)), height: Math.max(1, Math.floor(width / aspect)) });
    };
    const watch = new ResizeObserver(fit);
    watch.observe(box);
    fit();
    return () => watch.disconnect();
  }, [aspect]);

  useEffect(() => {
    if (!canvas.current) return;
    let leave = () => {};
    try {
      const made = new Viewer(canvas.current);
      made.onShown = (of, at, ms) => {
        setShown(true);
        const { guides, picked, step, document, playing } = store.getState();
        const chosen = document?.steps?.find((s) => s.id === step);
        // Zones go on while it plays, pivots do not.
        const zoned = reaches(chosen) && chosen.reaches?.some((r) => r.kind === 'zone');
        const turns = !playing && (reaches(chosen) || ['shiver', 'group'].includes(chosen?.kind ?? ''));
        if (guides || picked.length || zoned || turns) setShownAt(performance.now());
        store.pictures.shown += 1;
        window.mossShown = { of, at: performance.now(), frame: at, ms };
      };
      made.onFine = (fine) => {
        canvas.current?.setAttribute('data-fine', String(fine));
        if (fine) store.setTriangles(made.triangles());
      };
      viewer.current = made;
      // Past React: the picture comes first, and the rest of the screen follows.
      const { draft, frame } = store.getState();
      if (draft) made.show(draft, frame);
      leave = store.onPicture(
        (of, at) => made.show(of, at),
        () => made.makeWay(),
      );
    } catch {
      setBroken('This browser has no WebGL 2, which the draft needs. Proofs and takes work without it.');
    }
    return () => {
      leave();
      viewer.current?.dispose();
      viewer.current = null;
    };
  }, [store]);

  useEffect(() => viewer.current?.resize(size.width, size.height), [size]);
  useEffect(() => viewer.current?.setView(view), [view]);
  useEffect(() => viewer.current?.setBall(turning), [turning]);
  useEffect(() => viewer.current?.setPlaying(playing ? 1000 / fps : null), [playing, fps]);

  const over: Overlay | null =
    mode === 'draft' && viewer.current ? { picking: viewer.current.picking, size, shown: shownAt } : null;
  return (
    <div ref={holder} className="relative grid min-h-0 flex-1 place-items-center overflow-hidden bg-surround">
      <div className="relative bg-black" style={size}>
        <canvas
          ref={canvas}
          data-testid="draft"
          data-shown={shown}
          className="block h-full w-full"
          aria-label="Draft of the frame"
          role="img"
          style={{ width: size.width, height: size.height, cursor: view === 'shot' ? 'default' : 'grab' }}
        />
        {mode === 'proof' && <ProofView />}
        {over && <Picked {...over} />}
        {over && <Paths {...over} />}
        {over && <Clearance {...over} />}
        {over && <Pivots {...over} />}
        {mode === 'draft' && <Ball />}
        {mode === 'draft' && <CameraDrag />}
        {over && <Zones {...over} />}
        {over && <Levers {...over} />}
        {over && <Starts {...over} />}
        {over && <Meter {...over} />}
        <Pointing />
        {guides && (
          <Guides
            lines={viewer.current?.picking.lines() ?? []}
            widest={viewer.current?.picking.widest() ?? null}
            aspect={aspect}
            key={shownAt}
          />
        )}
        {broken && (
          <p className="absolute inset-0 grid place-items-center p-6 text-center text-white">{broken}</p>
        )}
        {!broken && !shown && <FirstFrame />}
      </div>
    </div>
  );
}
