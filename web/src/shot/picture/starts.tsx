import * as THREE from 'three';
import { now, type Operation, setting } from '../values';
import { useChosen } from './chosen';
import { Handle } from './handle';
import type { Overlay } from './overlay';

const COLOUR = '#e6ad4e';
const NUDGE = 0.01;

/** Where the tubes of each letter start: taken hold of in the picture, and drawn along its contour. */
export function Starts({ picking }: Overlay) {
  const chosen = useChosen();
  const contours = chosen?.draft.contours[chosen.step.id];
  if (chosen?.step.kind !== 'grow' || !contours) return null;
  const { store, document, draft, frame } = chosen;
  const base = `${chosen.base}/starts`;

  return contours.letters.map((line, k) => {
    if (line.length < 2) return null;
    const stands = picking.standing(contours.first + k);
    const seen = picking.see(line.map(([x, y]) => new THREE.Vector3(x, y, 0).applyMatrix4(stands).toArray()));
    const stored = now({ document, draft, frame }, `${base}/${k}`);
    const own = typeof stored === 'number' ? stored : 0;
    const share = wrapped(contours.start + own);
    const put = (wanted: number): Operation[] => {
      const path = `${base}/${k}`;
      const value = Number(wrapped(wanted - contours.start).toFixed(3));
      return stored === undefined
        ? [{ op: 'add', path, value }]
        : setting(store.getState().document, path, frame, value);
    };
    const [x, y] = between(seen, share) ?? [-1, -1];
    const spot = picking.pixels([x, y]);
    if (!spot) return null;
    return (
      <Handle
        key={k}
        label={`Start of ${draft.spans.at(-1)?.letters[contours.first + k]?.text ?? 'a letter'}`}
        round
        colour={COLOUR}
        left={spot[0]}
        top={spot[1]}
        move={(across, down) => put(nearest(seen.map(picking.pixels), [spot[0] + across, spot[1] + down]))}
        nudge={(dx, dy) => put(share + (dx + dy) * NUDGE)}
      />
    );
  });
}

type Seen = ([number, number] | null)[];
const wrapped = (share: number) => share - Math.floor(share);

/** A place on a line by its share of it. */
export function between(line: Seen, share: number): [number, number] | null {
  const at = share * (line.length - 1);
  const k = Math.min(Math.floor(at), line.length - 2);
  const [a, b] = [line[k], line[k + 1]];
  return a && b ? [a[0] + (b[0] - a[0]) * (at - k), a[1] + (b[1] - a[1]) * (at - k)] : null;
}

/** The share of a line at which it is nearest to a place. */
export function nearest(line: Seen, [x, y]: [number, number]): number {
  let found = 0;
  let least = Number.POSITIVE_INFINITY;
  for (let k = 0; k < line.length - 1; k++) {
    const [a, b] = [line[k], line[k + 1]];
    if (!a || !b) continue;
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const along = ((x - a[0]) * dx + (y - a[1]) * dy) / Math.max(dx * dx + dy * dy, 1e-9);
    const inside = Math.min(1, Math.max(0, along));
    const off = Math.hypot(x - a[0] - inside * dx, y - a[1] - inside * dy);
    if (off >= least) continue;
    least = off;
    found = (k + inside) / (line.length - 1);
  }
  return found;
}
