import * as THREE from 'three';
import { BOUNDS } from '../../api/facts';
import { drawnPath } from '../desk/path';
import { now, type Operation, setting } from '../values';
import { useChosen } from './chosen';
import { Handle } from './handle';
import type { Overlay } from './overlay';

const COLOUR = '#e6ad4e';
const NUDGE = 0.05; // metres
const round = (v: number, digits = 3) => Number(v.toFixed(digits));

/** What of the chosen deformer can be taken hold of in the picture: its centre, and values along the way they act. */
export function Levers({ picking }: Overlay) {
  const chosen = useChosen();
  const handles = chosen && picking.handlesOf(chosen.step.id);
  if (!chosen || !handles) return null;
  const { store, document, draft, frame, step, base } = chosen;
  const stands = picking.standing(handles.letter);
  const world = (p: number[]) => new THREE.Vector3(...p).applyMatrix4(stands).toArray();
  const bounds: Record<string, { least?: number; most?: number; above?: boolean }> = BOUNDS[step.kind];

  const levers = handles.levers.map((lever) => {
    const path = `${base}/${lever.member}`;
    const stored = now({ document, draft, frame }, path);
    const value = typeof stored === 'number' ? stored || lever.whole : null;
    const at = (v: number) => world(lever.base.map((b, k) => b + v * (lever.way[k] ?? 0)));
    const put = (by: number): Operation[] => {
      if (value === null) return [];
      const { least = -Infinity, most = Infinity, above } = bounds[`/${lever.member}`] ?? {};
      const low = above || lever.whole ? Math.max(least, 0.01) : least;
      const wanted = round(Math.min(most, Math.max(low, value + by)));
      return setting(store.getState().document, path, frame, wanted);
    };
    const metres = Math.hypot(...lever.way);
    return {
      name: lever.member,
      from: world(lever.base),
      at: value === null ? null : at(value),
      move: (across: number, down: number) => {
        if (value === null) return [];
        const some = 0.1 / metres;
        return put(some * picking.along(at(value), at(value + some), across, down));
      },
      nudge: (dx: number, dy: number) => put(((dx + dy) * NUDGE) / metres),
    };
  });

  const centre = world(handles.centre);
  const { own, axes, unit } = handles;
  const centred = (by: THREE.Vector3): Operation[] => {
    const rows = [0, 3, 6].map((k) => new THREE.Vector3(...axes.slice(k, k + 3)));
    const wanted = own.map((v, k) => round(v + (rows[k]?.dot(by) ?? 0) / unit));
    const place = now({ document, draft, frame }, `${base}/centre/place`);
    const free: Operation[] =
      handles.letter < 0 || place === 'own'
        ? []
        : [{ op: 'replace', path: `${base}/centre/place`, value: 'own' }];
    return [...free, ...setting(store.getState().document, `${base}/centre/own`, frame, wanted)];
  };
  const back = new THREE.Matrix3().setFromMatrix4(stands).invert();
  const local = (by: number[]) => new THREE.Vector3(...by).applyMatrix3(back);

  const { path } = handles;
  const inPlane = ([x = 0, y = 0]: number[]) =>
    world(handles.centre.map((c, k) => c + x * (path?.right[k] ?? 0) + y * (path?.up[k] ?? 0)));
  const drawn = path ? drawnPath(step)?.points : undefined;
  const putPoint = (k: number, [x = 0, y = 0]: number[], [dx = 0, dy = 0]: number[]): Operation[] => [
    { op: 'replace', path: `${base}/path/points/${k}`, value: [round(x + dx), round(y + dy)] },
  ];
  // A way in the world in metres of the path's drawing.
  const onDrawing = (by: number[]) => {
    const own = local(by);
    return [path?.right ?? [], path?.up ?? []].map((way) => {
      const along = new THREE.Vector3(...way);
      return own.dot(along) / along.lengthSq();
    });
  };

  const spot = (p: number[] | null) => p && picking.spot(p);
  const curve = (path?.curve ?? []).map((point) => spot(inPlane(point))).filter((p) => p !== null);
  const middle = spot(centre);
  return (
    <>
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
        {curve.length > 1 && (
          <path
            d={`M${curve.map((p) => p.join(' ')).join('L')}`}
            fill="none"
            stroke={COLOUR}
            strokeWidth="1.5"
          />
        )}
        {levers.map((lever) => {
          const [a, b] = [spot(lever.from), spot(lever.at)];
          return a && b ? (
            <g key={lever.name}>
              <path
                d={`M${a[0]} ${a[1]}L${b[0]} ${b[1]}`}
                stroke={COLOUR}
                strokeWidth="1.2"
                strokeDasharray="4 3"
              />
              <text
                x={b[0] + 12}
                y={b[1] + 4}
                fill="#fff"
                stroke="#000"
                strokeWidth="3"
                paintOrder="stroke"
                fontSize="12"
              >
                {lever.name}
              </text>
            </g>
          ) : null;
        })}
      </svg>
      {middle && (
        <Handle
          label="Centre"
          round={false}
          colour={COLOUR}
          left={middle[0]}
          top={middle[1]}
          move={(across, down) => centred(local(picking.acrossTo(centre, across, down)))}
          nudge={(dx, dy) => centred(local([dx * NUDGE, dy * NUDGE, 0]))}
        />
      )}
      {drawn?.map((point, k) => {
        const place = inPlane(point);
        const at = spot(place);
        return at ? (
          <Handle
            key={k}
            label={`Point ${k + 1} of the path`}
            round
            colour={COLOUR}
            left={at[0]}
            top={at[1]}
            move={(across, down) => putPoint(k, point, onDrawing(picking.acrossTo(place, across, down)))}
            nudge={(dx, dy) => putPoint(k, point, [dx * NUDGE, dy * NUDGE])}
          />
        ) : null;
      })}
      {levers.map((lever) => {
        const at = spot(lever.at);
        return at ? (
          <Handle
            key={lever.name}
            label={lever.name.charAt(0).toUpperCase() + lever.name.slice(1)}
            round
            colour={COLOUR}
            left={at[0]}
            top={at[1]}
            move={lever.move}
            nudge={lever.nudge}
          />
        ) : null;
      })}
    </>
  );
}
