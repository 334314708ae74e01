import { DropdownMenu } from 'radix-ui';
import { useRef, useState } from 'react';
import { FACTS } from '../../api/facts';
import { Hint } from '../../ui/controls';
import { toast } from '../../ui/toasts';
import { useShot, useShotStore } from '../context';
import { at, isFormula, isKeyed, isLink, isMoving, type Key, keying, nameOf } from '../values';
import type { FieldSpec } from './fields';
import { LinkDialog } from './tied';

const OUTSIDE: [string, string][] = [
  ['hold', 'holds'],
  ['repeat', 'repeats'],
  ['repeat_onward', 'repeats onward'],
  ['there_and_back', 'goes there and back'],
  ['carry_on', 'carries on'],
];
const EXPOSED: [number, string][] = [
  [1, 'on ones'],
  [2, 'on twos'],
  [3, 'on threes'],
  [4, 'on fours'],
];

const SPREAD = [0, 0.5, 1, 1.5, 2, 3, 4, 6, 8, 12, -0.5, -1, -2, -3, -4, -6];

function spreads(now: number): [number, string][] {
  const all = SPREAD.includes(now) ? SPREAD : [...SPREAD, now];
  return all.map((by) => [
    by,
    by === 0 ? 'all at once' : `${Math.abs(by)} frames a letter${by < 0 ? ', from the last' : ''}`,
  ]);
}

/** The mark of a value (a ring: keyed; f: formula; a link), and the menu of what can be done with it. */
export function Marks({ field, path, shown }: { field: FieldSpec; path: string; shown: unknown }) {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const owner = document?.steps?.[Number(path.split('/')[2])];
  const byLetter = owner && FACTS[owner.kind].by_letter;
  const frame = useShot((s) => s.frame);
  const copied = useShot((s) => s.copied);
  const [linking, setLinking] = useState(false);
  const stored = at(document, path) ?? field.start;
  const keyed = isKeyed(stored);
  const here = keyed && stored.keys.some((k) => k.frame === frame);
  const put = (value: unknown, what: string) =>
    store.edit([{ op: 'replace', path, value }], `${what} ${field.label}`);
  const key = keyed ? stored.keys.findIndex((k) => k.frame === frame) : -1;
  const one = keyed ? (stored.keys[key] as Key | undefined) : undefined;

  return (
    <>
      <Mark
        field={field}
        path={path}
        kind={keyed ? 'keys' : isFormula(stored) ? 'formula' : isLink(stored) ? 'link' : 'constant'}
        here={here}
        onPress={() => store.edit(keying(document, path, frame, shown), `key ${field.label}`)}
      />
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          aria-label={`${field.label}: more`}
          className="grid size-4.5 place-items-center rounded text-dim opacity-55 hover:opacity-100 focus-visible:opacity-100 data-[state=open]:opacity-100"
        >
          <svg width="10" height="10" aria-hidden="true">
            <path d="M2 3.5 L5 6.5 L8 3.5" fill="none" stroke="currentColor" strokeWidth="1.5" />
          </svg>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="z-50 w-56 rounded-lg border bg-panel p-1 text-sm shadow-2xl"
          >
            <Item on={() => put({ formula: plainFormula(shown) }, 'formula for')}>By formula</Item>
            <Item on={() => setLinking(true)}>Follow another value…</Item>
            {isMoving(stored) && <Item on={() => put(shown, 'fix')}>Fix at what it is now</Item>}
            <Line />
            {one && (
              <>
                <Item
                  on={() =>
                    store.edit(
                      [{ op: 'replace', path: `${path}/keys/${key}/hold`, value: !one.hold }],
                      'hold',
                    )
                  }
                >
                  {one.hold ? 'Move on to the next key' : 'Hold until the next key'}
                </Item>
                <Item
                  on={() =>
                    store.edit(
                      [{ op: 'replace', path: `${path}/keys/${key}/smooth`, value: !one.smooth }],
                      'smooth key',
                    )
                  }
                >
                  {one.smooth ? 'Handles at this key' : 'Smooth through this key'}
                </Item>
                <Line />
              </>
            )}
            {keyed && (
              <>
                <Choice
                  label="Before its keys"
                  value={stored.before}
                  options={OUTSIDE}
                  on={(v) =>
                    store.edit([{ op: 'replace', path: `${path}/before`, value: v }], 'before its keys')
                  }
                />
                <Choice
                  label="After its keys"
                  value={stored.after}
                  options={OUTSIDE}
                  on={(v) =>
                    store.edit([{ op: 'replace', path: `${path}/after`, value: v }], 'after its keys')
                  }
                />
                <Choice
                  label="Pictures"
                  value={stored.exposed ?? 1}
                  options={EXPOSED}
                  on={(v) => store.edit([{ op: 'replace', path: `${path}/exposed`, value: v }], 'pictures')}
                />
                {byLetter && (
                  <Choice
                    label="Letters"
                    value={stored.spread ?? 0}
                    options={spreads(stored.spread ?? 0)}
                    on={(v) =>
                      store.edit(
                        [{ op: 'add', path: `${path}/spread`, value: v }],
                        'spread keys over letters',
                      )
                    }
                  />
                )}
                <Line />
                <Item on={() => store.copy(stored.keys)}>Copy its keys</Item>
              </>
            )}
            <Item on={() => void store.pasteKeys([path], false)} off={!copied.length}>
              Paste keys here
            </Item>
            <Item on={() => void store.pasteKeys([path], true)} off={!copied.length}>
              Paste keys reversed
            </Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {linking && <LinkDialog label={field.label} path={path} onClose={() => setLinking(false)} />}
    </>
  );
}

