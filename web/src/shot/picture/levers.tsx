import * as THREE from 'three';
import { BOUNDS } from '../../api/facts';
import { useShot, useShotStore } from '../context';
import { now, type Operation, setting } from '../values';
import { Handle } from './handle';
import type { Overlay } from './overlay';

const COLOUR = '#e6ad4e';
const NUDGE = 0.05; // metres
const round = (v: number, digits = 3) => Number(v.toFixed(digits));

/** What of the chosen deformer can be taken hold of in the picture: its centre, and values along the way they act. */
export function Levers({ picking }: Overlay) {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const step = useShot((s) => s.document?.steps?.find((one) => one.id === s.step));
  const handles = step ? picking.handlesOf(step.id) : null;
  if (!document || !draft || playing || !step || !handles) return null;
  const base = `/steps/${document.steps?.indexOf(step) ?? -1}`;
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

  const spot = (p: number[] | null) => p && picking.spot(p);
  const middle = spot(centre);
  return (
    <>
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
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
