import { Plus, X } from 'lucide-react';
import { useRef, useState } from 'react';
import { Button, Hint, inputLook } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import type { Reaching } from '../reaching';
import { reachGroup } from './fields';

export const REACHES = ['cadence', 'zone', 'noise', 'picture', 'swing', 'passage', 'everywhere'] as const;
const ABOUT: Record<(typeof REACHES)[number], string> = {
  cadence: 'letter after letter',
  zone: 'a place that letters are in',
  noise: 'each letter by chance',
  picture: 'as bright as a picture is there',
  swing: 'a pendulum that settles',
  passage: 'from whole to gone by one value',
  everywhere: 'all letters alike',
};
const MIXES: [string, string][] = [
  ['maximum', 'the stronger of both'],
  ['add', 'added'],
  ['multiply', 'multiplied'],
  ['cut', 'cut out'],
];

/** What a reach is, how it joins those before it, and adding and removing them. */
export function ReachHead({
  step,
  index,
  at,
  onGroup,
}: {
  step: Reaching;
  index: number;
  at: number;
  onGroup: (name: string) => void; // show the values of another reach
}) {
  const store = useShotStore();
  const reaches = step.reaches ?? [];
  const reach = reaches[at];
  const base = `/steps/${index}/reaches`;
  const add = () => {
    store.edit([{ op: 'add', path: `${base}/-`, value: { kind: 'zone' } }], 'add a reach', true);
    onGroup(reachGroup('zone', reaches.length, reaches.length + 1));
  };
  return (
    <div className="col-span-full flex flex-wrap items-end gap-2">
      {reach && (
        <>
          <label className="text-dim text-xs">
            Reach
            <select
              aria-label="Reach"
              className={`${inputLook} w-52`}
              value={reach.kind}
              onChange={(e) => {
                const kind = e.target.value;
                const value = { kind, mix: reach.mix };
                store.edit([{ op: 'replace', path: `${base}/${at}`, value }], 'reach', true);
                onGroup(reachGroup(kind, at, reaches.length));
              }}
            >
              {REACHES.map((kind) => (
                <option key={kind} value={kind}>
                  {kind}: {ABOUT[kind]}
                </option>
              ))}
            </select>
          </label>
          {(at > 0 || reach.mix === 'cut') && (
            <label className="text-dim text-xs">
              With those before it
              <select
                aria-label="With those before it"
                className={`${inputLook} w-44`}
                value={reach.mix}
                onChange={(e) =>
                  store.edit(
                    [{ op: 'replace', path: `${base}/${at}/mix`, value: e.target.value }],
                    'join reaches',
                  )
                }
              >
                {MIXES.map(([value, name]) => (
                  <option key={value} value={value}>
                    {name}
                  </option>
                ))}
              </select>
            </label>
          )}
          <Hint text="Without any reach it acts everywhere">
            <Button
              look="quiet"
              aria-label="Remove this reach"
              onClick={() => store.edit([{ op: 'remove', path: `${base}/${at}` }], 'remove a reach')}
            >
              <X size={13} /> remove
            </Button>
          </Hint>
        </>
      )}
      {reaches.length < 8 && (
        <Button look="quiet" onClick={add}>
          <Plus size={13} /> add a reach
        </Button>
      )}
    </div>
  );
}

const READY: { name: string; points: [number, number][] }[] = [
  { name: 'straight', points: [[0, 0], [1, 1]] },
  { name: 'soft', points: [[0, 0], [0.25, 0.08], [0.75, 0.92], [1, 1]] },
  { name: 'late', points: [[0, 0], [0.6, 0.12], [1, 1]] },
  { name: 'early', points: [[0, 0], [0.4, 0.88], [1, 1]] },
  { name: 'there and back', points: [[0, 0], [0.5, 1], [1, 0]] },
  { name: 'in three steps', points: [[0, 0], [0.3, 0], [0.36, 0.5], [0.64, 0.5], [0.7, 1], [1, 1]] },
  { name: 'turned over', points: [[0, 1], [1, 0]] },
]; // biome-ignore format: one preset a line reads as a table

const WIDTH = 210;
const HEIGHT = 150;
const LOW = -0.3;
const HIGH = 1.3;
const toY = (v: number) => ((HIGH - v) / (HIGH - LOW)) * HEIGHT;

