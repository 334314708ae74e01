import { useEffect, useId, useRef, useState } from 'react';
import { placeOf } from '../../help/pages';
import { inputLook } from '../../ui/controls';
import { toast } from '../../ui/toasts';
import { useShot, useShotStore } from '../context';
import { spanAt } from '../draft';
import type { Shot } from '../open/state';
import { at, type Ease, isFormula, isKeyed, isLink, isMoving, now, setting } from '../values';
import { EmblemField, PictureField } from './assets';
import { EaseChoice } from './ease';
import { FamilyField } from './families';
import type { FieldSpec } from './fields';
import { Marks } from './marks';
import { NumberField, tidy } from './number';
import { FormulaField, LinkField, tried } from './tied';

/** The step that a pointer goes into. */
function stepOf(document: Shot | null, pointer: string) {
  return document?.steps?.[Number(pointer.split('/')[2])];
}

/** One value of the document: its control, its key mark, and the ease after the key at the playhead. */
export function ValueField({ field, base }: { field: FieldSpec; base: string }) {
  const store = useShotStore();
  const path = base + field.path;
  const document = useShot((s) => s.document);
  const frame = useShot((s) => s.frame);
  const draft = useShot((s) => s.draft);
  const open = useShot((s) => s.lanes.includes(path));
  const label = useId();
  const stored = at(document, path) ?? field.start;
  const keyed = isKeyed(stored);
  const shown = now({ document, draft, frame }, path) ?? field.start;
  const key = keyed ? stored.keys.findIndex((k) => k.frame === frame) : -1;

  const commit = (value: unknown) => store.edit(setting(document, path, frame, value), `${field.label}`);
  const preview = (value: unknown) => store.preview(setting(document, path, frame, value));
  const [drafted, setDrafted] = useState<string | null>(null);
  /** Let a formula that was typed into another field stand; one that is not right is kept where its errors are told. */
  async function byFormula(formula: string) {
    const found = await tried(store.getState().id, path, formula).catch(() => null);
    if (found && !found.problem) commit({ formula });
    else setDrafted(formula);
  }
  const span = field.wide || field.kind === 'vector' ? 'col-span-2' : '';

  return (
    <div className={`flex flex-col justify-end ${span}`} data-path={path}>
      <div data-marks className="mb-0.5 flex min-h-4.5 items-end gap-1.5 text-dim text-xs leading-tight">
        {/* biome-ignore lint/a11y/noStaticElementInteractions: by keyboard F1 does it */}
        {/* biome-ignore lint/a11y/useKeyWithClickEvents: by keyboard F1 does it */}
        <span
          id={label}
          data-label
          title="what this is: press, or F1 in the field"
          className="min-w-0 flex-1 cursor-help hyphens-auto break-words"
          onClick={() => {
            const kind = stepOf(document, base)?.kind;
            if (kind) store.explain(placeOf(kind, field.path));
          }}
        >
          {field.label}
          {field.unit && field.kind !== 'number' && <span className="ml-1.5">{field.unit}</span>}
        </span>
        {isMoving(stored) && (field.kind === 'number' || field.kind === 'vector') && (
          <button
            type="button"
            aria-pressed={open}
            aria-label={`${field.label}: curve`}
            title="curve"
            className={`grid size-4.5 shrink-0 place-items-center rounded ${open ? 'bg-moss-deep text-ink' : ''}`}
            onClick={() => store.setLane(path)}
          >
            <svg width="12" height="12" aria-hidden="true">
              <path d="M1 10 C 5 10 6 2 11 2" fill="none" stroke="currentColor" strokeWidth="1.6" />
            </svg>
          </button>
        )}
        {field.kind !== 'ease' && field.kind !== 'feature' && !field.plain && (
          <Marks field={field} path={path} shown={shown} />
        )}
      </div>
      {isFormula(stored) || drafted !== null ? (
        <FormulaField
          key={String(drafted)}
          label={field.label}
          path={path}
          value={isFormula(stored) ? stored : { formula: '' }}
          draft={drafted ?? undefined}
          onLeft={() => setDrafted(null)}
        />
      ) : isLink(stored) ? (
        <LinkField label={field.label} path={path} value={stored} shown={shown} />
      ) : (
        <Control
          field={field}
          path={path}
          label={label}
          shown={shown}
          keyed={keyed}
          commit={commit}
          preview={preview}
          onFormula={(formula) => void byFormula(formula)}
        />
      )}
      {key >= 0 &&
        keyed &&
        key < stored.keys.length - 1 &&
        (field.kind === 'number' || field.kind === 'vector' || field.kind === 'colour') && (
          <EaseChoice
            label={`ease after this key of ${field.label}`}
            ease={(stored.keys[key] as { ease: Ease }).ease}
            onDraft={(ease) =>
              store.preview([{ op: 'replace', path: `${path}/keys/${key}/ease`, value: ease }])
            }
            onCommit={(ease) =>
              store.edit(
                [{ op: 'replace', path: `${path}/keys/${key}/ease`, value: ease }],
                `ease of ${field.label}`,
              )
            }
          />
        )}
    </div>
  );
}

