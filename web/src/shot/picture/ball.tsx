import { useShot, useShotStore } from '../context';
import { now, type Operation, setting } from '../values';
import { useEditDrag } from './drag';
import { BALL } from './probe';

const DEGREES_A_PIXEL = 0.6;
const DEGREES_A_KEY = 5;

/** A ball that mirrors the environment in the title's own material: drag it to turn what surrounds the title. */
export function Ball() {
  const store = useShotStore();
  const index = useShot((s) => s.document?.steps?.findIndex((step) => step.id === s.step) ?? -1);
  const kind = useShot((s) => s.document?.steps?.[index]?.kind);
  const base = `/steps/${index}`;
  const drag = useEditDrag(
    standing,
    (from, across, down, e) => turned(from, across * DEGREES_A_PIXEL, down * DEGREES_A_PIXEL, e.shiftKey),
    'turn the environment',
  );
  if (kind !== 'environment') return null;

  /** Turn, tilt towards the camera and tilt to the right, at the playhead. */
  function standing(): number[] {
    const state = store.getState();
    return [now(state, `${base}/turn`) ?? 0, now(state, `${base}/tilt`) ?? [0, 0]].flat() as number[];
  }

  /** The edit that turns by so many degrees across, and tilts by so many down; or leans to the right instead. */
  function turned(from: number[], across: number, down: number, lean: boolean): Operation[] {
    const { document, frame } = store.getState();
    const [turn = 0, forward = 0, right = 0] = from;
    const round = (degrees: number) => Number(degrees.toFixed(2));
    const tilt = lean ? [forward, round(right + across)] : [round(forward + down), right];
    return [
      ...(lean || !across ? [] : setting(document, `${base}/turn`, frame, round(turn + across))),
      ...(lean || down ? setting(document, `${base}/tilt`, frame, tilt) : []),
    ];
  }

  return (
    <button
      type="button"
      aria-label="Turn the environment: arrow keys turn and tilt it, with Shift they lean it"
      title="Drag to turn and tilt the environment; with Shift to lean it"
      className="absolute cursor-grab rounded-full border border-white/30 hover:border-white/70 active:cursor-grabbing"
      style={{ left: BALL.margin, bottom: BALL.margin, width: BALL.size, height: BALL.size }}
      {...drag}
      onKeyDown={(e) => {
        const ways: Record<string, [number, number]> = {
          ArrowLeft: [-1, 0],
          ArrowRight: [1, 0],
          ArrowUp: [0, -1],
          ArrowDown: [0, 1],
        };
        const way = ways[e.key];
        if (!way) return;
        e.preventDefault();
        e.stopPropagation();
        const patch = turned(
          standing(),
          way[0] * DEGREES_A_KEY,
          way[1] * DEGREES_A_KEY,
          e.shiftKey && way[0] !== 0,
        );
        store.edit(patch, 'turn the environment');
      }}
    />
  );
}
