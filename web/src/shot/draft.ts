/** The draft as the core packs it: a JSON head and float32 tables. Nothing here computes a rule of the job. */

export interface Surface {
  colour: [number, number, number];
  metal: number;
  roughness: number;
  ior: number;
  grazing: number; // what a dielectric mirrors at a grazing angle
  coat: number;
  coat_roughness: number;
  sheen: number;
  glow: [number, number, number];
  brushed: number;
  brush_turn: number; // degrees
  transmission: number;
  thin: boolean;
  tint_depth: number;
  opacity: number;
  grain: Grain | null;
  images: Images | null;
}
/** A surface of a block with the part of each letter that it covers: "face", "edge", or a facet that has its own. */
export interface PartSurface extends Surface {
  part: string;
}
/** Own pictures at a frame, by their ids, '' for none; `width` and `tall` in metres, `to` leads to their space. */
export interface Images {
  colour: string;
  roughness: string;
  bump: string;
  width: number;
  tall: number;
  tiling: 'repeat' | 'mirror' | 'once';
  mix: number;
  tint: [number, number, number];
  rough: number;
  height: number;
  by_letter: boolean;
  to: number[];
}
/** A texture at a frame: the name of its pattern, its second layer, and the way from the title (metres) to its space. */
export interface Grain {
  name: string;
  scale: number;
  amount: number;
  contrast: number;
  tone: number;
  relief: number;
  wear: number;
  colour: [number, number, number];
  metal: number;
  roughness: number;
  by_letter: boolean;
  to: number[];
}
export interface LetterAtRest {
  text: string;
  block: number;
  line: number;
  word: number;
  first: number; // index of its first character in the block's text
  lacking: boolean;
  tint: [number, number, number] | null; // its own colour, scene-linear
  recipe: string;
  box: [number, number, number, number];
  rest: number[]; // rows of the 3x4 matrix to its place in the title at rest
  number: number;
}
/** A block of a span: its step and form step by id, cap height, and a cut through a stem, in metres. */
export interface BlockAtRest {
  step: string;
  form: string;
  size: number;
  stem: number;
  section: [number, number][];
  path: [number, number][];
}
/** A lamp as it is drawn: flat ones shine to one side; a sun has its light on what faces it for radiance. */
export interface Lamp {
  kind: 'flat' | 'around' | 'sun';
  centre: [number, number, number];
  normal: [number, number, number];
  radiance: [number, number, number];
  area: number;
  spot: number; // half the angle of its cone, radians; 0 for none
  soft: number;
  limit: number;
  dark: [number, number]; // how dark its shadows are on letters and on the stage
  /** The blocks whose faces and whose edges it lights, null for all, and whether it lights the stage. */
  touches: { face: number[] | null; edge: number[] | null; stage: boolean };
  u: [number, number, number]; // half edges of what is mirrored
  v: [number, number, number];
}
/** What letters of a block wear, and which of it each letter does. */
export interface Wardrobe {
  dresses: PartSurface[][];
  wears: number[];
}
/** A part of the stage: a flat sheet (`u`, `v`), a line of heights and depths drawn out across, or a globe. */
export interface Ground {
  surface: Surface;
  catches: boolean; // only the shadows on it are seen
  centre?: [number, number, number];
  u?: [number, number, number];
  v?: [number, number, number];
  radius?: number;
  line?: [number, number][];
  normals?: [[number, number], [number, number]][]; // at the ends of its pieces
  half?: number;
}
export interface Haze {
  density: number;
  colour: [number, number, number];
}
export interface Look {
  blocks: Wardrobe[];
  grounds: Ground[];
  haze: Haze | null;
  horizon: Haze | null; // what grounds go over into around the middle of the stage
  lights: Lamp[];
  environment: {
    preset: string;
    strength: number;
    turn: number;
    tilt: [number, number]; // degrees towards the camera and to the right
    behind: 'nothing' | 'environment' | Backdrop;
  };
}
/** What fills the frame behind everything: the colours of its corners (below left and right, above left and right), and
 *  a picture over them, with the shares of its width and height that are seen. */
