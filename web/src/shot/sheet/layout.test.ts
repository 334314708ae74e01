import { describe, expect, it } from 'vitest';
import type { Draft, Span } from '../draft';
import { crossings } from './draw';
import {
  dragged,
  frameToY,
  hitAt,
  layOut,
  sameTimes,
  scrolled,
  snapped,
  valueToX,
  xToValue,
  yToFrame,
  zoomed,
} from './layout';

const LENS = { paths: ['/steps/7/lens'], isolated: {}, fitted: false };

function made(count: number, last = 72) {
  const letters = Array.from({ length: count }, (_, k) => ({ text: 'K', word: k < count / 2 ? 0 : 1 }));
  const span = {
    first: 0,
    last,
    letters,
    starts: { arrive: letters.map((_, k) => 4 + 2 * k) },
    rest: letters.map((_, k) => 26 + 2 * k),
  } as unknown as Span;
  const keyed = { '/steps/7/lens': Array.from({ length: last + 1 }, (_, f) => 20 + f) };
  const draft = { first: 0, last, spans: [span], keyed } as unknown as Draft;
  return { draft, span };
}

describe('the sheet', () => {
  it.each([1, 11, 60])('gives %i letters columns that follow each other inside the sheet', (count) => {
    const { draft, span } = made(count);
    const l = layOut(draft, span, 336, 650);
    const columns = l.columns.filter((c) => c.letter >= 0);
    expect(columns.map((c) => c.letter)).toEqual(Array.from({ length: count }, (_, k) => k));
    for (let k = 1; k < count; k++) {
      const before = columns[k - 1];
      expect((before?.x ?? 0) + (before?.width ?? 0)).toBeLessThanOrEqual(columns[k]?.x ?? 0);
    }
    const right = columns.at(-1);
    expect((right?.x ?? 0) + (right?.width ?? 0)).toBeLessThan(336);
  });

  it('finds the frame under a point, for every frame', () => {
    const { draft, span } = made(5, 300);
    const l = layOut(draft, span, 336, 650, LENS);
    for (let f = 0; f <= 300; f++) expect(yToFrame(l, frameToY(l, f))).toBe(f);
    expect(yToFrame(l, -50)).toBe(0);
    expect(yToFrame(l, 9999)).toBe(300);
  });

  it('runs across with the same places, more room for names, and values that grow upward', () => {
    const { draft, span } = made(11);
    const l = layOut(draft, span, 264, 1270, LENS, new Set(), draft, true);
    for (let f = 0; f <= 72; f++) expect(yToFrame(l, frameToY(l, f))).toBe(f);
    expect(l.top).toBeGreaterThan(layOut(draft, span, 264, 1270).top);
    const [lane] = l.lanes;
    if (!lane) throw new Error('there is no lane');
    // The screen's upper side is the sheet's left.
    expect(valueToX(lane, 80)).toBeLessThan(valueToX(lane, 30));
    expect(xToValue(lane, valueToX(lane, 41))).toBeCloseTo(41, 9);
  });

  it('names words where rows are too low for letters, and never one name over another', () => {
    const { draft, span } = made(60);
    const l = layOut(draft, span, 264, 1270, undefined, new Set(), draft, true);
    const named = l.columns.filter((c) => c.letter >= 0 && c.label);
    expect(named.map((c) => c.label)).toEqual(['K'.repeat(30), 'K'.repeat(30)]);
    for (const [k, c] of named.entries()) if (k) expect(c.x - (named[k - 1]?.x ?? 0)).toBeGreaterThan(10);
  });

  it('cuts names of parts of drawings to their columns', () => {
    const { draft, span } = made(20);
    const drawn = { ...span, letters: span.letters.map((l, k) => (k > 15 ? { ...l, text: 'lozenge' } : l)) };
    const labels = (width: number) => layOut(draft, drawn, width, 650).columns.filter((c) => c.letter > 15);
    expect(labels(336).map((c) => c.label)).toEqual(['l', 'l', 'l', 'l']);
    const { span: few } = made(4);
    const wide = { ...few, letters: few.letters.map((l) => ({ ...l, text: 'rail' })) };
    expect(layOut(draft, wide, 900, 650).columns.at(-1)?.label).not.toBe('r');
    const across = layOut(draft, wide, 264, 1270, undefined, new Set(), draft, true);
    expect(across.columns.at(-1)?.label).toBe('rail');
  });

  it('takes hold of a start, a way, or the playhead', () => {
    const { draft, span } = made(11);
    const l = layOut(draft, span, 336, 650);
    const column = l.columns.find((c) => c.letter === 5);
    const x = (column?.x ?? 0) + 2;
    expect(hitAt(l, span, 'arrive', x, frameToY(l, 14))).toEqual({ kind: 'mark', letter: 5 });
    expect(hitAt(l, span, 'arrive', x, frameToY(l, 24))).toEqual({ kind: 'body', letter: 5 });
    expect(hitAt(l, span, 'arrive', x, frameToY(l, 60))).toEqual({ kind: 'playhead' });
    expect(hitAt(l, span, 'arrive', 3, frameToY(l, 14))).toEqual({ kind: 'playhead' });
  });

  const plain = { start: 4, delay: 2, whole: 0, bend: 0 };

  it('moves the diagonal by its body and by the first start, stretches it by any other', () => {
    expect(dragged({ kind: 'body', letter: 3 }, 3, 10, plain, 6.2)).toEqual({ ...plain, start: 10 });
    expect(dragged({ kind: 'mark', letter: 0 }, 0, 10, plain, -3)).toEqual({ ...plain, start: 1 });
    const stretched = dragged({ kind: 'mark', letter: 10 }, 10, 10, plain, 20);
    expect(stretched).toEqual({ ...plain, delay: 4 });
    expect(stretched.start + 10 * stretched.delay).toBe(4 + 10 * 2 + 20);
  });

  it('stretches what is done within a time by that time, and bends', () => {
    const within = { ...plain, whole: 40 };
    expect(dragged({ kind: 'mark', letter: 5 }, 5, 10, within, 6)).toEqual({ ...within, whole: 52 });
    expect(dragged({ kind: 'body', letter: 5 }, 5, 10, plain, 15, true)).toEqual({ ...plain, bend: -0.5 });
    expect(dragged({ kind: 'body', letter: 5 }, 5, 10, plain, -900, true).bend).toBe(1);
  });

  it('zooms about a frame, scrolls, and never leaves the shot', () => {
    const whole = { first: 0, last: 100 };
    const near = zoomed(whole, whole, 25, 0.5);
    expect(near).toEqual({ first: 13, last: 63 });
    expect(zoomed(whole, near, 25, 4)).toEqual(whole);
    expect(zoomed(whole, whole, 100, 0.5)).toEqual({ first: 50, last: 100 });
    expect(scrolled(whole, near, 1000)).toEqual({ first: 50, last: 100 });
    expect(scrolled(whole, near, -1000)).toEqual({ first: 0, last: 50 });
  });

  it('finds the value under a point of a lane', () => {
    const { draft, span } = made(5);
    const lane = layOut(draft, span, 430, 650, LENS).lanes[0];
    if (!lane) throw new Error('no lane');
    for (const v of [20, 37.5, 92]) expect(xToValue(lane, valueToX(lane, v))).toBeCloseTo(v);
    expect(valueToX(lane, 20)).toBeGreaterThan(lane.x);
    expect(valueToX(lane, 92)).toBeLessThan(lane.x + lane.width);
  });

  it('shows one part of a value alone, and fits the frames that are shown', () => {
    const { draft, span } = made(5);
    const path = '/steps/0/place';
    draft.keyed[path] = Array.from({ length: 73 }, (_, f) => [f, 1000, -f]) as never;
    const lane = (isolated: Record<string, number>, fitted: boolean) =>
      layOut(draft, span, 430, 650, { paths: [path], isolated, fitted }, new Set(), { first: 10, last: 20 })
        .lanes[0];
    const whole = lane({}, false);
    expect([whole?.part, (whole?.from ?? 0) < -72, (whole?.to ?? 0) > 1000]).toEqual([null, true, true]);
    const alone = lane({ [path]: 0 }, false);
    expect(alone?.part).toBe(0);
    expect([alone?.from, alone?.to].map((v) => Math.round(v ?? 0))).toEqual([-9, 81]);
    const fitted = lane({ [path]: 0 }, true);
    expect([fitted?.from, fitted?.to].map((v) => Math.round(v ?? 0))).toEqual([9, 21]);
  });

  it('knows when letters enter and leave the frame', () => {
    const { draft } = made(2, 4);
    const span = draft.spans[0] as Span;
    // Frames by letters: the first comes in at frame 2 and is out again at 4, though it touches; the second stays.
    span.contacts = new Float32Array([4, 0, 5, 1, 1, 0, 0, 0, 4, 2]);
    expect(crossings(span, 0)).toEqual([
      [2, true],
      [4, false],
    ]);
    expect(crossings(span, 1)).toEqual([]);
  });

  it('is the same while no timing changes, and another as soon as one does', () => {
    const timed = (change: (draft: Draft) => void = () => {}) => {
      const { draft } = made(3, 4);
      draft.keyed = { '/steps/7/fit': [0.5] };
      const all = () => new Float32Array(15).fill(2);
      (draft.spans[0] as Span).speeds = { all: all(), place: all(), turn: all(), size: all() };
      change(draft);
      return draft;
    };
    const span = (d: Draft) => d.spans[0] as Span;
    expect(sameTimes(timed(), timed())).toBe(true);
    expect(
      sameTimes(
        timed(),
        timed((d) => span(d).speeds.all.fill(2.00001)),
      ),
    ).toBe(true);
    const put = (change: object) => (d: Draft) => void Object.assign(d, change);
    const spanWith = (change: object) => (d: Draft) => void Object.assign(span(d), change);
    for (const change of [
      (d: Draft) => void span(d).speeds.all.fill(2.1, 7, 8),
      (d: Draft) => void span(d).speeds.turn.fill(2.1, 7, 8),
      put({ last: 5 }),
      put({ keyed: {} }),
      spanWith({ rest: [26, 3, 30] }),
      spanWith({ letters: [] }),
      (d: Draft) => void d.spans.push(span(d)),
    ])
      expect(sameTimes(timed(), timed(change))).toBe(false);
  });
});

describe('what draws a drag to itself', () => {
  it('is near enough, and the nearest; else whole frames are moved', () => {
    expect(snapped(3.4, [10], [], 2)).toBe(3);
    expect(snapped(3.4, [10], [14.5], 2)).toBe(4.5);
    expect(snapped(3.4, [10], [16], 2)).toBe(3);
    expect(snapped(3.4, [10, 20], [14, 23.5], 2)).toBe(3.5);
    expect(snapped(-2.2, [4], [0, 2.5], 3)).toBe(-1.5);
  });
});
