import { CONTACT, type Draft, type Span, type Speeds } from '../draft';
import type { Shot } from '../open/state';
import { at, isKeyed } from '../values';
import { type Chosen, type Grip, isChosen } from './grips';
import { AXIS, frameToY, type Lane, nameOf, type SheetLayout, valueToX } from './layout';

export interface Ink {
  text: string;
  dim: string;
  line: string;
  raised: string;
  moss: string;
  key: string;
  warn: string;
  bark: string;
}

export function inkOf(element: Element): Ink {
  const style = getComputedStyle(element);
  const read = (name: string) => style.getPropertyValue(name).trim();
  return {
    text: read('--ink'),
    dim: read('--dim'),
    line: read('--line'),
    raised: read('--raised'),
    moss: read('--moss'),
    key: read('--key'),
    warn: read('--warn'),
    bark: read('--bark'),
  };
}

const FONT = '"Hanken Grotesk Variable", sans-serif';

export interface OnSheet {
  draft: Draft;
  document: Shot;
  drive: string;
  grips: Grip[];
  chosen: Chosen;
  shading: keyof Speeds; // by which part of their motion letters are shaded
  carried: number; // by how many frames chosen keys are being moved
}

/** Make a picture stand so that frames run across: what goes down on the sheet goes to the right on the screen. */
export function turn(c: CanvasRenderingContext2D) {
  c.transform(0, 1, 1, 0, 0, 0);
}

/** Text that begins at, ends at or is about a place of the sheet, upright on a sheet that is turned too. */
function write(
  c: CanvasRenderingContext2D,
  l: SheetLayout,
  text: string,
  x: number,
  y: number,
  most?: number,
) {
  if (!l.across) {
    c.fillText(text, x, y, most);
    return;
  }
  c.save();
  c.translate(x, y);
  turn(c);
  c.fillText(text, 0, 0, most);
  c.restore();
}

/** Draw the whole sheet but the playhead. */
export function drawSheet(c: CanvasRenderingContext2D, l: SheetLayout, on: OnSheet, ink: Ink) {
  c.clearRect(0, 0, l.width, l.height);
  const { draft } = on;
  const bottom = frameToY(l, l.last) + l.perFrame / 2;
  rules(c, l, ink);
  times(c, l, on, ink);
  const fastest = Math.max(
    0.2,
    ...draft.spans.map((s) => s.speeds[on.shading].reduce((a, b) => Math.max(a, b), 0)),
  );
  for (const column of l.columns) {
    // Names stand over their columns; over rows they end before them.
    c.textAlign = l.across ? 'right' : 'center';
    const middle = column.x + column.width / 2;
    if (column.letter < 0) {
      c.fillStyle = ink.dim;
      c.font = `10px ${FONT}`;
      if (l.across) write(c, l, column.label, middle + 3.5, l.top - 5);
      else write(c, l, column.label, middle, 16);
      c.fillStyle = ink.raised;
      c.beginPath();
      c.roundRect(column.x, l.top, column.width, bottom - l.top, 3);
      c.fill();
      continue;
    }
    c.fillStyle = ink.text;
    const high = column.width > 8 ? 12 : l.across ? 10 : 8;
    c.font = `650 ${high}px ${FONT}`;
    if (l.across) write(c, l, column.label, middle + high / 3, l.top - 6, l.top - 10);
    else write(c, l, column.label, middle, 16);
  }
  c.save();
  c.beginPath();
  c.rect(0, l.top - 6, l.width, bottom - l.top + 12);
  c.clip();
  for (const span of draft.spans) letters(c, l, span, on, fastest, ink);
  for (const grip of on.grips) {
    if (grip.kind !== 'rings') continue;
    const picked = Object.entries(grip.keys).every(([path, [f]]) => isChosen(on.chosen, path, f as number));
    const by = picked ? on.carried * l.perFrame : 0;
    ring(c, grip.x, grip.y + by, ink, picked);
  }
  c.restore();
  for (const lane of l.lanes) drawLane(c, l, lane, on, ink);
}