export interface Backdrop {
  corners: [number, number, number][];
  picture: string | null;
  seen?: [number, number];
}
export interface Note {
  step: string;
  code: string;
  text: string;
}
/** Frames with the same letters, as far as they are seen. */
interface SeenSpanHead {
  first: number;
  last: number;
  letters: LetterAtRest[];
  blocks: BlockAtRest[];
  worn: boolean; // are letters tinted, soft, or let light through?
  pivots: Record<string, ([number, number, number] | null)[]>; // of letters in their own space, by step
}
interface SpanHead extends SeenSpanHead {
  starts: Record<string, number[]>; // by the id of the drive
  rest: number[];
}
/** What a letter does at a frame: it meets another, goes into floor or wall, or is out of the frame. */
export const CONTACT = { letters: 1, stage: 2, outside: 4 } as const;
/** How fast letters are by all of their motion, and by each part of it alone. */
export type Speeds = Record<'all' | 'place' | 'turn' | 'size', Float32Array>;
export interface SeenSpan extends SeenSpanHead {
  poses: Float32Array; // frames x letters x 16, column by column
  fades: boolean; // does any letter let light through?
  wear: Float32Array | null; // frames x letters x WORN: tint, its share, opacity, softness in metres
}
export interface Span extends SpanHead, SeenSpan {
  speeds: Speeds; // each frames x letters, cap heights a second
  contacts: Float32Array; // frames x letters: bits of CONTACT
}
/** What is seen of a shot. */
interface SeenHead {
  width: number;
  height: number;
  first: number;
  last: number;
  fps: [number, number];
  spans: SeenSpanHead[];
  looks: Look[];
  look_of: number[];
  middle: [number, number, number]; // where the letters stand on the whole, metres
  centres: Record<string, [number, number, number]>; // pivots of groups, in the world
  lenses: number[][]; // half tangents, shift, and the rows of the 3x3 matrix of exposure and white balance
}
/** What the sheet and the desk show besides. */
interface Head extends SeenHead {
  spans: SpanHead[];
  rest: number;
  keyed: Record<string, unknown[]>;
  beats: [number, boolean][]; // frames of the music's beats, and whether a bar begins with each
  responses: Record<string, number[]>; // of drives, by id: strength for reaches from 0 to 1
  overshoots: Record<string, number>; // of follow-throughs, by id: share of the way
  notes: Note[];
}
export interface Seen extends Omit<SeenHead, 'spans'> {
  spans: SeenSpan[];
  camera: Float32Array;
  at: number; // when it was read, by performance.now()
}
export interface Draft extends Omit<Head, 'spans'>, Seen {
  spans: Span[];
}

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
    const poses = take(cells * 16);
    const wear = span.worn ? take(cells * WORN) : null;
    const fades = wear?.some((v, k) => k % WORN === 4 && v < 1) ?? false;
    return { ...span, poses, wear, fades };
  });
  return { ...facts, spans, camera: take((facts.last - facts.first + 1) * 16), at: performance.now() };
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
    const [all, place, turn, size] = [take(cells), take(cells), take(cells), take(cells)];
    const speeds = { all, place, turn, size };
    return Object.assign((seen ?? picture).spans[k] as SeenSpan, span, { speeds, contacts: take(cells) });
  });
  return Object.assign(seen ?? picture, { ...facts, spans });
}

export function spanAt<S extends SeenSpan>(draft: { spans: S[] }, frame: number): S | undefined {
  return draft.spans.find((s) => frame >= s.first && frame <= s.last);
}

const WORN = 6;

/** Tint (red, green, blue), its share, opacity, and softness of a letter at a frame; null where it stays as it is. */
export function wearAt(span: SeenSpan, frame: number, letter: number): Float32Array | null {
  if (!span.wear) return null;
  const start = ((frame - span.first) * span.letters.length + letter) * WORN;
  return span.wear.subarray(start, start + WORN);
}

/** A pose of a letter at a frame, as 16 numbers. */
export function poseAt(span: SeenSpan, frame: number, letter: number): Float32Array {
  const start = ((frame - span.first) * span.letters.length + letter) * 16;
  return span.poses.subarray(start, start + 16);
}
