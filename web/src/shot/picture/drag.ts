import { type PointerEvent, useRef } from 'react';
import { useShotStore } from '../context';
import type { Operation } from '../values';

/** A drag that is previewed on its way and is one edit in the end. `begin` says where it starts from; `patch` makes the
 *  edit for so many pixels across and down from there. */
export function useEditDrag<From>(
  begin: () => From,
  patch: (from: From, across: number, down: number, e: PointerEvent<HTMLElement>) => Operation[],
  label: string,
) {
  const store = useShotStore();
  const drag = useRef<{ x: number; y: number; from: From; patch: Operation[] } | null>(null);
  return {
    onPointerDown(e: PointerEvent<HTMLElement>) {
      e.currentTarget.setPointerCapture(e.pointerId);
      drag.current = { x: e.clientX, y: e.clientY, from: begin(), patch: [] };
    },
    onPointerMove(e: PointerEvent<HTMLElement>) {
      const d = drag.current;
      if (!d) return;
      d.patch = patch(d.from, e.clientX - d.x, e.clientY - d.y, e);
      if (d.patch.length) store.preview(d.patch);
    },
    onPointerUp() {
      if (drag.current?.patch.length) store.edit(drag.current.patch, label);
      drag.current = null;
    },
    onPointerCancel() {
      drag.current = null;
      store.settle();
    },
  };
}
