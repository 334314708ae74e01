import { Popover } from 'radix-ui';
import { useRef, useState } from 'react';
import { inputLook } from '../../ui/controls';
import { EASES, type Ease, easeName } from '../values';
import { NumberField } from './number';

const SIZE = 150;
const LOW = -0.6;
const HIGH = 1.6;
const px = (x: number) => x * SIZE;
const py = (y: number) => ((HIGH - y) / (HIGH - LOW)) * SIZE;

const handles = (ease: Ease) => ({
  leave: [ease.leave?.[0] ?? 0.4, ease.leave?.[1] ?? 0] as [number, number],
  arrive: [ease.arrive?.[0] ?? 0.35, ease.arrive?.[1] ?? 1] as [number, number],
});

interface EaseProps {
  label: string;
  ease: Ease;
  onDraft?: (ease: Ease) => void;
  onCommit: (ease: Ease) => void;
}

/** An ease by name, and on a press of its curve its two handles on a board. */
export function EaseChoice({ label, ease, onDraft, onCommit }: EaseProps) {
  const name = easeName(ease);
  const { leave, arrive } = handles(ease);
  return (
    <div className="flex items-center gap-1">
      <select
        aria-label={label}
        className={inputLook}
        value={name}
        onChange={(e) => onCommit(EASES.find((x) => x.name === e.target.value)?.ease ?? ease)}
      >
        {name === 'own' && <option value="own">own</option>}
        {EASES.map((x) => (
          <option key={x.name}>{x.name}</option>
        ))}
      </select>
      <Popover.Root>
        <Popover.Trigger
          aria-label={`${label}: handles`}
          className="shrink-0 rounded border border-transparent hover:border-line"
        >
          <svg width="30" height="28" viewBox="-2 -6 34 40" aria-hidden="true">
            <path
              d={`M0 28 C ${leave[0] * 30} ${28 - leave[1] * 28} ${arrive[0] * 30} ${28 - arrive[1] * 28} 30 0`}
              fill="none"
              stroke="var(--key)"
              strokeWidth="2"
            />
          </svg>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            side="top"
            sideOffset={6}
            className="z-50 w-48 rounded-lg border bg-panel p-3 shadow-2xl"
            aria-label={label}
          >
            <EaseBoard label={label} ease={ease} onDraft={onDraft} onCommit={onCommit} />
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </div>
  );
}

/** The curve from start to end: time runs to the right, the share done upward. Handles by mouse, or as numbers. */
function EaseBoard({ label, ease, onDraft, onCommit }: EaseProps) {
  const [dragged, setDragged] = useState<Ease | null>(null);
  const held = useRef<'leave' | 'arrive' | null>(null);
  const shown = handles(dragged ?? ease);
  const board = useRef<SVGSVGElement>(null);
  const round = (v: number) => Math.round(v * 1000) / 1000;

  const moved = (e: React.PointerEvent): Ease | null => {
    const box = board.current?.getBoundingClientRect();
    if (!box || !held.current) return null;
    const x = round(Math.min(1, Math.max(0, (e.clientX - box.left) / box.width)));
    const y = round(
      Math.min(HIGH, Math.max(LOW, HIGH - ((e.clientY - box.top) / box.height) * (HIGH - LOW))),
    );
    return { ...shown, [held.current]: [x, y] };
  };
  return (
    <>
      <svg
        ref={board}
        width={SIZE}
        height={SIZE}
        className="mx-auto block touch-none overflow-visible rounded bg-bark"
        role="group"
        aria-label={`${label}: curve`}
        onPointerMove={(e) => {
          const next = moved(e);
          if (!next) return;
          setDragged(next);
          onDraft?.(next);
        }}
        onPointerUp={(e) => {
          const next = moved(e);
          held.current = null;
          setDragged(null);
          if (next) onCommit(next);
        }}
      >
        <path
          d={`M0 ${py(0)}H${SIZE}M0 ${py(1)}H${SIZE}`}
          stroke="var(--line)"
          strokeDasharray="3 3"
          fill="none"
        />
        <path
          d={`M0 ${py(0)}L${px(shown.leave[0])} ${py(shown.leave[1])}M${SIZE} ${py(1)}L${px(shown.arrive[0])} ${py(shown.arrive[1])}`}
          stroke="var(--dim)"
          fill="none"
        />
        <path
          d={`M0 ${py(0)}C${px(shown.leave[0])} ${py(shown.leave[1])} ${px(shown.arrive[0])} ${py(shown.arrive[1])} ${SIZE} ${py(1)}`}
          stroke="var(--key)"
          strokeWidth="2.5"
          fill="none"
        />
        {(['leave', 'arrive'] as const).map((which) => (
          <circle
            key={which}
            data-handle={which}
            cx={px(shown[which][0])}
            cy={py(shown[which][1])}
            r="6"
            fill="var(--bark)"
            stroke="var(--ink)"
            strokeWidth="2"
            className="cursor-move"
            onPointerDown={(e) => {
              held.current = which;
              board.current?.setPointerCapture(e.pointerId);
            }}
          />
        ))}
      </svg>
      <div className="mt-2 grid grid-cols-2 gap-1">
        {(['leave', 'arrive'] as const).flatMap((which) =>
          [0, 1].map((k) => (
            <NumberField
              key={`${which}${k}`}
              label={`${label}: ${which} ${k ? 'height' : 'time'}`}
              value={shown[which][k] as number}
              min={k ? -10 : 0}
              max={k ? 10 : 1}
              onCommit={(v) =>
                onCommit({
                  ...shown,
                  [which]: shown[which].map((old, i) => (i === k ? v : old)) as [number, number],
                })
              }
            />
          )),
        )}
      </div>
    </>
  );
}
