import type { Draft, Span } from '../draft';
import { spanAt } from '../draft';
import type { Shot, Step } from '../open/state';
import { isKeyed, type Operation } from '../values';

type Block = Extract<Step, { kind: 'block' }>;

/** An override that changes nothing. Whole, so that the next edit finds it before the server has answered. */
export const PLAIN: Record<string, unknown> = {
  family: null,
  axes: {},
  size: 1,
  tracking: 0,
  shift: [0, 0, 0],
  turn: 0,
  weight: 0,
  depth: 1,
};

/** What stands for a part of an emblem where letters are named by their text. */
export const PART = '\u25a0';

/** A run of neighbouring letters of a block: characters `first` to `last`, and the override made for exactly them. */
export interface Run {
  step: number;
  of: string;
  first: number;
  last: number;
  override: number; // -1 while there is none
  letters: number[];
}

/** The runs that picked letters form, in reading order. */
export function runsOf(document: Shot | null, draft: Draft | null, frame: number, picked: number[]): Run[] {
  const span = draft && spanAt(draft, frame);
  if (!document?.steps || !span) return [];
  const runs: Run[] = [];
  for (const k of [...picked].sort((a, b) => a - b)) {
    const letter = span.letters[k];
    if (!letter) continue;
    const step = document.steps.findIndex((s) => s.id === span.blocks[letter.block]?.step);
    const owner = document.steps[step];
    const end = letter.first + (owner?.kind === 'block' ? letter.text.length : 1) - 1;
    const before = runs[runs.length - 1];
    if (before && before.step === step && before.last + 1 === letter.first) {
      before.last = end;
      before.letters.push(k);
    } else {
      const parts = span.letters.filter((l) => l.block === letter.block).length;
      const of =
        owner?.kind === 'block' ? textOf(owner, `/steps/${step}/text`, draft, frame) : PART.repeat(parts);
      runs.push({ step, of, first: letter.first, last: end, override: -1, letters: [k] });
    }
  }
  for (const run of runs) {
    const own = (document.steps[run.step] as Block).overrides ?? [];
    run.override = own.findIndex((o) => o.of === run.of && o.first === run.first && o.last === run.last);
  }
  return runs;
}

function textOf(block: Block, path: string, draft: Draft, frame: number): string {
  const text = isKeyed(block.text) ? draft.keyed[path]?.[frame - draft.first] : block.text;
  return String(text).normalize('NFC');
}

/** The patch that gives every run a value of its own, in overrides that are there or new ones. */
export function overriding(
  document: Shot,
  runs: Run[],
  name: string,
  value: (run: Run) => unknown,
): Operation[] {
  return runs.map((run): Operation => {
    const base = `/steps/${run.step}/overrides`;
    if (run.override < 0) {
      const { of, first, last } = run;
      return { op: 'add', path: `${base}/-`, value: { ...PLAIN, of, first, last, [name]: value(run) } };
    }
    const there = overrideOf(document, run)?.[name];
    return {
      op: there == null ? 'add' : 'replace',
      path: `${base}/${run.override}/${name}`,
      value: value(run),
    };
  });
}

function overrideOf(document: Shot, run: Run): Record<string, unknown> | undefined {
  const block = document.steps?.[run.step] as Block | undefined;
  return block?.overrides?.[run.override] as Record<string, unknown> | undefined;
}

/** What a run's override says of a value, or `otherwise`. Keyed values answer their first key. */
export function ownValue(document: Shot, run: Run, name: string, otherwise: unknown): unknown {
  const value = overrideOf(document, run)?.[name];
  if (isKeyed(value)) return value.keys[0]?.value;
  return value ?? otherwise;
}

/** The letter before another on its line; -1 at the start of a line. */
export function letterBefore(span: Span, letter: number): number {
  const own = span.letters[letter];
  const before = span.letters[letter - 1];
  return own && before && before.block === own.block && before.line === own.line ? letter - 1 : -1;
}