/** What a value is now, as the formula to begin with. */
function plainFormula(shown: unknown): string {
  if (Array.isArray(shown)) return `(${shown.map((v) => Number(Number(v).toFixed(4))).join(', ')})`;
  return typeof shown === 'string' ? JSON.stringify(shown) : String(shown);
}

function Item({ on, off, children }: { on: () => void; off?: boolean; children: React.ReactNode }) {
  return (
    <DropdownMenu.Item
      disabled={off}
      onSelect={on}
      className="cursor-pointer rounded-md px-2.5 py-1 data-[highlighted]:bg-moss-deep data-[disabled]:opacity-45"
    >
      {children}
    </DropdownMenu.Item>
  );
}
const Line = () => <DropdownMenu.Separator className="my-1 border-t" />;

function Choice<T extends string | number>({
  label,
  value,
  options,
  on,
}: {
  label: string;
  value: T;
  options: [T, string][];
  on: (value: T) => void;
}) {
  return (
    <DropdownMenu.Sub>
      <DropdownMenu.SubTrigger className="flex cursor-pointer rounded-md px-2.5 py-1 data-[highlighted]:bg-moss-deep">
        {label}
        <span className="ml-auto text-dim">{options.find(([v]) => v === value)?.[1]} ›</span>
      </DropdownMenu.SubTrigger>
      <DropdownMenu.Portal>
        <DropdownMenu.SubContent className="z-50 w-44 rounded-lg border bg-panel p-1 text-sm shadow-2xl">
          {options.map(([v, name]) => (
            <DropdownMenu.CheckboxItem
              key={v}
              checked={v === value}
              onSelect={() => on(v)}
              className="cursor-pointer rounded-md px-2.5 py-1 data-[highlighted]:bg-moss-deep data-[state=checked]:text-moss"
            >
              {name}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.SubContent>
      </DropdownMenu.Portal>
    </DropdownMenu.Sub>
  );
}

const DRAG_FROM = 5;

/** Pressed, it sets or takes away a key; dragged onto the mark of another value, this value follows that one. */
function Mark({
  field,
  path,
  kind,
  here,
  onPress,
}: {
  field: FieldSpec;
  path: string;
  kind: 'keys' | 'formula' | 'link' | 'constant';
  here: boolean;
  onPress: () => void;
}) {
  const store = useShotStore();
  const from = useRef<{ x: number; y: number; moved: boolean } | null>(null);
  const [drag, setDrag] = useState<{ x: number; y: number } | null>(null);
  const what = {
    keys: here ? 'take the key at this frame away' : 'set a key at this frame',
    formula: 'key this value instead of its formula',
    link: 'key this value instead of its link',
    constant: 'key this value',
  }[kind];

  function drop(e: React.PointerEvent) {
    const target = window.document.elementFromPoint(e.clientX, e.clientY)?.closest('[data-path]');
    const other = target?.getAttribute('data-path');
    if (!other || other === path) {
      toast('Drop the mark on the mark of another value: this one then follows it.');
      return;
    }
    const link = nameOf(store.getState().document, other);
    store.edit([{ op: 'replace', path, value: { link } }], `link ${field.label}`);
  }
  return (
    <Hint text={`${what}; drag it onto another value to follow that`}>
      <button
        type="button"
        aria-label={`${field.label}: ${what}`}
        aria-pressed={kind === 'keys'}
        data-mark={kind}
        onClick={() => !from.current?.moved && onPress()}
        onPointerDown={(e) => {
          from.current = { x: e.clientX, y: e.clientY, moved: false };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => {
          const f = from.current;
          if (!f || !e.buttons) return;
          if (Math.hypot(e.clientX - f.x, e.clientY - f.y) > DRAG_FROM) f.moved = true;
          if (f.moved) setDrag({ x: e.clientX, y: e.clientY });
        }}
        onPointerUp={(e) => {
          if (from.current?.moved) drop(e);
          setDrag(null);
        }}
        className="grid size-4.5 touch-none place-items-center rounded"
      >
        <svg width="12" height="12" aria-hidden="true">
          {kind === 'formula' ? (
            <text x="6" y="10" textAnchor="middle" fontSize="12" fontStyle="italic" fill="var(--moss)">
              f
            </text>
          ) : kind === 'link' ? (
            <path
              d="M5 3.2 a2.6 2.6 0 1 0 0 5.6 M7 3.2 a2.6 2.6 0 1 1 0 5.6 M4 6 H8"
              fill="none"
              stroke="var(--moss)"
              strokeWidth="1.6"
            />
          ) : (
            <circle
              cx="6"
              cy="6"
              r="4"
              fill={here ? 'var(--key)' : 'none'}
              stroke={kind === 'keys' ? 'var(--key)' : 'var(--dim)'}
              strokeWidth={kind === 'keys' ? 2 : 1.3}
              strokeDasharray={kind === 'keys' ? undefined : '2 1.6'}
            />
          )}
        </svg>
        {drag && (
          <svg className="pointer-events-none fixed inset-0 z-50 h-full w-full" aria-hidden="true">
            <line
              x1={from.current?.x}
              y1={from.current?.y}
              x2={drag.x}
              y2={drag.y}
              stroke="var(--moss)"
              strokeWidth="2"
              strokeDasharray="5 4"
            />
          </svg>
        )}
      </button>
    </Hint>
  );
}
