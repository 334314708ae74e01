import type { Draft, Span } from '../draft';

/** Where things stand on the sheet: frames run down, a column a letter. Pure, so that it can be tested without a canvas. */
export interface Column {
  x: number;
  width: number;
  label: string;
  letter: number; // -1: not a letter
  step: string; // kind of step whose keys it shows, '' for letters
}
export interface SheetLayout {
  width: number;
  height: number;
  top: number;
  perFrame: number;
  first: number;
  last: number;
  columns: Column[];
  lane: { x: number; width: number } | null;
}

export const AXIS = 36;
export const TOP = 26;
const BEFORE = 24;
const LANE = 62;
const WORD_GAP = 5;
const WIDEST = 22;
const BEFORE_COLUMNS: [string, string][] = [
  ['title', 'block'],
  ['cam', 'camera'],
  ['env', 'environment'],
  ['lamp', 'lights'],
];

/** Does the sheet show the same of two drafts? A drag that moves no timing then leaves it alone. */
export function sameTimes(a: Draft, b: Draft): boolean {
  if (a.first !== b.first || a.last !== b.last || a.spans.length !== b.spans.length) return false;
  if (JSON.stringify(a.keyed) !== JSON.stringify(b.keyed)) return false;
  return a.spans.every((one, k) => {
    const other = b.spans[k] as Span;
    return (
      one.first === other.first &&
      one.last === other.last &&
      one.letters.length === other.letters.length &&
      one.letters.every((l, i) => l.text === other.letters[i]?.text && l.word === other.letters[i]?.word) &&
      JSON.stringify([one.starts, one.rest]) === JSON.stringify([other.starts, other.rest]) &&
      one.speeds.every((v, i) => Math.abs(v - (other.speeds[i] ?? 0)) <= 1e-4 * Math.max(1, v))
    );
  });
}

export function layOut(draft: Draft, span: Span, width: number, height: number, lane: boolean): SheetLayout {
  const columns: Column[] = BEFORE_COLUMNS.map(([label, step], k) => ({
    x: AXIS + k * BEFORE,
    width: BEFORE - 3,
    label,
    letter: -1,
    step,
  }));
  const begin = AXIS + BEFORE_COLUMNS.length * BEFORE + 6;
  const gaps = span.letters.filter((l, k) => k > 0 && l.word !== span.letters[k - 1]?.word).length * WORD_GAP;
  const room = width - begin - 8 - gaps - (lane ? LANE + 8 : 0);
  const each = Math.max(2, Math.min(WIDEST, room / Math.max(1, span.letters.length)));
  let x = begin;
  span.letters.forEach((letter, k) => {
    if (k > 0 && letter.word !== span.letters[k - 1]?.word) x += WORD_GAP;
    columns.push({ x, width: Math.max(1, each - 2), label: letter.text, letter: k, step: '' });
    x += each;
  });
  return {
    width,
    height,
    top: TOP,
    first: draft.first,
    last: draft.last,
    columns,
    perFrame: (height - TOP - 12) / Math.max(1, draft.last - draft.first + 1),
    lane: lane ? { x: x + 8, width: LANE } : null,
  };
}

export const frameToY = (l: SheetLayout, frame: number) => l.top + (frame - l.first + 0.5) * l.perFrame;
export const yToFrame = (l: SheetLayout, y: number) =>
  Math.min(l.last, Math.max(l.first, Math.floor((y - l.top) / l.perFrame) + l.first));

export type Hit = { kind: 'playhead' } | { kind: 'mark'; letter: number } | { kind: 'body'; letter: number };

const MARK_REACH = 6;

/** What a press at (x, y) takes hold of: a letter's start, the moving part of its column, or else the playhead. */
export function hitAt(l: SheetLayout, span: Span, drive: string, x: number, y: number): Hit {
  const column = l.columns.find((c) => c.letter >= 0 && x >= c.x - 1 && x < c.x + c.width + 1);
  if (column) {
    const start = frameToY(l, span.starts[drive]?.[column.letter] ?? 0);
    const rest = frameToY(l, span.rest[column.letter] ?? 0);
    if (Math.abs(y - start) <= MARK_REACH) return { kind: 'mark', letter: column.letter };
    if (y > start && y < rest) return { kind: 'body', letter: column.letter };
  }
  return { kind: 'playhead' };
}

/**
 * The stagger after a drag: the body moves it whole, the mark of a letter stretches it so that this letter's start
 * follows the hand while the first stays. `rank` is the letter's place in the cadence.
 */
export function dragged(
  hit: Hit,
  rank: number,
  start: number,
  delay: number,
  by: number,
): { start: number; delay: number } {
  const half = (v: number) => Math.round(v * 20) / 20;
  if (hit.kind === 'mark' && rank > 0) return { start, delay: half(delay + by / rank) };
  return { start: Math.round(start + by), delay };
}
