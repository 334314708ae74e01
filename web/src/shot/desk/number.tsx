import { useLayoutEffect, useRef, useState } from 'react';
import { inputLook } from '../../ui/controls';

interface NumberProps {
  label: string;
  value: number;
  step?: number;
  min?: number;
  max?: number;
  decimals?: number;
  id?: string;
  keyed?: boolean;
  unit?: string;
  onDraft?: (value: number) => void;
  onCommit: (value: number) => void;
  onFormula?: (formula: string) => void; // what was typed after an equals sign
}

const DRAG_FROM = 3;

/** A number to drag sideways, type, or step with the arrow keys. A drag is a draft; its release is one edit. */
export function NumberField({
  label,
  value,
  step = 0.01,
  min = -1e5,
  max = 1e5,
  decimals = 2,
  id,
  keyed,
  unit,
  onDraft,
  onCommit,
  onFormula,
}: NumberProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const [dragged, setDragged] = useState<number | null>(null);
  const drag = useRef<{ x: number; from: number; moved: boolean } | null>(null);
  const entered = useRef<HTMLInputElement | null>(null);
  // At once when the digits of the field have come: what is typed next takes the place of all of them.
  useLayoutEffect(() => {
    entered.current?.select();
    entered.current = null;
  });
  const shown = typed ?? tidy(dragged ?? value, decimals);
  const bounded = (v: number) => Number(Math.min(max, Math.max(min, v)).toFixed(6));

  function commit(text: string) {
    setTyped(null);
    if (onFormula && text.trim().startsWith('=')) {
      onFormula(text.trim().slice(1).trim());
      return;
    }
    const number = Number(text.replace(',', '.'));
    // What is not a number, or out of bounds, goes to the server too: its answer names the bound.
    if (text.trim() === '' || Number.isNaN(number)) return;
    if (number !== value) onCommit(number);
  }

  const field = (
    <input
      id={id}
      aria-label={label}
      role="spinbutton"
      aria-valuenow={value}
      inputMode="decimal"
      autoComplete="off"
      className={`${inputLook} ${unit ? 'pr-[46%]' : ''} min-w-0 cursor-ew-resize tabular-nums focus:cursor-text ${keyed ? 'border-key' : ''}`}
      value={shown}
      onFocus={(e) => {
        entered.current = e.currentTarget;
        setTyped(tidy(value, Math.max(decimals, 3)));
      }}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={(e) => typed !== null && commit(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') commit(e.currentTarget.value);
        else if (e.key === 'Escape') {
          setTyped(null);
          e.currentTarget.blur();
        } else if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
          e.preventDefault();
          e.stopPropagation();
          const by = step * (e.shiftKey ? 10 : 1) * (e.key === 'ArrowUp' ? 1 : -1);
          const next = bounded(value + by);
          setTyped(tidy(next, Math.max(decimals, 3)));
          onCommit(next);
        }
      }}
      onPointerDown={(e) => {
        if (e.button !== 0 || document.activeElement === e.currentTarget) return;
        drag.current = { x: e.clientX, from: value, moved: false };
        e.currentTarget.setPointerCapture(e.pointerId);
        e.preventDefault();
      }}
      onPointerMove={(e) => {
        const d = drag.current;
        if (!d) return;
        const by = e.clientX - d.x;
        if (!d.moved && Math.abs(by) < DRAG_FROM) return;
        d.moved = true;
        const next = bounded(d.from + Math.round(by / 2) * step * (e.shiftKey ? 10 : 1));
        setDragged(next);
        onDraft?.(next);
      }}
      onPointerUp={(e) => {
        const d = drag.current;
        drag.current = null;
        if (d?.moved) {
          if (dragged !== null && dragged !== value) onCommit(dragged);
          setDragged(null);
        } else if (d) e.currentTarget.focus();
      }}
    />
  );
  if (!unit) return field;
  return (
    <span className="relative block">
      {field}
      <span
        aria-hidden="true"
        title={unit}
        className="pointer-events-none absolute inset-y-0 right-2 flex max-w-[44%] items-center text-right text-dim text-xs leading-none"
      >
        {unit}
      </span>
    </span>
  );
}

export function tidy(value: number, decimals: number): string {
  return String(Number(value.toFixed(decimals)));
}