function rules(c: CanvasRenderingContext2D, l: SheetLayout, ink: Ink) {
  const every =
    [1, 2, 5, 10, 25, 50, 100, 250, 500, 1000].find((n) => n * l.perFrame >= (l.across ? 26 : 15)) ?? 2500;
  const right = l.width - 6;
  c.lineWidth = 1;
  c.font = `10px ${FONT}`;
  c.textAlign = l.across ? 'center' : 'right';
  for (let f = Math.ceil(l.first / every) * every; f <= l.last; f += every) {
    const y = Math.round(frameToY(l, f)) + 0.5;
    c.strokeStyle = ink.line;
    c.globalAlpha = 0.75;
    c.beginPath();
    c.moveTo(AXIS - 4, y);
    c.lineTo(right, y);
    c.stroke();
    c.globalAlpha = 1;
    c.fillStyle = ink.dim;
    if (l.across) write(c, l, String(f), AXIS - 12, y);
    else write(c, l, String(f), AXIS - 8, y + 3.5);
  }
}

/** Beats of the music, those that begin a bar stronger, and markers with their names at the far end of the sheet. */
function times(c: CanvasRenderingContext2D, l: SheetLayout, { draft, document }: OnSheet, ink: Ink) {
  const right = l.width - 6;
  const line = (frame: number, from: number, colour: string, width: number) => {
    const y = frameToY(l, frame);
    c.strokeStyle = colour;
    c.lineWidth = width;
    c.beginPath();
    c.moveTo(from, y);
    c.lineTo(right, y);
    c.stroke();
    return y;
  };
  const shown = (frame: number) => frame >= l.first - 0.5 && frame <= l.last + 0.5;
  const beats = (draft.beats ?? []).filter(([frame]) => shown(frame));
  // Beats closer than lines can be told apart are left to the bars.
  const dense = beats.length * 4 > (l.last - l.first + 1) * l.perFrame;
  c.setLineDash([2, 4]);
  for (const [frame, bar] of beats) if (bar || !dense) line(frame, AXIS - 4, ink.moss, bar ? 1.5 : 0.75);
  c.setLineDash([]);
  c.font = `600 10px ${FONT}`;
  c.textAlign = 'right';
  for (const { frame, name } of document.markers ?? []) {
    if (!shown(frame)) continue;
    const y = line(frame, AXIS - 6, ink.key, 1);
    c.fillStyle = ink.key;
    c.beginPath();
    c.moveTo(AXIS - 6, y - 4);
    c.lineTo(AXIS - 1, y);
    c.lineTo(AXIS - 6, y + 4);
    c.fill();
    if (name) write(c, l, name, l.across ? right - 2 : right, y - 3);
  }
  c.lineWidth = 1;
}

/** A picture of the speeds, a pixel a letter and frame: one draw a column instead of one a cell. */
function shading(speeds: Float32Array, span: Span, fastest: number, moss: string): HTMLCanvasElement {
  const count = Math.max(1, span.letters.length);
  const picture = window.document.createElement('canvas');
  picture.width = count;
  picture.height = span.last - span.first + 1;
  const c = picture.getContext('2d', { willReadFrequently: true });
  if (!c) return picture;
  c.fillStyle = moss;
  c.fillRect(0, 0, picture.width, picture.height);
  const pixels = c.getImageData(0, 0, picture.width, picture.height);
  for (let i = 0; i < speeds.length; i++) {
    const share = 0.06 + 0.94 * Math.min(1, (speeds[i] ?? 0) / fastest) ** 0.6;
    pixels.data[4 * i + 3] = Math.round(255 * share);
  }
  c.putImageData(pixels, 0, 0);
  return picture;
}

/** The frames at which a letter comes into the frame (true) or has left it. */
export function crossings(span: Span, letter: number): [number, boolean][] {
  const count = span.letters.length;
  const out = (f: number) => ((span.contacts[(f - span.first) * count + letter] ?? 0) & CONTACT.outside) > 0;
  const found: [number, boolean][] = [];
  for (let f = span.first + 1; f <= span.last; f++) if (out(f) !== out(f - 1)) found.push([f, !out(f)]);
  return found;
}

