import { useShot } from '../context';
import { spanAt } from '../draft';
import type { Step } from '../open/state';
import { Board, type Point } from './board';

type Form = Extract<Step, { kind: 'form' }>;
const WIDTH = 190;
const HEIGHT = 128;

/** The cross-section of a usual stem, as the core cuts it; a drawn profile is edited on it. */
export function SectionBoard({ step, index, side }: { step: Form; index: number; side: 'front' | 'rear' }) {
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const block = draft && spanAt(draft, frame)?.blocks.find((b) => b.form === step.id);
  if (!block) return null;
  const xs = block.section.map((p) => p[0]);
  const zs = block.section.map((p) => p[1]);
  const low = [Math.min(...xs), Math.min(...zs)] as Point;
  const span = [Math.max(...xs) - low[0], Math.max(...zs) - low[1]] as Point;
  const scale = Math.min((WIDTH - 24) / Math.max(span[0], 1e-6), (HEIGHT - 30) / Math.max(span[1], 1e-6));
  const to = ([x, z]: Point): Point => [
    (WIDTH - span[0] * scale) / 2 + (x - low[0]) * scale,
    12 + (span[1] - (z - low[1])) * scale,
  ];
  const edge = side === 'rear' && step.rear_alike !== true ? step.rear : step.front;
  const drawn = edge?.profile === 'drawn';
  return (
    <figure className="flex shrink-0 gap-2" data-testid="section">
      {drawn && (
        <CurveBoard
          path={`/steps/${index}/${edge === step.rear ? 'rear' : 'front'}/curve`}
          points={(edge?.curve ?? []) as Point[]}
        />
      )}
      <svg
        width={WIDTH}
        height={HEIGHT}
        role="img"
        aria-label="Cross-section of a stem"
        className="rounded-md border bg-bark"
      >
        <path
          d={`M${block.section.map((p) => to(p).join(' ')).join('L')}Z`}
          fill="var(--moss-deep)"
          stroke="var(--moss)"
          strokeWidth="1.5"
          strokeLinejoin="round"
        />
        <text x={WIDTH / 2} y={HEIGHT - 5} textAnchor="middle" fontSize="11" fill="var(--dim)">
          stem {block.stem.toFixed(3)} m, front above
        </text>
      </svg>
    </figure>
  );
}

const rises = (all: Point[]) => all.every((p, i) => i === 0 || p[1] >= (all[i - 1] as Point)[1]);
const runsInward = (all: Point[]) => all.every((p, i) => i === 0 || p[0] >= (all[i - 1] as Point)[0]);

/** A drawn profile's point is free while the profile runs inward, or always rises: then it may cut under itself. */
export function movedInProfile(all: Point[], k: number, [x, y]: Point): Point[] {
  const bound = (v: number) => Math.min(1, Math.max(0, v));
  const at: Point = [k === 0 ? 0 : bound(x), bound(y)];
  const free = all.map((p, i) => (i === k ? at : p));
  if (rises(free)) return free;
  const last = k === all.length - 1;
  const inward = last ? 1 : Math.min(Math.max(at[0], all[k - 1]?.[0] ?? 0), all[k + 1]?.[0] ?? 1);
  const along = all.map((p, i): Point => (i === k ? [inward, at[1]] : p));
  if (runsInward(along) && along.at(-1)?.[0] === 1) return along;
  return all.map((p, i) =>
    i === k ? [at[0], Math.min(Math.max(at[1], all[k - 1]?.[1] ?? 0), all[k + 1]?.[1] ?? 1)] : p,
  );
}

/** Points of a drawn profile, from the return (left, bottom) to the face (right). */
function CurveBoard({ path, points }: { path: string; points: Point[] }) {
  return (
    <Board
      path={path}
      label="Edge profile"
      title="Edge profile: from the return at the lower left to the face. Drag points, double-click to add or take away"
      points={points}
      width={WIDTH}
      height={HEIGHT}
      view={[0, 0, 1, 1]}
      step={0.02}
      least={2}
      most={32}
      fixedEnds
      filled
      move={movedInProfile}
      draw={(all, to) =>
        `M${to([0, 0]).join(' ')}L${all.map((p) => to(p).join(' ')).join('L')}L${to([1, all.at(-1)?.[1] ?? 1]).join(' ')}L${to([1, 0]).join(' ')}Z`
      }
    />
  );
}
