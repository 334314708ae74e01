import { describe, expect, it } from 'vitest';
import type { Draft, Span } from '../draft';
import type { Shot } from '../open/state';
import { grips, handleEdit, joined, removal, ringEdit, within } from './grips';
import { layOut } from './layout';

const LENS = '/steps/0/lens';
const key = (frame: number, value: number, more: object = {}) => ({
  frame,
  value,
  ease: { leave: [0.4, 0], arrive: [0.35, 1] },
  hold: false,
  ...more,
});

function made(...keys: ReturnType<typeof key>[]) {
  const document = { steps: [{ kind: 'camera', id: 'camera', lens: { keys } }] } as unknown as Shot;
  const letters = Array.from({ length: 4 }, () => ({ text: 'K', word: 0 }));
  const span = { first: 0, last: 99, letters, starts: {}, rest: [] } as unknown as Span;
  const keyed = { [LENS]: Array.from({ length: 100 }, (_, f) => 20 + f / 2) };
  const draft = { first: 0, last: 99, spans: [span], keyed } as unknown as Draft;
  const layout = layOut(
    draft,
    span,
    440,
    700,
    { paths: [LENS], isolated: {}, fitted: false },
    new Set(['camera']),
  );
  return { document, draft, layout, all: grips(layout, document, draft, {}) };
}

describe('what the sheet can take hold of', () => {
  it('has a ring a key in its column and in its lane, and two handles a way', () => {
    const { all } = made(key(0, 20), key(50, 45), key(90, 60));
    const count = (kind: string) => all.filter((g) => g.kind === kind).length;
    expect([count('rings'), count('ring'), count('handle')]).toEqual([3, 3, 4]);
  });

  it('has no handles where a value holds, does not change, or is smooth', () => {
    expect(made(key(0, 20, { hold: true }), key(50, 45)).all.some((g) => g.kind === 'handle')).toBe(false);
    expect(made(key(0, 20), key(50, 20)).all.some((g) => g.kind === 'handle')).toBe(false);
    const sides = made(key(0, 20), key(50, 45, { smooth: true })).all.filter((g) => g.kind === 'handle');
    expect(sides).toHaveLength(1);
  });

  it('has rings and handles of the part that is shown alone', () => {
    const path = '/steps/0/place';
    const keys = [key(0, 0), key(50, 0)].map((k, i) => ({ ...k, value: [i, 2 * i, 3 * i] }));
    const { draft } = made(key(0, 20));
    const document = { steps: [{ kind: 'block', id: 'b', place: { keys } }] } as unknown as Shot;
    draft.keyed[path] = Array.from({ length: 100 }, (_, f) => [f, 2 * f, 3 * f]) as never;
    const found = (isolated: Record<string, number>) => {
      const curves = { paths: [path], isolated, fitted: false };
      const layout = layOut(draft, draft.spans[0] as Span, 440, 700, curves);
      return grips(layout, document, draft, {}).filter((g) => g.kind !== 'rings');
    };
    expect(found({})).toHaveLength(6 + 6);
    const alone = found({ [path]: 2 });
    expect(alone).toHaveLength(2 + 2);
    expect(alone.every((g) => g.part === 2)).toBe(true);
  });

  it('moves a handle to the point, never back in time', () => {
    const { all, layout, document } = made(key(0, 20), key(50, 45));
    const handle = all.find((g) => g.kind === 'handle' && g.side === 'leave');
    if (handle?.kind !== 'handle') throw new Error('no handle');
    const same = handleEdit(layout, document, handle, handle.x, handle.y)[0]?.value as { leave: number[] };
    expect(same.leave[0]).toBeCloseTo(0.4, 2);
    expect(same.leave[1]).toBeCloseTo(0, 2);
    const up = handleEdit(layout, document, handle, handle.x, -500)[0]?.value as { leave: number[] };
    expect(up.leave[0]).toBe(0);
  });

  it('moves a key between its neighbours, and its value sideways', () => {
    const { all, layout, document } = made(key(0, 20), key(50, 45), key(90, 60));
    const ring = all.find((g) => g.kind === 'ring' && g.index === 1);
    if (ring?.kind !== 'ring') throw new Error('no ring');
    expect(ringEdit(layout, document, ring, 0, 10 * layout.perFrame)).toEqual([
      { op: 'replace', path: `${LENS}/keys/1/frame`, value: 60 },
    ]);
    expect(ringEdit(layout, document, ring, 0, 9000)[0]?.value).toBe(89);
    expect(ringEdit(layout, document, ring, 0, -9000)[0]?.value).toBe(1);
    const [sideways] = ringEdit(layout, document, ring, 20, 0);
    expect(sideways?.path).toBe(`${LENS}/keys/1/value`);
    expect(Number(sideways?.value)).toBeGreaterThan(45);
  });

  it('chooses what lies in a rectangle, and lets go on a second press', () => {
    const { all } = made(key(0, 20), key(50, 45));
    const both = within(all, -1e9, -1e9, 1e9, 1e9);
    expect(both).toEqual({ [LENS]: [0, 50] });
    expect(joined(both, { [LENS]: [0] })).toEqual({ [LENS]: [50] });
    expect(joined({ [LENS]: [50] }, { [LENS]: [50] })).toEqual({});
  });

  it('removes keys from the last to the first; a value without keys stays as it is', () => {
    const { document } = made(key(0, 20), key(50, 45), key(90, 60));
    expect(removal(document, { [LENS]: [0, 90] }, () => 0).map((o) => o.path)).toEqual([
      `${LENS}/keys/2`,
      `${LENS}/keys/0`,
    ]);
    expect(removal(document, { [LENS]: [0, 50, 90] }, () => 33)).toEqual([
      { op: 'replace', path: LENS, value: 33 },
    ]);
  });
});
