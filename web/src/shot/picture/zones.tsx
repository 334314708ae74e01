import { useShot, useShotStore } from '../context';
import { reaches } from '../reaching';
import { now, type Operation, setting } from '../values';
import { Handle } from './handle';
import type { Overlay } from './overlay';
import type { Picking } from './picking';
import { local, matrixOf, shapeLines, type ZoneNow } from './zone';

const NUDGE = 0.05;
const round = (v: number) => Number(v.toFixed(3));

/** The zones of the chosen drive, in the picture: where they are strong, where their run ends, and handles for them. */
export function Zones({ picking, size }: Overlay) {
  const document = useShot((s) => s.document);
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const step = useShot((s) => s.document?.steps?.find((one) => one.id === s.step));
  if (!document || !draft || playing || !reaches(step)) return null;
  const at = document.steps?.indexOf(step) ?? -1;
  return (step.reaches ?? []).map((reach, k) => {
    if (reach.kind !== 'zone') return null;
    const base = `/steps/${at}/reaches/${k}`;
    const value = (name: string) => now({ document, draft, frame }, `${base}/${name}`);
    const zone: ZoneNow = {
      shape: String(value('shape')) as ZoneNow['shape'],
      place: value('place') as number[],
      turn: value('turn') as number[],
      size: value('size') as number[],
      run: Number(value('run')),
    };
    return <Zone key={k} picking={picking} size={size} zone={zone} base={base} number={k + 1} />;
  });
}

function Zone({
  picking,
  size,
  zone,
  base,
  number,
}: {
  picking: Picking;
  size: { width: number; height: number };
  zone: ZoneNow;
  base: string;
  number: number;
}) {
  const store = useShotStore();
  const toWorld = matrixOf(zone);
  const draw = (more: number) =>
    shapeLines(zone, more)
      .map((line) => {
        const points = picking.see(line.map((p) => local(toWorld, p)));
        return points
          .map((p, k) =>
            p ? `${k && points[k - 1] ? 'L' : 'M'}${p[0] * size.width} ${p[1] * size.height}` : '',
          )
          .join('');
      })
      .join('');
  const put = (member: string, value: unknown): Operation[] => {
    const { document, frame } = store.getState();
    return setting(document, `${base}/${member}`, frame, value);
  };
  const reach = zone.size[0] ?? 0;
  const grips = [
    {
      name: 'place',
      at: [0, 0, 0],
      move: (across: number, down: number) => {
        const by = picking.acrossTo(zone.place, across, down);
        return put(
          'place',
          zone.place.map((v, k) => round(v + (by[k] ?? 0))),
        );
      },
      nudge: (dx: number, dy: number) =>
        put('place', [
          round((zone.place[0] ?? 0) + dx * NUDGE),
          round((zone.place[1] ?? 0) + dy * NUDGE),
          zone.place[2],
        ]),
    },
    {
      name: 'size',
      at: [reach, 0, 0],
      move: (across: number, down: number) => put('size', sized(along(reach, across, down))),
      nudge: (dx: number, dy: number) => put('size', sized((dx + dy) * NUDGE)),
    },
    {
      name: 'run',
      at: [reach + zone.run, 0, 0],
      move: (across: number, down: number) =>
        put('run', round(Math.max(0, zone.run + along(reach + zone.run, across, down)))),
      nudge: (dx: number, dy: number) => put('run', round(Math.max(0, zone.run + (dx + dy) * NUDGE))),
    },
  ];
  const sized = (by: number) => zone.size.map((v, k) => (k === 0 ? round(Math.max(0, v + by)) : v));
  /** How far a drag goes along the zone's own x, in metres, at a place on it. */
  function along(x: number, across: number, down: number): number {
    return 0.1 * picking.along(local(toWorld, [x, 0, 0]), local(toWorld, [x + 0.1, 0, 0]), across, down);
  }
  return (
    <>
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
        <path d={draw(0)} fill="none" stroke="#b8cb6f" strokeWidth="1.6" />
        <path
          d={draw(zone.run)}
          fill="none"
          stroke="#b8cb6f"
          strokeWidth="1.2"
          strokeDasharray="5 4"
          opacity="0.8"
        />
      </svg>
      {grips.map((grip) => {
        const at = picking.spot(local(toWorld, grip.at));
        return at ? (
          <Handle
            key={grip.name}
            label={`Zone ${number}: ${grip.name}`}
            round={grip.name !== 'place'}
            left={at[0]}
            top={at[1]}
            move={grip.move}
            nudge={grip.nudge}
          />
        ) : null;
      })}
    </>
  );
}