/** A mark between two frames: down where a letter enters the frame, up where it leaves. */
function arrow(c: CanvasRenderingContext2D, x: number, y: number, down: boolean, ink: string) {
  const tip = down ? 4 : -4;
  c.fillStyle = ink;
  c.beginPath();
  c.moveTo(x - 4, y - tip / 2);
  c.lineTo(x + 4, y - tip / 2);
  c.lineTo(x, y + tip);
  c.fill();
}

function letters(
  c: CanvasRenderingContext2D,
  l: SheetLayout,
  span: Span,
  { drive, shading: part }: OnSheet,
  fastest: number,
  ink: Ink,
) {
  const starts = span.starts[drive] ?? [];
  const count = span.letters.length;
  const shades = shading(span.speeds[part], span, fastest, ink.moss);
  const top = frameToY(l, span.first) - l.perFrame / 2;
  c.imageSmoothingEnabled = false;
  for (const column of l.columns) {
    const k = column.letter;
    if (k < 0 || k >= count) continue;
    c.drawImage(shades, k, 0, 1, shades.height, column.x, top, column.width, shades.height * l.perFrame);
    // The share of its pieces that is away, from the middle of the column out.
    if (span.away) {
      c.fillStyle = ink.dim;
      c.globalAlpha = 0.6;
      for (let f = span.first; f <= span.last; f++) {
        const wide = (span.away[(f - span.first) * count + k] ?? 0) * (column.width - 8);
        if (wide > 0)
          c.fillRect(column.x + (column.width - wide) / 2, frameToY(l, f) - l.perFrame / 2, wide, l.perFrame);
      }
      c.globalAlpha = 1;
    }
    c.fillStyle = ink.warn;
    for (let f = span.first; f <= span.last; f++) {
      const touch = span.contacts[(f - span.first) * count + k] ?? 0;
      // Marks at the right edge for letters that meet, at the left for floor and wall: not told by colour alone.
      if (touch & CONTACT.letters)
        c.fillRect(column.x + column.width - 3, frameToY(l, f) - l.perFrame / 2, 3, l.perFrame);
      if (touch & CONTACT.stage) c.fillRect(column.x, frameToY(l, f) - l.perFrame / 2, 3, l.perFrame);
    }
    for (const [f, enters] of crossings(span, k)) {
      const y = frameToY(l, f) - l.perFrame / 2;
      arrow(c, column.x + column.width / 2, y, enters, ink.text);
    }
    const rest = span.rest[k] ?? l.first;
    if (rest > span.first && rest <= l.last) {
      c.fillStyle = ink.dim;
      c.fillRect(column.x, frameToY(l, rest) - 0.8, column.width, 1.8);
    } else if (rest > l.last) {
      c.fillStyle = ink.warn;
      c.fillRect(column.x, frameToY(l, l.last) + l.perFrame / 2 + 1, column.width, 4);
    }
    const start = starts[k] ?? l.first;
    if (starts.length && rest > l.first && start >= l.first - 1 && start <= l.last) {
      c.strokeStyle = ink.text;
      c.lineWidth = 1.6;
      c.beginPath();
      c.moveTo(column.x, frameToY(l, start));
      c.lineTo(column.x + column.width, frameToY(l, start));
      c.stroke();
    }
  }
  // The diagonal itself, through the letters' starts.
  const points = l.columns
    .filter((k) => k.letter >= 0 && k.letter < count)
    .map((k) => [k.x + k.width / 2, frameToY(l, starts[k.letter] ?? 0)] as const);
  if (points.length > 1 && starts.length && span.rest.some((r) => r > l.first)) {
    c.strokeStyle = ink.text;
    c.globalAlpha = 0.35;
    c.lineWidth = 1;
    c.beginPath();
    points.forEach(([x, y], k) => {
      if (k) c.lineTo(x, y);
      else c.moveTo(x, y);
    });
    c.stroke();
    c.globalAlpha = 1;
  }
}

function ring(c: CanvasRenderingContext2D, x: number, y: number, ink: Ink, picked = false) {
  c.beginPath();
  c.arc(x, y, 4.2, 0, 2 * Math.PI);
  c.fillStyle = picked ? ink.key : ink.bark;
  c.fill();
  c.strokeStyle = picked ? ink.text : ink.key;
  c.lineWidth = 2;
  c.stroke();
}

