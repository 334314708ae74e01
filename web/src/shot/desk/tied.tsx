import { useQuery } from '@tanstack/react-query';
import { Unlink } from 'lucide-react';
import { useEffect, useId, useRef, useState } from 'react';
import { api, ok } from '../../api/client';
import { Dialog, Hint, inputLook } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import { type Formula, type Link, nameOf } from '../values';
import { NumberField } from './number';

/** What formulas of this shot may name. It changes when steps come and go. */
export function useFormulaWords() {
  const store = useShotStore();
  const { id } = store.getState();
  const steps = useShot((s) => s.document?.steps?.map((step) => step.id).join() ?? '');
  return useQuery({
    queryKey: ['formula', id, steps],
    queryFn: () => ok(api.GET('/api/shots/{shot}/formula', { params: { path: { shot: id } } })),
  });
}

interface Trial {
  problem: string;
  at: number;
  frames: number[];
  lines: number[][];
}

/** What a formula would be as the value at a path. */
export async function tried(shot: string, path: string, formula: string): Promise<Trial> {
  const params = { path: { shot } };
  return ok(api.POST('/api/shots/{shot}/formula', { params, body: { path, formula } }));
}

interface FormulaProps {
  label: string;
  path: string;
  value: Formula;
  /** A formula that was typed and is not right: it is kept until it is, or given up. */
  draft?: string | undefined;
  onLeft?: (() => void) | undefined;
}

/** A value by formula: what is typed is tried as one types, and stands when it is right. What is not right stays as it was
 *  typed, and says what is wrong with it. */