interface ControlProps {
  field: FieldSpec;
  path: string;
  label: string;
  shown: unknown;
  keyed: boolean;
  commit: (value: unknown) => void;
  preview: (value: unknown) => void;
  onFormula?: (formula: string) => void;
}

/** The control of a kind of value. `path` says where in the document it stands. */
export function Control({ field, path, label, shown, keyed, commit, preview, onFormula }: ControlProps) {
  const document = useShot((s) => s.document);
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  switch (field.kind) {
    case 'number':
      return (
        <NumberField
          label={field.label}
          value={Number(shown)}
          step={field.step}
          min={field.min}
          max={field.max}
          decimals={field.decimals}
          keyed={keyed}
          onDraft={preview}
          onCommit={commit}
          unit={field.unit}
          onFormula={onFormula}
        />
      );
    case 'vector': {
      const value = (shown as number[]) ?? [];
      const put = (k: number, v: number) => value.map((old, i) => (i === k ? v : old));
      return (
        <div className="flex gap-1" role="group" aria-labelledby={label}>
          {field.parts?.map((part, k) => (
            <NumberField
              key={part}
              label={`${field.label} ${part}`}
              value={value[k] ?? 0}
              step={field.step}
              min={field.min}
              max={field.max}
              decimals={field.decimals}
              keyed={keyed}
              onDraft={(v) => preview(put(k, v))}
              onCommit={(v) => commit(put(k, v))}
              onFormula={
                onFormula &&
                ((formula) =>
                  onFormula(`(${value.map((old, i) => (i === k ? formula : tidy(old, 6))).join(', ')})`))
              }
            />
          ))}
        </div>
      );
    }
    case 'choice':
      return (
        <select
          aria-labelledby={label}
          className={`${inputLook} ${keyed ? 'border-key' : ''}`}
          value={String(shown)}
          onChange={(e) => commit(field.whole ? Number(e.target.value) : e.target.value)}
        >
          {field.options?.map((o) => (
            <option key={o.value} value={o.value}>
              {o.name}
            </option>
          ))}
        </select>
      );
    case 'switch':
      return (
        <button
          type="button"
          role="switch"
          aria-checked={Boolean(shown)}
          aria-labelledby={label}
          className={`flex h-7 items-center gap-2 rounded-full text-sm ${keyed ? 'text-key' : ''}`}
          onClick={() => commit(!shown)}
        >
          <SwitchLook on={Boolean(shown)} />
          {shown ? 'yes' : 'no'}
        </button>
      );
    case 'colour':
      return (
        <ColourField
          label={label}
          value={shown as number[]}
          keyed={keyed}
          commit={commit}
          preview={preview}
        />
      );
    case 'feature':
      return (
        <button
          type="button"
          role="switch"
          aria-checked={Boolean(shown)}
          aria-labelledby={label}
          className="flex h-7 items-center gap-2 rounded-full text-sm"
          onClick={() => commit(shown ? 0 : 1)}
        >
          <SwitchLook on={Boolean(shown)} />
          {shown ? 'on' : 'off'}
        </button>
      );
    case 'text':
      return <TextField label={label} path={path} value={String(shown)} commit={commit} preview={preview} />;
    case 'family': {
      const words = now({ document, draft, frame }, `/${path.split('/').slice(1, 3).join('/')}/text`);
      return <FamilyField value={shown ? String(shown) : ''} text={String(words ?? '')} onCommit={commit} />;
    }
    case 'emblem':
      return <EmblemField value={shown ? String(shown) : ''} none={field.none} onCommit={commit} />;
    case 'picture':
      return (
        <PictureField
          label={label}
          value={shown ? String(shown) : null}
          none={field.none}
          onCommit={commit}
        />
      );
    case 'ease':
      return <EaseChoice label={field.label} ease={shown as Ease} onDraft={preview} onCommit={commit} />;
  }
}

