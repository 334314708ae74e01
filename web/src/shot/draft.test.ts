import { describe, expect, it } from 'vitest';
import { poseAt, readDraft, spanAt, unframe } from './draft';

function packed(head: object, tables: number[][]): ArrayBuffer {
  const text = JSON.stringify(head);
  const padded = new TextEncoder().encode(text + ' '.repeat((4 - (text.length % 4)) % 4));
  const floats = new Float32Array(tables.flat());
  const out = new Uint8Array(4 + padded.length + floats.byteLength);
  new DataView(out.buffer).setUint32(0, padded.length, true);
  out.set(padded, 4);
  out.set(new Uint8Array(floats.buffer), 4 + padded.length);
  return out.buffer;
}

const range = (n: number, from = 0) => Array.from({ length: n }, (_, k) => k + from);

describe('the draft', () => {
  it('is read as it was packed: poses and speeds a span, then the camera', () => {
    const span = (first: number, last: number, letters: number) => ({
      first,
      last,
      letters: range(letters).map(() => ({})),
      starts: {},
      rest: [],
    });
    const head = { first: 0, last: 2, spans: [span(0, 0, 1), span(1, 2, 2)] };
    const draft = readDraft(
      packed(head, [
        range(16),
        range(64, 100),
        range(48, 1000),
        [0.5, 0.4, 0.3, 0],
        [1],
        [...[1, 2, 3, 4], ...[5, 6, 7, 8], ...range(8)],
        [0, 1, 2, 3],
      ]),
    );
    expect(draft.spans[0]?.speeds.all[0]).toBe(0.5);
    expect([...(draft.spans[1]?.speeds.all ?? [])]).toEqual([1, 2, 3, 4]);
    expect([...(draft.spans[1]?.speeds.place ?? [])]).toEqual([5, 6, 7, 8]);
    expect([...(draft.spans[1]?.contacts ?? [])]).toEqual([0, 1, 2, 3]);
    const second = spanAt(draft, 2);
    if (!second) throw new Error('no span');
    expect(poseAt(second, 2, 1)[0]).toBe(100 + 16 * 3);
    expect(draft.camera[0]).toBe(1000);
    expect(spanAt(draft, 3)).toBeUndefined();
  });

  it('keeps the body apart from a head of any length', () => {
    for (const name of ['', 'x', 'xy', 'xyz']) {
      const { head, body } = unframe(packed({ name }, [[7]]));
      expect(head).toEqual({ name });
      expect(new Float32Array(body)[0]).toBe(7);
    }
  });
});
