import { useShot } from '../context';
import { spanAt } from '../draft';
import type { Step } from '../open/state';
import { Board, type Point } from './board';

const WIDTH = 270;
const HEIGHT = 150;

/** A path that is drawn by its points: where in the step it stands, and what it is called. */
export interface DrawnPath {
  member: 'baseline' | 'path' | 'line';
  name: string;
  points: Point[];
  closed: boolean;
}

/** The path of a step that its points draw, if it has one that is in use. */
export function drawnPath(step: Step): DrawnPath | null {
  const [member, name] =
    step.kind === 'block'
      ? ['baseline', 'Path of the text']
      : step.kind === 'pieces'
        ? ['line', 'Line of the cut']
        : ['path', 'Path of the wrap'];
  const path =
    step.kind === 'block' && step.baseline?.kind === 'path'
      ? step.baseline
      : step.kind === 'wrap' && step.onto === 'path'
        ? step.path
        : step.kind === 'pieces' && step.cut === 'line'
          ? step.line
          : null;
  if (!path || path.emblem) return null;
  const points = (path.points ?? []) as Point[];
  return {
    member: member as DrawnPath['member'],
    name: name as string,
    points,
    closed: path.closed ?? false,
  };
}

/** The path that a step's lines run along: the points that draw it, and the curve that the core makes of them, in their own scale. */
export function PathBoard({ step, index, path }: { step: Step; index: number; path: DrawnPath }) {
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const span = draft && spanAt(draft, frame);
  const curve =
    (path.member === 'baseline'
      ? span?.blocks.find((b) => b.step === step.id)?.path
      : span?.handles[step.id]?.path?.curve) ?? [];
  const view = around([...path.points, ...curve]);
  return (
    <Board
      path={`/steps/${index}/${path.member}/points`}
      label={path.name}
      title={`${path.name}: drag points; a double click or + adds one, another takes it away`}
      points={path.points}
      width={WIDTH}
      height={HEIGHT}
      view={view}
      step={0.05}
      least={2}
      most={64}
      closed={path.closed}
      move={(all, k, to) => all.map((p, i) => (i === k ? to : p))}
      draw={(_, to) => (curve.length ? `M${curve.map((p) => to(p).join(' ')).join('L')}` : '')}
    />
  );
}

/** A view of the plane with room around some points, in the board's own proportions. */
function around(points: Point[]): [number, number, number, number] {
  const xs = points.map((p) => p[0]);
  const ys = points.map((p) => p[1]);
  const middle: Point = [(Math.min(...xs) + Math.max(...xs)) / 2, (Math.min(...ys) + Math.max(...ys)) / 2];
  const half =
    0.6 *
    Math.max(Math.max(...xs) - Math.min(...xs), ((Math.max(...ys) - Math.min(...ys)) * WIDTH) / HEIGHT, 1);
  const tall = (half * HEIGHT) / WIDTH;
  return [middle[0] - half, middle[1] - tall, middle[0] + half, middle[1] + tall];
}
