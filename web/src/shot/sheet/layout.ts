import { FACTS, KINDS } from '../../api/facts';
import type { Draft, Span } from '../draft';
import type { Step } from '../open/state';

/** Where things stand on the sheet: frames run down, a column a letter. Pure, so that it can be tested without a canvas. */
export interface Column {
  x: number;
  width: number;
  label: string;
  letter: number; // -1: not a letter
  kinds: Step['kind'][]; // of steps whose keys it shows, none for letters
}
export interface Lane {
  path: string;
  x: number;
  width: number;
  from: number; // the value at its left, and at its right
  to: number;
  part: number | null; // the one part of a vector that is shown, or all
}
/** Whose curves are open, of which one part alone is shown, and whether they fit the frames that are shown. */
export interface Curves {
  paths: string[];
  isolated: Record<string, number>;
  fitted: boolean;
}
/** What a value is called, by its path. */
export const nameOf = (path: string) => (path.split('/').pop() ?? '').replaceAll('_', ' ');
const NO_CURVES: Curves = { paths: [], isolated: {}, fitted: false };
export interface SheetLayout {
  width: number;
  height: number;
  top: number;
  perFrame: number;
  first: number; // of the frames that are shown
  last: number;
  columns: Column[];
  lanes: Lane[];
  across: boolean; // drawn with frames to the right: sheet and screen have changed their axes
}

export const AXIS = 36;
export const TOP = 26;
const TOP_ACROSS = 46;
export const LANE = 84;
const BEFORE = 24;
const WORD_GAP = 5;
const WIDEST = 22;
const LANE_EDGE = 8;
/** Rows of less than this are too low for a name each. */
const NAMED = 11;
/** Columns that stand before the letters; those that are not always there come when they have keys. */
const BEFORE_COLUMNS: { label: string; always?: boolean }[] = [
  { label: 'title', always: true },
  { label: 'move' },
  { label: 'look' },
  { label: 'env' },
  { label: 'lamp' },
  { label: 'cam', always: true },
];

const PARTS = ['all', 'place', 'turn', 'size'] as const;
const alike = (one: Float32Array, other: Float32Array) =>
  one.every((v, i) => Math.abs(v - (other[i] ?? 0)) <= 1e-4 * Math.max(1, v));

/** Does the sheet show the same of two drafts? A drag that moves no timing then leaves it alone. */
export function sameTimes(a: Draft, b: Draft): boolean {
  if (a.first !== b.first || a.last !== b.last || a.spans.length !== b.spans.length) return false;
  if (JSON.stringify([a.keyed, a.beats]) !== JSON.stringify([b.keyed, b.beats])) return false;
  return a.spans.every((one, k) => {
    const other = b.spans[k] as Span;
    return (
      one.first === other.first &&
      one.last === other.last &&
      one.letters.length === other.letters.length &&
      one.letters.every((l, i) => l.text === other.letters[i]?.text && l.word === other.letters[i]?.word) &&
      JSON.stringify([one.starts, one.rest]) === JSON.stringify([other.starts, other.rest]) &&
      one.contacts?.every((v, i) => v === other.contacts?.[i]) !== false &&
      PARTS.every((part) => alike(one.speeds[part], other.speeds[part]))
    );
  });
}

/** The frames that are shown: all of the shot, or a part of it. */
export interface Shown {
  first: number;
  last: number;
}

export function layOut(
  draft: Draft,
  span: Span,
  width: number,
  height: number,
  curves: Curves = NO_CURVES,
  keyed: Set<Step['kind']> = new Set(),
  shown: Shown = draft,
  across = false,
): SheetLayout {
  const top = across ? TOP_ACROSS : TOP;
  const before = BEFORE_COLUMNS.map((c) => ({
    ...c,
    kinds: KINDS.filter((kind) => FACTS[kind].column === c.label),
  })).filter((c) => c.always || c.kinds.some((kind) => keyed.has(kind)));
  const columns: Column[] = before.map(({ label, kinds }, k) => ({
    x: AXIS + k * BEFORE,
    width: BEFORE - 3,
    label,
    letter: -1,
    kinds,
  }));
  const begin = AXIS + before.length * BEFORE + 6;
  const gaps = span.letters.filter((_, k) => k > 0 && begins(span, k)).length * WORD_GAP;
  const { paths } = curves;
  const room = width - begin - 8 - gaps - paths.length * (LANE + 8);
  const each = Math.max(2, Math.min(WIDEST, room / Math.max(1, span.letters.length)));
  let x = begin;
  span.letters.forEach((letter, k) => {
    if (k > 0 && begins(span, k)) x += WORD_GAP;
    const label = across ? letter.text : cut(letter.text, each);
    columns.push({ x, width: Math.max(1, each - 2), label, letter: k, kinds: [] });
    x += each;
  });
  if (across && each < NAMED) nameWords(columns, span);
  return {
    width,
    height,
    top,
    first: shown.first,
    last: shown.last,
    columns,
    across,
    perFrame: (height - top - 12) / Math.max(1, shown.last - shown.first + 1),
    lanes: paths.map((path, k) => {
      const part = curves.isolated[path] ?? null;
      const all = draft.keyed[path] ?? [];
      const seen = curves.fitted ? all.slice(shown.first - draft.first, shown.last - draft.first + 1) : all;
      const flat = seen
        .flatMap((v) => (part !== null && Array.isArray(v) ? [v[part]] : v))
        .filter((v): v is number => typeof v === 'number');
      const low = Math.min(...flat);
      const high = Math.max(...flat);
      const more = (high - low || 1) * 0.12;
      const left = width - (paths.length - k) * (LANE + 8);
      // Values grow to the right, and upward where frames run across.
      const [from, to] = across ? [high + more, low - more] : [low - more, high + more];
      return { path, x: left, width: LANE, from, to, part };
    }),
  };
}