function SwitchLook({ on }: { on: boolean }) {
  return (
    <span
      aria-hidden="true"
      className={`inline-block h-4 w-7 rounded-full border p-px ${on ? 'border-moss bg-moss' : 'border-dim bg-bark'}`}
    >
      <span
        className={`block size-3 rounded-full motion-safe:transition-transform ${on ? 'translate-x-3 bg-on-moss' : 'bg-dim'}`}
      />
    </span>
  );
}

function TextField({
  label,
  path,
  value,
  commit,
  preview,
}: {
  label: string;
  path: string;
  value: string;
  commit: (v: string) => void;
  preview: (v: string) => void;
}) {
  const store = useShotStore();
  const [typed, setTyped] = useState<string | null>(null);
  const timer = useRef(0);
  const last = useRef(value);
  const begun = useRef(value);
  useEffect(() => () => clearTimeout(timer.current), []);
  /** A shot that was named after its text is offered the name of the new one. */
  const offerName = (text: string) => {
    const title = store.getState().document?.title;
    const name = named(text);
    if (!path.endsWith('/text') || !name || name === title || title !== named(begun.current)) return;
    toast(`The shot is still called ${title}.`, 'note', {
      label: `Call it ${name}`,
      run: () => store.edit([{ op: 'replace', path: '/title', value: name }], 'rename'),
    });
  };
  /** Letters selected in the text are picked on the stage too. */
  const pick = (from: number, to: number) => {
    const { draft, frame, document } = store.getState();
    const span = draft && spanAt(draft, frame);
    const block = span?.blocks.findIndex(
      (b) => path === `/steps/${document?.steps?.findIndex((s) => s.id === b.step)}/text`,
    );
    if (!span || block === undefined || from === to) return;
    store.pick(
      span.letters.flatMap((l, k) =>
        l.block === block && l.first < to && l.first + l.text.length > from ? [k] : [],
      ),
    );
  };
  const send = (text: string) => {
    clearTimeout(timer.current);
    if (text !== last.current) {
      last.current = text;
      commit(text);
    }
  };
  return (
    <textarea
      aria-labelledby={label}
      data-testid={path.endsWith('/text') ? 'title-text' : undefined}
      rows={2}
      maxLength={2000}
      spellCheck={false}
      className={`${inputLook} h-auto min-h-12 resize-y py-1 text-base`}
      value={typed ?? value}
      onFocus={() => {
        last.current = value;
        begun.current = value;
        setTyped(value);
      }}
      onChange={(e) => {
        const text = e.target.value;
        setTyped(text);
        clearTimeout(timer.current);
        if (text.trim() || !path.endsWith('/text')) {
          preview(text);
          timer.current = window.setTimeout(() => send(text), 600);
        }
      }}
      onSelect={(e) => pick(e.currentTarget.selectionStart, e.currentTarget.selectionEnd)}
      onBlur={() => {
        if (typed !== null) {
          send(typed);
          offerName(typed);
        }
        setTyped(null);
      }}
      onKeyDown={(e) => e.key !== 'Escape' || e.currentTarget.blur()}
    />
  );
}

/** The name that a shot gets from its text. */
const named = (text: string) => (text.trim().split('\n')[0] ?? '').slice(0, 200);

const toHex = (linear: number[]) =>
  `#${linear
    .map((c) =>
      Math.round((c <= 0.0031308 ? c * 12.92 : 1.055 * c ** (1 / 2.4) - 0.055) * 255)
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;
const fromHex = (hex: string) =>
  [1, 3, 5].map((i) => {
    const c = Number.parseInt(hex.slice(i, i + 2), 16) / 255;
    return Number((c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4).toFixed(5));
  });

/** The browser's colour field speaks sRGB; the document is scene-linear. */
function ColourField({
  label,
  value,
  keyed,
  commit,
  preview,
}: {
  label: string;
  value: number[];
  keyed: boolean;
  commit: (v: number[]) => void;
  preview: (v: number[]) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const shown = typed ?? toHex(value ?? [0, 0, 0]);
  const timer = useRef(0);
  return (
    <div className="flex gap-1">
      <input
        type="color"
        aria-labelledby={label}
        value={shown}
        className={`h-7 w-full rounded-md border bg-bark p-0.5 ${keyed ? 'border-key' : ''}`}
        onChange={(e) => {
          const hex = e.target.value;
          setTyped(hex);
          preview(fromHex(hex));
          clearTimeout(timer.current);
          timer.current = window.setTimeout(() => {
            setTyped(null);
            commit(fromHex(hex));
          }, 400);
        }}
      />
    </div>
  );
}