export function FormulaField({ label, path, value, draft, onLeft }: FormulaProps) {
  const store = useShotStore();
  const [typed, setTyped] = useState<string | null>(draft ?? null);
  const [focused, setFocused] = useState(false);
  const [trial, setTrial] = useState<Trial | null>(null);
  const [caret, setCaret] = useState(0);
  const input = useRef<HTMLTextAreaElement>(null);
  const list = useId();
  const text = typed ?? value.formula;
  const { data: words } = useFormulaWords();

  useEffect(() => {
    if (typed === null) return;
    let gone = false;
    const timer = window.setTimeout(async () => {
      try {
        const found = await tried(store.getState().id, path, typed);
        if (!gone) setTrial(found);
        if (!gone && !found.problem) store.preview([{ op: 'replace', path, value: { formula: typed } }]);
      } catch {
        if (!gone) setTrial(null);
      }
    }, 120);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [typed, path, store]);

  const word = /[a-z_]\w*$/i.exec(text.slice(0, caret))?.[0] ?? '';
  const known = { ...words?.names, ...words?.functions };
  const offered =
    typed === null || !word ? [] : Object.keys(known).filter((k) => k.startsWith(word) && k !== word);
  const complete = (name: string) => {
    const call = words?.functions[name] ? `${name}(` : name;
    const next = text.slice(0, caret - word.length) + call + text.slice(caret);
    setTyped(next);
    setCaret(caret - word.length + call.length);
    input.current?.focus();
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when it comes with what was typed elsewhere
  useEffect(() => {
    if (draft !== undefined) input.current?.focus();
  }, []);
  const leave = () => {
    setTyped(null);
    setTrial(null);
    onLeft?.();
  };
  /** Let it stand. Answers whether it is right: what was typed last may not have been tried yet. */
  const commit = async (): Promise<boolean> => {
    if (typed !== null && (typed !== value.formula || draft !== undefined)) {
      const found = await tried(store.getState().id, path, typed).catch(() => null);
      setTrial(found);
      if (!found || found.problem) return false;
      store.edit([{ op: 'replace', path, value: { formula: typed } }], `formula of ${label}`);
    }
    leave();
    return true;
  };
  return (
    <div className="relative">
      <textarea
        ref={input}
        rows={Math.min(6, Math.max(1, Math.ceil(text.length / COLUMNS)))}
        aria-label={`${label}: formula`}
        aria-invalid={Boolean(trial?.problem)}
        aria-describedby={trial?.problem ? `${list}-wrong` : undefined}
        aria-controls={offered.length ? list : undefined}
        spellCheck={false}
        autoComplete="off"
        className={`${inputLook} h-auto! resize-none overflow-hidden break-all py-1 font-mono leading-tight ${trial?.problem ? 'border-warn' : 'border-moss'}`}
        value={text}
        onFocus={() => {
          setFocused(true);
          setTyped((before) => before ?? value.formula);
        }}
        onChange={(e) => {
          setTyped(e.target.value);
          setCaret(e.target.selectionStart ?? e.target.value.length);
        }}
        onSelect={(e) => setCaret(e.currentTarget.selectionStart ?? 0)}
        onBlur={() => {
          setFocused(false);
          void commit();
        }}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            e.preventDefault(); // a formula is one line, however long
            const field = e.currentTarget;
            void commit().then((right) => right && field.blur());
          } else if (e.key === 'Tab' && offered[0]) {
            e.preventDefault();
            complete(offered[0]);
          } else if (e.key === 'Escape') {
            leave();
            store.settle();
          }
          e.stopPropagation();
        }}
      />
      {typed !== null && !focused && trial?.problem && (
        <p role="alert" className="text-warn text-xs">
          {trial.problem}, at character {trial.at + 1}
        </p>
      )}
      {typed !== null && focused && (
        <div
          className="fixed z-40 w-80 rounded-md border bg-panel p-2 text-xs shadow-2xl"
          style={overField(input.current)}
          onPointerDown={(e) => e.preventDefault()}
        >
          <p className="mb-1 break-all font-mono text-sm" aria-hidden="true">
            {text}
          </p>
          {trial?.problem ? (
            <p id={`${list}-wrong`} role="status" className="text-warn">
              <span aria-hidden="true" className="block overflow-hidden whitespace-pre font-mono">
                {text.slice(Math.max(0, trial.at - 24), trial.at)}
                <b className="underline">{text[trial.at] ?? ' '}</b>
                {text.slice(trial.at + 1, trial.at + 12)}
              </span>
              {trial.problem}, at character {trial.at + 1}
            </p>
          ) : (
            trial && <Plot trial={trial} />
          )}
          {offered.length > 0 && (
            <ul id={list} aria-label="Words that fit" className="mt-1 max-h-32 overflow-y-auto">
              {offered.slice(0, 6).map((name, k) => (
                <li key={name}>
                  <button
                    type="button"
                    tabIndex={-1}
                    className="flex w-full gap-2 rounded px-1 py-0.5 text-left hover:bg-moss-deep"
                    onClick={() => complete(name)}
                  >
                    <b className="font-mono">{name}</b>
                    <span className="text-dim">{known[name]}</span>
                    {k === 0 && <kbd className="ml-auto text-dim">Tab</kbd>}
                  </button>
                </li>
              ))}
            </ul>
          )}
          {!word && !trial?.problem && (
            <p className="mt-1 text-dim">
              t seconds, f frame{path.includes('/offset/') && ', i letter, n letters, u 0 to 1'}; sin, noise,
              rand, clamp, mix, value(&quot;…&quot;)
            </p>
          )}
        </div>
      )}
    </div>
  );
}

const PANEL = 320;
/** About so many characters of a formula stand in a line of its field. */
const COLUMNS = 20;

/** Where the panel stands: over its field, inside the window, and not cut off by what scrolls. */
function overField(field: HTMLElement | null): React.CSSProperties {
  const box = field?.getBoundingClientRect();
  if (!box) return { visibility: 'hidden' };
  return {
    left: Math.max(8, Math.min(box.left, window.innerWidth - PANEL - 8)),
    bottom: window.innerHeight - box.top + 4,
  };
}