/** Does a word begin with this letter? */
function begins(span: Span, letter: number): boolean {
  const [own, before] = [span.letters[letter], span.letters[letter - 1]];
  return own?.word !== before?.word || own?.line !== before?.line || own?.block !== before?.block;
}

const GRAPHEMES = new Intl.Segmenter();

/** As much of a name as fits over a column: parts of drawings have long ones. Two characters always may stand there. */
function cut(text: string, wide: number): string {
  const all = [...GRAPHEMES.segment(text)].map(({ segment }) => segment);
  const most = Math.max(1, Math.floor((wide + 2) / 7));
  return all.length > Math.max(2, most) ? all.slice(0, most).join('') : text;
}

/** The word's name in place of its letters', where there is room below the name before. */
function nameWords(columns: Column[], span: Span) {
  let free = 0;
  for (const column of columns) {
    const letter = span.letters[column.letter];
    if (!letter) continue;
    column.label = '';
    if (!begins(span, column.letter) || column.x < free) continue;
    const own = span.letters.filter(
      (l) => l.word === letter.word && l.line === letter.line && l.block === letter.block,
    );
    column.label = own.map((l) => l.text).join('');
    free = column.x + NAMED;
  }
}

export const frameToY = (l: SheetLayout, frame: number) => l.top + (frame - l.first + 0.5) * l.perFrame;
export const yToFrame = (l: SheetLayout, y: number) =>
  Math.min(l.last, Math.max(l.first, Math.floor((y - l.top) / l.perFrame) + l.first));
export const valueToX = (lane: Lane, value: number) =>
  lane.x + LANE_EDGE + ((value - lane.from) / (lane.to - lane.from)) * (lane.width - 2 * LANE_EDGE);
export const xToValue = (lane: Lane, x: number) =>
  lane.from + ((x - lane.x - LANE_EDGE) / (lane.width - 2 * LANE_EDGE)) * (lane.to - lane.from);

/** The frames shown after a zoom by a factor about one of them. */
export function zoomed(whole: Shown, shown: Shown, about: number, factor: number): Shown {
  const span = Math.max(8, Math.round((shown.last - shown.first) * factor));
  if (span >= whole.last - whole.first) return { first: whole.first, last: whole.last };
  const share = (about - shown.first) / Math.max(1, shown.last - shown.first);
  const first = Math.max(whole.first, Math.min(whole.last - span, Math.round(about - share * span)));
  return { first, last: first + span };
}

/** The same number of frames, moved on. */
export function scrolled(whole: Shown, shown: Shown, by: number): Shown {
  const span = shown.last - shown.first;
  const first = Math.max(whole.first, Math.min(whole.last - span, shown.first + Math.round(by)));
  return { first, last: first + span };
}

export type Hit = { kind: 'playhead' } | { kind: 'mark'; letter: number } | { kind: 'body'; letter: number };

const MARK_REACH = 6;

/** What a press at (x, y) takes hold of: a letter's start, the moving part of its column, or else the playhead. */
export function hitAt(l: SheetLayout, span: Span, drive: string, x: number, y: number): Hit {
  const column = l.columns.find((c) => c.letter >= 0 && x >= c.x - 1 && x < c.x + c.width + 1);
  if (column && span.starts[drive]) {
    const start = frameToY(l, span.starts[drive]?.[column.letter] ?? 0);
    const rest = frameToY(l, span.rest[column.letter] ?? 0);
    if (Math.abs(y - start) <= MARK_REACH) return { kind: 'mark', letter: column.letter };
    if (y > start && y < rest) return { kind: 'body', letter: column.letter };
  }
  return { kind: 'playhead' };
}

/** A cadence's stagger, as far as the sheet changes it. `whole` above 0 decides the delay. */
export interface Stagger {
  start: number;
  delay: number;
  whole: number;
  bend: number;
}

/** By how many frames something is moved that is dragged by so many: whole ones, or so that one of its own frames meets
 *  one of those that draw it, if it comes within reach of it. */
export function snapped(by: number, own: number[], drawing: number[], reach: number): number {
  const near = drawing
    .flatMap((to) => own.map((frame) => to - frame))
    .filter((to) => Math.abs(to - by) < reach)
    .sort((a, b) => Math.abs(a - by) - Math.abs(b - by));
  return near[0] ?? Math.round(by);
}

/**
 * The stagger after a drag: the body moves it whole, the mark of a letter stretches it so that this letter's start
 * follows the hand while the first stays; with `bending` the body bends it. `rank` is the letter's place in the cadence
 * and `most` the last place.
 */
export function dragged(
  hit: Hit,
  rank: number,
  most: number,
  before: Stagger,
  by: number,
  bending = false,
): Stagger {
  const round = (v: number) => Math.round(v * 20) / 20;
  if (bending)
    return { ...before, bend: Math.max(-1, Math.min(1, Math.round((before.bend - by / 30) * 50) / 50)) };
  if (hit.kind === 'mark' && rank > 0) {
    if (before.whole > 0)
      return { ...before, whole: Math.max(1, Math.round(before.whole + (by * most) / rank)) };
    return { ...before, delay: round(before.delay + by / rank) };
  }
  return { ...before, start: Math.round(before.start + by) };
}
