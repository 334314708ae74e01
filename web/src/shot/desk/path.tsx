import { useShot } from '../context';
import { spanAt } from '../draft';
import type { Step } from '../open/state';
import { Board, type Point } from './board';

type Block = Extract<Step, { kind: 'block' }>;
const WIDTH = 270;
const HEIGHT = 150;

/** The path that a block's lines run along: the points that draw it, and the curve that the core makes of them, in their own scale. */
export function PathBoard({ step, index }: { step: Block; index: number }) {
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const points = (step.baseline?.points ?? []) as Point[];
  const block = draft && spanAt(draft, frame)?.blocks.find((b) => b.step === step.id);
  const curve = block?.path ?? [];
  const view = around([...points, ...curve]);
  return (
    <Board
      path={`/steps/${index}/baseline/points`}
      label="Path of the text"
      title="Path of the text: drag points, double-click to add or take away"
      points={points}
      width={WIDTH}
      height={HEIGHT}
      view={view}
      step={0.05}
      least={2}
      most={64}
      closed={step.baseline?.closed ?? false}
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
