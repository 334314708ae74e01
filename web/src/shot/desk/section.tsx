import { useRef, useState } from 'react';
import { useShot, useShotStore } from '../context';
import { spanAt } from '../draft';
import type { Step } from '../store';

type Form = Extract<Step, { kind: 'form' }>;
type Point = [number, number];
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

/** Points of a drawn profile, from the return (left, bottom) to the face (right). Drag, double-click to add or take away. */
function CurveBoard({ path, points }: { path: string; points: Point[] }) {
  const store = useShotStore();
  const board = useRef<SVGSVGElement>(null);
  const [dragged, setDragged] = useState<Point[] | null>(null);
  const held = useRef(-1);
  const shown = dragged ?? points;
  const pad = 12;
  const to = ([x, y]: Point): Point => [pad + x * (WIDTH - 2 * pad), HEIGHT - pad - y * (HEIGHT - 2 * pad)];
  const from = (e: { clientX: number; clientY: number }): Point => {
    const box = board.current?.getBoundingClientRect();
    if (!box) return [0, 0];
    const round = (v: number) => Number(Math.min(1, Math.max(0, v)).toFixed(3));
    return [
      round((e.clientX - box.left - pad) / (WIDTH - 2 * pad)),
      round((HEIGHT - pad - (e.clientY - box.top)) / (HEIGHT - 2 * pad)),
    ];
  };
  /** A point stays between its neighbours: the profile runs inward. The ends stay on their sides. */
  const moved = (k: number, [x, y]: Point): Point[] =>
    shown.map((p, i) => {
      if (i !== k) return p;
      if (k === 0) return [0, y];
      if (k === shown.length - 1) return [1, y];
      return [Math.min(Math.max(x, shown[k - 1]?.[0] ?? 0), shown[k + 1]?.[0] ?? 1), y];
    });
  const commit = (value: Point[]) => store.edit([{ op: 'replace', path, value }], 'edge profile');
  const preview = (value: Point[]) => {
    setDragged(value);
    store.preview([{ op: 'replace', path, value }]);
  };
  return (
    <svg
      ref={board}
      width={WIDTH}
      height={HEIGHT}
      className="touch-none rounded-md border bg-bark"
      onPointerMove={(e) => held.current >= 0 && preview(moved(held.current, from(e)))}
      onPointerUp={() => {
        if (held.current >= 0 && dragged) commit(dragged);
        held.current = -1;
        setDragged(null);
      }}
      onDoubleClick={(e) => {
        const at = from(e);
        const k = shown.findIndex((p) => p[0] > at[0]);
        if (k > 0 && shown.length < 32) commit([...shown.slice(0, k), at, ...shown.slice(k)]);
      }}
    >
      <title>Edge profile: from the return at the lower left to the face at the right</title>
      <path
        d={`M${to([0, 0]).join(' ')}L${shown.map((p) => to(p).join(' ')).join('L')}L${to([1, 0]).join(' ')}Z`}
        fill="var(--moss-deep)"
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
            aria-label={`point ${k + 1} of the profile`}
            aria-valuenow={p[1]}
            aria-valuetext={`${p[0]} inward, ${p[1]} high`}
            style={{ cursor: 'grab' }}
            onPointerDown={(e) => {
              e.currentTarget.ownerSVGElement?.setPointerCapture(e.pointerId);
              held.current = k;
            }}
            onDoubleClick={(e) => {
              e.stopPropagation();
              if (k > 0 && k < shown.length - 1 && shown.length > 2) commit(shown.filter((_, i) => i !== k));
            }}
            onKeyDown={(e) => {
              const by = {
                ArrowLeft: [-0.02, 0],
                ArrowRight: [0.02, 0],
                ArrowUp: [0, 0.02],
                ArrowDown: [0, -0.02],
              }[e.key];
              if (by) {
                e.preventDefault();
                e.stopPropagation();
                const bound = (v: number) => Number(Math.min(1, Math.max(0, v)).toFixed(3));
                commit(moved(k, [bound(p[0] + (by[0] as number)), bound(p[1] + (by[1] as number))]));
              } else if ((e.key === 'Delete' || e.key === 'Backspace') && k > 0 && k < shown.length - 1) {
                e.preventDefault();
                commit(shown.filter((_, i) => i !== k));
              }
            }}
          />
        );
      })}
    </svg>
  );
}
