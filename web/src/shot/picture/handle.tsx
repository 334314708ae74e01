import { useShotStore } from '../context';
import type { Operation } from '../values';
import { useEditDrag } from './drag';

/** A grip in the picture: dragged, or pushed by the arrow keys. */
export function Handle({
  label,
  round,
  left,
  top,
  move,
  nudge,
  colour = '#b8cb6f',
}: {
  label: string;
  round: boolean;
  left: number;
  top: number;
  move: (across: number, down: number) => Operation[];
  nudge: (dx: number, dy: number) => Operation[];
  colour?: string;
}) {
  const store = useShotStore();
  // What it was when it was taken hold of decides, not what the drag has made of it since.
  const drag = useEditDrag(
    () => move,
    (from, across, down) => from(across, down),
    label.toLowerCase(),
  );
  return (
    <button
      type="button"
      aria-label={`${label}; drag it, or arrow keys`}
      title={label}
      className={`absolute size-4 -translate-x-1/2 -translate-y-1/2 cursor-move touch-none border-2 bg-black/70 ${round ? 'rounded-full' : 'rounded-xs'}`}
      style={{ left, top, borderColor: colour }}
      {...drag}
      onKeyDown={(e) => {
        const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
        if (!by) return;
        e.preventDefault();
        e.stopPropagation();
        store.edit(nudge(by[0] ?? 0, by[1] ?? 0), label.toLowerCase());
      }}
    />
  );
}
