/** The draft as the core packs it: a JSON head and float32 tables. Nothing here computes a rule of the job. */

import type { Schemas } from '../api/client';
import { TABLES } from '../api/facts';
import { chunkLength, chunkOf, keepChunk } from './picture/swelling';

export type Surface = Schemas['SurfaceDrawn'];
export type PartSurface = Schemas['PartSurface'];
export type Images = Schemas['ImagesDrawn'];
export type Grain = Schemas['GrainDrawn'];
export type HandlesDrawn = Schemas['HandlesDrawn'];
export type LetterAtRest = Schemas['LetterAtRest'];
export type Lamp = Schemas['LampDrawn'];
export type Ground = Look['grounds'][number];
export type Haze = Schemas['HazeDrawn'];
export type Look = Schemas['LookDrawn'];
export type Backdrop = Schemas['BackdropDrawn'];
type SeenSpanHead = Schemas['SeenSpanHead'];
type SpanHead = Schemas['SpanHead'];
type SeenHead = Schemas['SeenHead'];
type Head = Schemas['DraftHead'];

/** What a letter does at a frame: it meets another, goes into floor or wall, or is out of the frame. */
export const CONTACT = TABLES.contacts;
/** How fast letters are by all of their motion, and by each part of it alone. */
export type Speeds = Record<'all' | 'place' | 'turn' | 'size', Float32Array>;
export interface SeenSpan extends SeenSpanHead {
  poses: Float32Array; // frames x letters x 16, column by column
  fades: boolean; // does any letter let light through?
  wear: Float32Array | null; // frames x letters x columns of wear
  rows: Float32Array | null; // frames x letters x bends x numbers of a row: what bends them
  ways: Float32Array | null; // frames x pieces x numbers of a way: where pieces of letters then are
}
export interface Span extends SpanHead, SeenSpan {
  speeds: Speeds; // each frames x letters, cap heights a second
  contacts: Float32Array; // frames x letters: bits of CONTACT
  away: Float32Array | null; // frames x letters: the share of their pieces that is away
}
export interface Seen extends Omit<SeenHead, 'spans'> {
  spans: SeenSpan[];
  camera: Float32Array;
  at: number; // when it was read, by performance.now()
}
export interface Draft extends Omit<Head, 'spans'>, Seen {
  spans: Span[];
}

const WEAR = TABLES.wear;
const BEND = TABLES.bend;
const OPACITY = WEAR.indexOf('opacity');

/** Split a framed message: length of the head, the head, the body. */
export function unframe(buffer: ArrayBuffer): { head: unknown; body: ArrayBuffer } {
  const length = new DataView(buffer).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  return { head, body: buffer.slice(4 + length) };
}

/** Tables of floats, one after the other. */
function tablesOf(body: ArrayBuffer) {
  let place = 0;
  return (count: number) => {
    const table = new Float32Array(body, place, count);
    place += count * 4;
    return table;
  };
}

function seenIn(facts: SeenHead, take: (count: number) => Float32Array): Seen {
  const spans = facts.spans.map((span) => {
    const cells = cellsOf(span);
    const poses = take(cells * TABLES.pose);
    const wear = span.worn ? take(cells * WEAR.length) : null;
    const rows = span.bends ? take(cells * span.bends * BEND.row) : null;
    const ways = span.pieces ? take((span.last - span.first + 1) * span.pieces * TABLES.way) : null;
    const fades = wear?.some((v, k) => k % WEAR.length === OPACITY && v < 1) ?? false;
    return { ...span, poses, wear, rows, ways, fades };
  });
  const camera = take((facts.last - facts.first + 1) * TABLES.pose);
  for (const [address, [vertices, letters]] of Object.entries(facts.sent ?? {}))
    keepChunk(address, chunkOf(take(chunkLength(vertices, letters)), vertices, letters));
  return { ...facts, spans, camera, at: performance.now() };
}
const cellsOf = (span: SeenSpanHead) => (span.last - span.first + 1) * span.letters.length;

/** What comes first of a draft: its picture. */
export function readSeen(buffer: ArrayBuffer): Seen {
  const { head, body } = unframe(buffer);
  return seenIn(head as SeenHead, tablesOf(body));
}

/** Read a draft. Where its picture has come before, that is made whole: it stays the same object, and nothing that is
 *  drawn already is drawn again. */
export function readDraft(buffer: ArrayBuffer, seen?: Seen): Draft {
  const { head, body } = unframe(buffer);
  const facts = head as Head;
  const take = tablesOf(body);
  const picture = seenIn(facts, take);
  const spans = facts.spans.map((span, k) => {
    const cells = cellsOf(span);
    const speeds = Object.fromEntries(TABLES.speeds.map((name) => [name, take(cells)])) as Speeds;
    const more = { speeds, contacts: take(cells), away: span.pieces ? take(cells) : null };
    return Object.assign((seen ?? picture).spans[k] as SeenSpan, span, more);
  });
  return Object.assign(seen ?? picture, { ...facts, spans });
}

export function spanAt<S extends SeenSpan>(draft: { spans: S[] }, frame: number): S | undefined {
  return draft.spans.find((s) => frame >= s.first && frame <= s.last);
}

/** What a letter wears, by the names of the columns: a tint and its share, what is left of its opacity, how many
 *  times it glows, and over how many metres it is soft. */
export type Wear = Record<'red' | 'green' | 'blue' | 'share' | 'opacity' | 'glow' | 'softness', number>;

/** What a letter wears at a frame beside its materials; null where all stay as they are. */
export function wearAt(span: SeenSpan, frame: number, letter: number): Wear | null {
  if (!span.wear) return null;
  const start = ((frame - span.first) * span.letters.length + letter) * WEAR.length;
  return Object.fromEntries(WEAR.map((name, k) => [name, span.wear?.[start + k] ?? 0])) as Wear;
}

/** The rows that bend a letter at a frame; none where nothing does. */
export function rowsAt(span: SeenSpan, frame: number, letter: number): Float32Array | null {
  if (!span.rows) return null;
  const long = span.bends * BEND.row;
  const start = ((frame - span.first) * span.letters.length + letter) * long;
  return span.rows.subarray(start, start + long);
}

/** Where the pieces of a letter are at a frame, in its own space, a way each; none for a letter that has none. */
export function waysAt(span: SeenSpan, frame: number, letter: number): Float32Array | null {
  const [first, count] = span.letters[letter]?.pieces ?? [0, 0];
  if (!span.ways || !count) return null;
  const start = ((frame - span.first) * span.pieces + first) * TABLES.way;
  return span.ways.subarray(start, start + count * TABLES.way);
}

/** Is any piece away from home by its way? */
export function isApart(ways: Float32Array | null): ways is Float32Array {
  return ways?.some((v, k) => v !== ((k % TABLES.way) % 5 === 0 ? 1 : 0)) ?? false;
}

/** Is a letter bent at all by its rows? */
export function isBent(rows: Float32Array | null): rows is Float32Array {
  if (!rows) return false;
  for (let k = 0; k < rows.length; k += BEND.row)
    if (rows[k + BEND.kind] && rows[k + BEND.amount]) return true;
  return false;
}

/** A pose of a letter at a frame, as 16 numbers. */
export function poseAt(span: SeenSpan, frame: number, letter: number): Float32Array {
  const start = ((frame - span.first) * span.letters.length + letter) * TABLES.pose;
  return span.poses.subarray(start, start + TABLES.pose);
}