/** The response of a drive: what strength each reach gives. Points are dragged; a press on the board sets one. */
export function ResponseBoard({ step, index }: { step: Reaching; index: number }) {
  const store = useShotStore();
  const stored = (step.response ?? []) as [number, number][];
  const curve = useShot((s) => s.draft?.responses[step.id]) ?? [];
  const [moving, setMoving] = useState<[number, number][] | null>(null);
  const held = useRef(-1);
  const board = useRef<SVGSVGElement>(null);
  const points = moving ?? stored;
  const path = `/steps/${index}/response`;
  const patch = (value: [number, number][]) => [{ op: 'replace' as const, path, value }];
  const commit = (value: [number, number][], what = 'response') => store.edit(patch(value), what);

  const place = (e: React.PointerEvent): [number, number] => {
    const box = (board.current as SVGSVGElement).getBoundingClientRect();
    const x = Math.min(1, Math.max(0, (e.clientX - box.left) / box.width));
    const y = HIGH - ((e.clientY - box.top) / box.height) * (HIGH - LOW);
    return [Math.round(x * 100) / 100, Math.round(Math.min(3, Math.max(-2, y)) * 100) / 100];
  };
  const put = (k: number, [x, y]: [number, number]): [number, number][] => {
    const last = points.length - 1;
    const low = k === 0 ? 0 : (points[k - 1]?.[0] ?? 0) + 0.01;
    const high = k === last ? 1 : (points[k + 1]?.[0] ?? 1) - 0.01;
    const within = k === 0 ? 0 : k === last ? 1 : Math.min(high, Math.max(low, x));
    return points.map((p, i) => (i === k ? [Math.round(within * 100) / 100, y] : p));
  };
  return (
    <div className="col-span-2 flex gap-3">
      <svg
        ref={board}
        width={WIDTH}
        height={HEIGHT}
        role="group"
        aria-label="Response: reach to the right, strength upward"
        className="shrink-0 touch-none overflow-visible rounded border bg-bark"
        onPointerDown={(e) => {
          if (e.target !== board.current || points.length >= 16) return;
          const [x, y] = place(e);
          if (x <= 0.01 || x >= 0.99 || points.some((p) => Math.abs(p[0] - x) < 0.02)) return;
          const next = [...points, [x, y] as [number, number]].sort((a, b) => a[0] - b[0]);
          held.current = next.findIndex((p) => p[0] === x);
          e.currentTarget.setPointerCapture(e.pointerId);
          setMoving(next);
        }}
        onPointerMove={(e) => {
          if (held.current < 0) return;
          const next = put(held.current, place(e));
          setMoving(next);
          store.preview(patch(next));
        }}
        onPointerUp={() => {
          held.current = -1;
          if (moving) commit(moving);
          setMoving(null);
        }}
      >
        <path
          d={`M0 ${toY(0)}H${WIDTH}M0 ${toY(1)}H${WIDTH}`}
          stroke="var(--line)"
          strokeDasharray="3 3"
          className="pointer-events-none"
        />
        <polyline
          className="pointer-events-none"
          fill="none"
          stroke="var(--moss)"
          strokeWidth="2.2"
          points={curve.map((v, k) => `${(k / (curve.length - 1)) * WIDTH},${toY(v)}`).join(' ')}
        />
        {points.map(([x, y], k) => (
          <circle
            key={k}
            role="slider"
            tabIndex={0}
            aria-label={`Response point ${k + 1}`}
            aria-valuenow={y}
            aria-valuetext={`${x} gives ${y}`}
            cx={x * WIDTH}
            cy={toY(y)}
            r="5.5"
            fill="var(--bark)"
            stroke="var(--ink)"
            strokeWidth="2"
            className="cursor-move"
            onPointerDown={(e) => {
              held.current = k;
              board.current?.setPointerCapture(e.pointerId);
              setMoving(points);
            }}
            onDoubleClick={() => k > 0 && k < points.length - 1 && commit(points.filter((_, i) => i !== k))}
            onKeyDown={(e) => {
              const [dx = 0, dy = 0] =
                { ArrowLeft: [-0.02, 0], ArrowRight: [0.02, 0], ArrowUp: [0, 0.02], ArrowDown: [0, -0.02] }[
                  e.key
                ] ?? [];
              if (dx || dy) {
                e.preventDefault();
                e.stopPropagation();
                commit(put(k, [x + dx, Math.round((y + dy) * 100) / 100]));
              } else if (e.key === 'Delete' && k > 0 && k < points.length - 1) {
                e.stopPropagation();
                commit(
                  points.filter((_, i) => i !== k),
                  'remove a point',
                );
              }
            }}
          />
        ))}
      </svg>
      <label className="text-dim text-xs">
        Ready curves
        <select
          aria-label="Ready curves"
          className={inputLook}
          value={READY.find((r) => JSON.stringify(r.points) === JSON.stringify(stored))?.name ?? 'own'}
          onChange={(e) => {
            const ready = READY.find((r) => r.name === e.target.value);
            if (ready) commit(ready.points);
          }}
        >
          <option value="own">own</option>
          {READY.map((r) => (
            <option key={r.name}>{r.name}</option>
          ))}
        </select>
        <span className="mt-2 block">Press on the board for a point, double-press one to take it away.</span>
      </label>
    </div>
  );
}