const LANE_COLOURS = ['key', 'moss', 'text', 'dim'] as const;

/** A value over the frames, its parts over each other, with its speed dashed; keys, and handles of their eases. */
function drawLane(c: CanvasRenderingContext2D, l: SheetLayout, lane: Lane, on: OnSheet, ink: Ink) {
  const values = on.draft.keyed[lane.path] as (number | number[])[] | undefined;
  if (!values) return;
  const { x, width, path } = lane;
  const bottom = frameToY(l, l.last) + l.perFrame / 2;
  c.fillStyle = ink.bark;
  c.fillRect(x, l.top, width, bottom - l.top);
  c.strokeStyle = ink.line;
  c.lineWidth = 1;
  c.strokeRect(x + 0.5, l.top + 0.5, width, bottom - l.top);
  const name = nameOf(path);
  const [from, to] = [lane.from, lane.to].map((v) => `${Number(v.toPrecision(3))}`) as [string, string];
  c.font = `10px ${FONT}`;
  c.fillStyle = ink.text;
  c.textAlign = l.across ? 'right' : 'left';
  if (l.across) write(c, l, name, x + width / 2 + 3.5, l.top - 4, l.top - 6);
  else write(c, l, name, x + 2, 10, width - 18);
  c.fillStyle = ink.dim;
  c.font = `9px ${FONT}`;
  if (l.across) write(c, l, from, x + 9, l.top - 4);
  else write(c, l, from, x + 2, 21);
  c.textAlign = 'right';
  if (l.across) write(c, l, to, x + width - 2, l.top - 4);
  else write(c, l, to, x + width - 2, 21);
  c.save();
  c.beginPath();
  c.rect(x, l.top - 6, width, bottom - l.top + 12);
  c.clip();
  const table = values.map((v) => (typeof v === 'number' ? [v] : v));
  const first = on.draft.first;
  const parts = table[0]?.length ?? 0;
  for (let k = 0; k < parts; k++) {
    if (lane.part !== null && k !== lane.part) continue;
    const line = table.map((row) => row[k] ?? 0);
    const speeds = line.map((v, i) => Math.abs(v - (line[i - 1] ?? v)));
    const top = Math.max(...speeds) || 1;
    c.lineWidth = 1;
    c.strokeStyle = ink.dim;
    c.setLineDash([3, 3]);
    stroke(
      c,
      speeds.map((s, i) => {
        const share = l.across ? 1 - s / top : s / top;
        return [x + 7 + share * (width - 14), frameToY(l, first + i)];
      }),
    );
    c.setLineDash([]);
    c.lineWidth = 2;
    c.strokeStyle = ink[LANE_COLOURS[k] ?? 'text'];
    stroke(
      c,
      line.map((v, i) => [valueToX(lane, v), frameToY(l, first + i)]),
    );
  }
  const stored = at(on.document, path);
  const own = on.grips.filter((g) => g.kind !== 'rings' && g.lane.path === path);
  c.strokeStyle = ink.dim;
  c.lineWidth = 1;
  for (const grip of own) {
    if (grip.kind !== 'handle' || !isKeyed(stored)) continue;
    const key = stored.keys[grip.side === 'leave' ? grip.index : grip.index + 1];
    const value = Array.isArray(key?.value) ? key.value[grip.part] : key?.value;
    if (!key) continue;
    stroke(c, [
      [valueToX(lane, Number(value)), frameToY(l, key.frame)],
      [grip.x, grip.y],
    ]);
    c.fillStyle = ink.text;
    c.fillRect(grip.x - 3, grip.y - 3, 6, 6);
  }
  for (const grip of own) {
    if (grip.kind !== 'ring') continue;
    const picked = isChosen(on.chosen, path, grip.frame);
    ring(c, grip.x, grip.y + (picked ? on.carried * l.perFrame : 0), ink, picked);
  }
  c.restore();
}

function stroke(c: CanvasRenderingContext2D, points: number[][]) {
  c.beginPath();
  points.forEach(([px, py], k) => {
    if (k) c.lineTo(px as number, py as number);
    else c.moveTo(px as number, py as number);
  });
  c.stroke();
}