/** How it runs over the shot: a line for each part, or each of a row of letters. */
function Plot({ trial }: { trial: Trial }) {
  const flat = trial.lines.flat();
  if (!flat.length) return <p className="text-dim">no numbers to plot</p>;
  const low = Math.min(...flat);
  const high = Math.max(...flat);
  const range = high - low || 1;
  const width = 302;
  const height = 56;
  return (
    <figure aria-label={`runs from ${low.toPrecision(3)} to ${high.toPrecision(3)}`}>
      <svg width={width} height={height} className="block" aria-hidden="true">
        {trial.lines.map((line, k) => (
          <polyline
            key={k}
            fill="none"
            stroke={k % 3 === 1 ? 'var(--key)' : k % 3 === 2 ? 'var(--dim)' : 'var(--moss)'}
            strokeWidth="1.4"
            points={line
              .map(
                (v, i) =>
                  `${(i / Math.max(1, line.length - 1)) * width},${height - 3 - ((v - low) / range) * (height - 6)}`,
              )
              .join(' ')}
          />
        ))}
      </svg>
      <figcaption className="flex justify-between text-dim tabular-nums">
        <span>
          {low.toPrecision(3)} to {high.toPrecision(3)}
        </span>
        <span>
          frames {trial.frames[0]} to {trial.frames.at(-1)}
        </span>
      </figcaption>
    </figure>
  );
}

/** A value that follows another, times a factor, plus an offset. */
export function LinkField({
  label,
  path,
  value,
  shown,
}: {
  label: string;
  path: string;
  value: Link;
  shown: unknown;
}) {
  const store = useShotStore();
  const numeric = typeof shown === 'number' || Array.isArray(shown);
  const put = (more: Partial<Link>) =>
    store.edit([{ op: 'replace', path, value: { ...value, ...more } }], `link of ${label}`);
  return (
    <div className="flex min-w-0 items-center gap-1">
      <span
        className="h-7 min-w-0 flex-1 truncate rounded-md border border-moss bg-bark px-2 text-sm leading-6.5"
        title={value.link}
        data-testid="link"
      >
        {value.link}
      </span>
      {numeric && (
        <>
          <span className="w-12 shrink-0">
            <NumberField
              label={`${label}: factor`}
              value={value.factor ?? 1}
              step={0.05}
              min={-1e6}
              max={1e6}
              onCommit={(factor) => put({ factor })}
            />
          </span>
          <span className="w-12 shrink-0">
            <NumberField
              label={`${label}: added`}
              value={value.offset ?? 0}
              step={0.05}
              min={-1e6}
              max={1e6}
              onCommit={(offset) => put({ offset })}
            />
          </span>
        </>
      )}
      <Hint text="Cut the link; the value stays as it is here">
        <button
          type="button"
          aria-label={`${label}: cut the link`}
          className="text-dim hover:text-ink"
          onClick={() => store.edit([{ op: 'replace', path, value: shown }], `cut the link of ${label}`)}
        >
          <Unlink size={13} />
        </button>
      </Hint>
    </div>
  );
}

/** Choose what a value follows. */
export function LinkDialog({ label, path, onClose }: { label: string; path: string; onClose: () => void }) {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const [wanted, setWanted] = useState('');
  const { data: words } = useFormulaWords();
  const own = nameOf(document, path);
  const found = (words?.values ?? []).filter(
    (name) => name !== own && wanted.split(/\s+/).every((part) => name.includes(part)),
  );
  return (
    <Dialog
      open
      onOpenChange={(o) => !o && onClose()}
      title={`${label} follows`}
      about="Any value of the shot of the same kind; a number of several by its place, such as arrive/offset/move/1. The mark of a value can also be dragged onto another."
    >
      <input
        aria-label="Find a value"
        className={inputLook}
        placeholder="camera lens"
        value={wanted}
        autoFocus
        onChange={(e) => setWanted(e.target.value)}
      />
      <ul aria-label="Values" className="mt-2 h-64 overflow-y-auto rounded-md border">
        {found.slice(0, 200).map((name) => (
          <li key={name}>
            <button
              type="button"
              className="w-full px-2 py-1 text-left hover:bg-moss-deep"
              onClick={() => {
                store.edit([{ op: 'replace', path, value: { link: name } }], `link ${label}`);
                onClose();
              }}
            >
              {name}
            </button>
          </li>
        ))}
        {!found.length && <li className="p-2 text-dim">No value is called that.</li>}
      </ul>
    </Dialog>
  );
}
