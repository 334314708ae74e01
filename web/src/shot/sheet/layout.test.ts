import { describe, expect, it } from 'vitest';
import type { Draft, Span } from '../draft';
import { dragged, frameToY, hitAt, layOut, sameTimes, yToFrame } from './layout';

function made(count: number, last = 72) {
  const letters = Array.from({ length: count }, (_, k) => ({ text: 'K', word: k < count / 2 ? 0 : 1 }));
  const span = {
    first: 0,
    last,
    letters,
    starts: { arrive: letters.map((_, k) => 4 + 2 * k) },
    rest: letters.map((_, k) => 26 + 2 * k),
  } as unknown as Span;
  const draft = { first: 0, last, spans: [span] } as unknown as Draft;
  return { draft, span };
}

describe('the sheet', () => {
  it.each([1, 11, 60])('gives %i letters columns that follow each other inside the sheet', (count) => {
    const { draft, span } = made(count);
    const l = layOut(draft, span, 336, 650, false);
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
    const l = layOut(draft, span, 336, 650, true);
    for (let f = 0; f <= 300; f++) expect(yToFrame(l, frameToY(l, f))).toBe(f);
    expect(yToFrame(l, -50)).toBe(0);
    expect(yToFrame(l, 9999)).toBe(300);
  });

  it('takes hold of a start, a way, or the playhead', () => {
    const { draft, span } = made(11);
    const l = layOut(draft, span, 336, 650, false);
    const column = l.columns.find((c) => c.letter === 5);
    const x = (column?.x ?? 0) + 2;
    expect(hitAt(l, span, 'arrive', x, frameToY(l, 14))).toEqual({ kind: 'mark', letter: 5 });
    expect(hitAt(l, span, 'arrive', x, frameToY(l, 24))).toEqual({ kind: 'body', letter: 5 });
    expect(hitAt(l, span, 'arrive', x, frameToY(l, 60))).toEqual({ kind: 'playhead' });
    expect(hitAt(l, span, 'arrive', 3, frameToY(l, 14))).toEqual({ kind: 'playhead' });
  });

  it('moves the diagonal by its body and by the first start, stretches it by any other', () => {
    expect(dragged({ kind: 'body', letter: 3 }, 3, 4, 2, 6.2)).toEqual({ start: 10, delay: 2 });
    expect(dragged({ kind: 'mark', letter: 0 }, 0, 4, 2, -3)).toEqual({ start: 1, delay: 2 });
    const stretched = dragged({ kind: 'mark', letter: 10 }, 10, 4, 2, 20);
    expect(stretched).toEqual({ start: 4, delay: 4 });
    expect(stretched.start + 10 * stretched.delay).toBe(4 + 10 * 2 + 20);
  });

  it('is the same while no timing changes, and another as soon as one does', () => {
    const timed = (change: (draft: Draft) => void = () => {}) => {
      const { draft } = made(3, 4);
      draft.keyed = { '/steps/7/fit': [0.5] };
      (draft.spans[0] as Span).speeds = new Float32Array(15).fill(2);
      change(draft);
      return draft;
    };
    const span = (d: Draft) => d.spans[0] as Span;
    expect(sameTimes(timed(), timed())).toBe(true);
    expect(
      sameTimes(
        timed(),
        timed((d) => span(d).speeds.fill(2.00001)),
      ),
    ).toBe(true);
    const put = (change: object) => (d: Draft) => void Object.assign(d, change);
    const spanWith = (change: object) => (d: Draft) => void Object.assign(span(d), change);
    for (const change of [
      (d: Draft) => void span(d).speeds.fill(2.1, 7, 8),
      put({ last: 5 }),
      put({ keyed: {} }),
      spanWith({ rest: [26, 3, 30] }),
      spanWith({ letters: [] }),
      (d: Draft) => void d.spans.push(span(d)),
    ])
      expect(sameTimes(timed(), timed(change))).toBe(false);
  });
});
