import { useRef, useState } from 'react';
import { useShotStore } from '../context';

export type Point = [number, number];

interface BoardProps {
  /** Where in the document the points stand. */
  path: string;
  label: string;
  title: string;
  points: Point[];
  width: number;
  height: number;
  /** The part of the plane that is shown: left, bottom, right, top. */
  view: [number, number, number, number];
  step: number;
  most: number;
  least: number;
  /** Keep the ends from being taken away. */
  fixedEnds?: boolean;
  closed?: boolean;
  /** Points with point `k` moved to a place, as far as the hand may take it. */
  move: (points: Point[], k: number, to: Point) => Point[];
  /** Drawn under the points: an SVG path from the board's own pixels. */
  draw: (points: Point[], to: (p: Point) => Point) => string;
  filled?: boolean;
}

const PAD = 12;

/** Points on a board: drag, double-click to add or take away, arrow keys, + and Delete. */
export function Board(props: BoardProps) {
  const { path, label, points, width, height, view, step, move } = props;
  const store = useShotStore();
  const board = useRef<SVGSVGElement>(null);
  const [dragged, setDragged] = useState<Point[] | null>(null);
  const held = useRef(-1);
  const shown = dragged ?? points;
  const [left, bottom, right, top] = view;
  const scale: Point = [(width - 2 * PAD) / (right - left), (height - 2 * PAD) / (top - bottom)];
  const to = ([x, y]: Point): Point => [PAD + (x - left) * scale[0], height - PAD - (y - bottom) * scale[1]];
  const from = (e: { clientX: number; clientY: number }): Point => {
    const box = board.current?.getBoundingClientRect();
    if (!box) return [0, 0];
    return [
      (e.clientX - box.left - PAD) / scale[0] + left,
      (height - PAD - (e.clientY - box.top)) / scale[1] + bottom,
    ];
  };
  const rounded = (all: Point[]) => all.map(([x, y]): Point => [Number(x.toFixed(3)), Number(y.toFixed(3))]);
  const commit = (value: Point[]) =>
    store.edit([{ op: 'replace', path, value: rounded(value) }], label.toLowerCase());
  const preview = (value: Point[]) => {
    setDragged(value);
    store.preview([{ op: 'replace', path, value: rounded(value) }]);
  };
  const remove = (k: number) => {
    if (shown.length <= props.least || (props.fixedEnds && (k === 0 || k === shown.length - 1))) return;
    commit(shown.filter((_, i) => i !== k));
  };
  return (
    <svg
      ref={board}
      width={width}
      height={height}
      className="shrink-0 touch-none rounded-md border bg-bark"
      onPointerMove={(e) => held.current >= 0 && preview(move(shown, held.current, from(e)))}
      onPointerUp={() => {
        if (held.current >= 0 && dragged) commit(dragged);
        held.current = -1;
        setDragged(null);
      }}
      onDoubleClick={(e) => {
        if (shown.length >= props.most) return;
        const at = from(e);
        const k = nearestSide(shown, at, scale, props.closed ?? false);
        commit([...shown.slice(0, k + 1), at, ...shown.slice(k + 1)]);
      }}
    >
      <title>{props.title}</title>
      <path
        d={props.draw(shown, to)}
        fill={props.filled ? 'var(--moss-deep)' : 'none'}
        stroke="var(--moss)"
        strokeWidth="1.5"
      />
      {shown.map((p, k) => {
        const [x, y] = to(p);
        return (
          <circle
            key={k}
            cx={x}
            cy={y}
            r="5"
            fill="var(--bark)"
            stroke="var(--key)"
            strokeWidth="2"
            tabIndex={0}
            role="slider"
            aria-label={`${label}, point ${k + 1}`}
            aria-valuenow={p[1]}
            aria-valuetext={`${p[0].toFixed(2)} across, ${p[1].toFixed(2)} up`}
            style={{ cursor: 'grab' }}
            onPointerDown={(e) => {
              e.currentTarget.ownerSVGElement?.setPointerCapture(e.pointerId);
              held.current = k;
            }}
            onDoubleClick={(e) => {
              e.stopPropagation();
              remove(k);
            }}
            onKeyDown={(e) => {
              const by = {
                ArrowLeft: [-step, 0],
                ArrowRight: [step, 0],
                ArrowUp: [0, step],
                ArrowDown: [0, -step],
              }[e.key];
              if (by) {
                e.preventDefault();
                e.stopPropagation();
                commit(move(shown, k, [p[0] + (by[0] as number), p[1] + (by[1] as number)]));
              } else if (e.key === '+' && shown.length < props.most) {
                const next = shown[k + 1] ?? (props.closed ? shown[0] : undefined);
                if (!next) return;
                e.preventDefault();
                const middle: Point = [(p[0] + next[0]) / 2, (p[1] + next[1]) / 2];
                commit([...shown.slice(0, k + 1), middle, ...shown.slice(k + 1)]);
              } else if (e.key === 'Delete' || e.key === 'Backspace') {
                e.preventDefault();
                remove(k);
              }
            }}
          />
        );
      })}
    </svg>
  );
}

/** The side between two points (its first one) that lies nearest to a place, as seen on the board. */
export function nearestSide(points: Point[], at: Point, scale: Point, closed: boolean): number {
  let best = 0;
  let least = Number.POSITIVE_INFINITY;
  const sides = closed ? points.length : points.length - 1;
  for (let k = 0; k < sides; k++) {
    const [a, b] = [points[k], points[(k + 1) % points.length]] as [Point, Point];
    const [dx, dy] = [(b[0] - a[0]) * scale[0], (b[1] - a[1]) * scale[1]];
    const [px, py] = [(at[0] - a[0]) * scale[0], (at[1] - a[1]) * scale[1]];
    const share = Math.min(1, Math.max(0, (px * dx + py * dy) / Math.max(dx * dx + dy * dy, 1e-9)));
    const off = Math.hypot(px - share * dx, py - share * dy);
    if (off < least) {
      least = off;
      best = k;
    }
  }
  return best;
}
