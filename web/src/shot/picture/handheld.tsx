import { useEffect, useRef } from 'react';
import { useShot, useShotStore } from '../context';
import { now, type Operation, setting } from '../values';
import { useEditDrag } from './drag';
import { carried, nearer } from './orbit';

const DEGREES = 90; // over the width of the picture
const LEAST_FIT = 0.02;
const STEP = 1 / 45;
/** What a key does: shares of the picture across and down, and how much nearer. */
const WAYS: Record<string, [number, number, number]> = {
  ArrowLeft: [-STEP, 0, 1],
  ArrowRight: [STEP, 0, 1],
  ArrowUp: [0, -STEP, 1],
  ArrowDown: [0, STEP, 1],
  '+': [0, 0, 0.96],
  '-': [0, 0, 1 / 0.96],
};

/** While the camera is the chosen step, drags in the picture move it: around the title, across the frame, nearer. */
export function CameraDrag() {
  const store = useShotStore();
  const index = useShot((s) => s.document?.steps?.findIndex((step) => step.id === s.step) ?? -1);
  const kind = useShot((s) => s.document?.steps?.[index]?.kind);
  const view = useShot((s) => s.view);
  const playing = useShot((s) => s.playing);
  const surface = useRef<HTMLButtonElement>(null);
  const base = `/steps/${index}`;
  const drag = useEditDrag(
    standing,
    (from, across, down, e) => {
      const box = e.currentTarget.getBoundingClientRect();
      return moved(from, across / box.width, down / box.height, e.shiftKey);
    },
    'move the camera',
  );
  const active = kind === 'camera' && view === 'shot' && !playing;

  /** What the camera's values are at the playhead. */
  function standing(): Eye {
    const value = (member: string) => now(store.getState(), `${base}/${member}`);
    return {
      fit: value('fit') as number,
      orbit: value('orbit') as number[],
      shift: value('shift') as number[],
      place: value('place') as number[],
      aim: value('aim') as number[],
    };
  }

  function put(member: string, value: unknown): Operation[] {
    const { document, frame } = store.getState();
    return setting(document, `${base}/${member}`, frame, value);
  }
  const round = (v: number) => Number(v.toFixed(4));

  /** By shares of the picture, from where it stood. */
  function moved(from: Eye, across: number, down: number, truck: boolean): Operation[] {
    if (truck) {
      const [x = 0, y = 0] = from.shift;
      return put('shift', [round(x + across), round(y - down)]);
    }
    const [right, up] = [-across * DEGREES, down * DEGREES];
    if (from.fit <= 0) return put('place', carried(from.place, from.aim, right, up));
    const [a = 0, b = 0] = from.orbit;
    return put('orbit', [round(a + right), round(Math.min(89, Math.max(-89, b + up)))]);
  }

  function dollied(from: Eye, factor: number): Operation[] {
    if (from.fit <= 0) return put('place', nearer(from.place, from.aim, factor));
    return put('fit', round(Math.min(1, Math.max(LEAST_FIT, from.fit / factor))));
  }

  // biome-ignore lint/correctness/useExhaustiveDependencies: the listener reads the newest state itself
  useEffect(() => {
    const button = surface.current;
    if (!active || !button) return;
    let settled = 0;
    let from: Eye | null = null;
    let total = 1;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      from ??= standing();
      total *= Math.exp(Math.sign(e.deltaY) * 0.04);
      const patch = dollied(from, total);
      store.preview(patch);
      clearTimeout(settled);
      settled = window.setTimeout(() => {
        store.edit(patch, 'move the camera');
        from = null;
        total = 1;
      }, 300);
    };
    button.addEventListener('wheel', wheel, { passive: false });
    return () => button.removeEventListener('wheel', wheel);
  }, [active, base]);

  if (!active) return null;
  return (
    <>
      <button
        ref={surface}
        type="button"
        aria-label="Move the camera: drag or arrow keys go around the title, with Shift across the frame; wheel, plus and minus go nearer and further"
        className="absolute inset-0 h-full w-full cursor-move outline-offset-[-3px]"
        style={{ touchAction: 'none' }}
        {...drag}
        onKeyDown={(e) => {
          const way = WAYS[e.key];
          if (!way) return;
          const [across, down, factor] = way;
          e.preventDefault();
          e.stopPropagation();
          const from = standing();
          const patch = factor === 1 ? moved(from, across, down, e.shiftKey) : dollied(from, factor);
          store.edit(patch, 'move the camera');
        }}
      />
      <p className="pointer-events-none absolute bottom-2 left-2 rounded bg-black/70 px-2 py-1 text-white text-xs">
        drag: around the title · with Shift: across the frame · wheel: nearer, further
      </p>
    </>
  );
}

interface Eye {
  fit: number;
  orbit: number[];
  shift: number[];
  place: number[];
  aim: number[];
}
