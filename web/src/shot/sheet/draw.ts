import type { Draft, Span } from '../draft';
import type { Shot } from '../store';
import { at, isKeyed } from '../values';
import { AXIS, frameToY, type SheetLayout } from './layout';

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

/** Draw the whole sheet but the playhead. */
export function drawSheet(
  c: CanvasRenderingContext2D,
  l: SheetLayout,
  draft: Draft,
  document: Shot,
  ink: Ink,
  lane: string,
  drive: string,
) {
  c.clearRect(0, 0, l.width, l.height);
  const bottom = frameToY(l, l.last) + l.perFrame / 2;
  rules(c, l, ink);
  const fastest = Math.max(0.2, ...draft.spans.map((s) => s.speeds.reduce((a, b) => Math.max(a, b), 0)));
  for (const column of l.columns) {
    c.textAlign = 'center';
    if (column.letter < 0) {
      c.fillStyle = ink.dim;
      c.font = `10px ${FONT}`;
      c.fillText(column.label, column.x + column.width / 2, 16);
      c.fillStyle = ink.raised;
      c.beginPath();
      c.roundRect(column.x, l.top, column.width, bottom - l.top, 3);
      c.fill();
      for (const frame of keyFrames(document, draft, column.step))
        ring(c, column.x + column.width / 2, frameToY(l, frame), ink);
      continue;
    }
    c.fillStyle = ink.text;
    c.font = `650 ${column.width > 8 ? 12 : 8}px ${FONT}`;
    c.fillText(column.label, column.x + column.width / 2, 16);
  }
  for (const span of draft.spans) letters(c, l, span, drive, fastest, ink);
  if (l.lane && lane) drawLane(c, l, draft, document, ink, lane);
}

function rules(c: CanvasRenderingContext2D, l: SheetLayout, ink: Ink) {
  const every = [1, 2, 5, 10, 25, 50, 100, 250, 500, 1000].find((n) => n * l.perFrame >= 15) ?? 2500;
  const right = l.width - 6;
  c.lineWidth = 1;
  c.font = `10px ${FONT}`;
  c.textAlign = 'right';
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
    c.fillText(String(f), AXIS - 8, y + 3.5);
  }
}

/** A picture of the speeds, a pixel a letter and frame: one draw a column instead of one a cell. */
function shading(span: Span, fastest: number, moss: string): HTMLCanvasElement {
  const count = Math.max(1, span.letters.length);
  const picture = window.document.createElement('canvas');
  picture.width = count;
  picture.height = span.last - span.first + 1;
  const c = picture.getContext('2d', { willReadFrequently: true });
  if (!c) return picture;
  c.fillStyle = moss;
  c.fillRect(0, 0, picture.width, picture.height);
  const pixels = c.getImageData(0, 0, picture.width, picture.height);
  for (let i = 0; i < span.speeds.length; i++) {
    const share = 0.06 + 0.94 * Math.min(1, (span.speeds[i] ?? 0) / fastest) ** 0.6;
    pixels.data[4 * i + 3] = Math.round(255 * share);
  }
  c.putImageData(pixels, 0, 0);
  return picture;
}

function letters(
  c: CanvasRenderingContext2D,
  l: SheetLayout,
  span: Span,
  drive: string,
  fastest: number,
  ink: Ink,
) {
  const starts = span.starts[drive] ?? [];
  const count = span.letters.length;
  const shades = shading(span, fastest, ink.moss);
  const top = frameToY(l, span.first) - l.perFrame / 2;
  c.imageSmoothingEnabled = false;
  for (const column of l.columns) {
    const k = column.letter;
    if (k < 0 || k >= count) continue;
    c.drawImage(shades, k, 0, 1, shades.height, column.x, top, column.width, shades.height * l.perFrame);
    const rest = span.rest[k] ?? l.first;
    if (rest > l.first && rest <= l.last) {
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

function ring(c: CanvasRenderingContext2D, x: number, y: number, ink: Ink) {
  c.beginPath();
  c.arc(x, y, 4.2, 0, 2 * Math.PI);
  c.fillStyle = ink.bark;
  c.fill();
  c.strokeStyle = ink.key;
  c.lineWidth = 2;
  c.stroke();
}

/** The frames at which a kind of step has keys. */
export function keyFrames(document: Shot, draft: Draft, kind: string): number[] {
  const frames = new Set<number>();
  for (const path of Object.keys(draft.keyed)) {
    const index = Number(path.split('/')[2]);
    const value = at(document, path);
    if (document.steps?.[index]?.kind === kind && isKeyed(value))
      for (const key of value.keys) frames.add(key.frame);
  }
  return [...frames].filter((f) => f >= draft.first && f <= draft.last).sort((a, b) => a - b);
}

const LANE_COLOURS = ['key', 'moss', 'text'] as const;

/** A value over the frames, its parts over each other, with its speed dashed. */
function drawLane(
  c: CanvasRenderingContext2D,
  l: SheetLayout,
  draft: Draft,
  document: Shot,
  ink: Ink,
  path: string,
) {
  const values = draft.keyed[path] as (number | number[])[] | undefined;
  if (!values || !l.lane) return;
  const { x, width } = l.lane;
  const bottom = frameToY(l, l.last) + l.perFrame / 2;
  c.strokeStyle = ink.line;
  c.strokeRect(x + 0.5, l.top + 0.5, width, bottom - l.top);
  c.fillStyle = ink.dim;
  c.font = `10px ${FONT}`;
  c.textAlign = 'center';
  c.fillText(path.split('/').pop() ?? '', x + width / 2, 16);
  const table = values.map((v) => (typeof v === 'number' ? [v] : v));
  const flat = table.flat();
  const low = Math.min(...flat);
  const range = Math.max(...flat) - low || 1;
  const toX = (v: number) => x + 7 + ((v - low) / range) * (width - 14);
  const parts = table[0]?.length ?? 0;
  for (let k = 0; k < parts; k++) {
    const line = table.map((row) => row[k] ?? 0);
    const speeds = line.map((v, i) => Math.abs(v - (line[i - 1] ?? v)));
    const top = Math.max(...speeds) || 1;
    c.lineWidth = 1;
    c.strokeStyle = ink.dim;
    c.setLineDash([3, 3]);
    stroke(
      c,
      speeds.map((s, i) => [x + 7 + (s / top) * (width - 14), frameToY(l, l.first + i)]),
    );
    c.setLineDash([]);
    c.lineWidth = 2;
    c.strokeStyle = ink[LANE_COLOURS[k] ?? 'text'];
    stroke(
      c,
      line.map((v, i) => [toX(v), frameToY(l, l.first + i)]),
    );
  }
  const stored = at(document, path);
  if (isKeyed(stored)) {
    for (const key of stored.keys) {
      const rows = Array.isArray(key.value) ? (key.value as number[]) : [key.value as number];
      for (const v of rows) ring(c, toX(v), frameToY(l, key.frame), ink);
    }
  }
}

function stroke(c: CanvasRenderingContext2D, points: number[][]) {
  c.beginPath();
  points.forEach(([px, py], k) => {
    if (k) c.lineTo(px as number, py as number);
    else c.moveTo(px as number, py as number);
  });
  c.stroke();
}
