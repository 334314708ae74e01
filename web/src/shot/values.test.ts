import { immutableJSONPatch } from 'immutable-json-patch';
import { describe, expect, it } from 'vitest';
import { at, EASES, easeName, isKeyed, type Keyed, keying, setting } from './values';

const shot = (size: unknown) => ({ steps: [{ size }] });
const path = '/steps/0/size';
const keyed = (...frames: number[]): Keyed => ({
  keys: frames.map((frame) => ({ frame, value: frame, ease: EASES[1]?.ease as never, hold: false })),
  before: 'hold',
  after: 'hold',
});
const apply = (document: unknown, patch: unknown) =>
  immutableJSONPatch(document as never, patch as never) as unknown;

describe('values', () => {
  it('tells keys from constants, arrays among them', () => {
    expect(isKeyed([1, 2, 3])).toBe(false);
    expect(isKeyed('left')).toBe(false);
    expect(isKeyed(keyed(1))).toBe(true);
  });

  it('replaces a constant and leaves the rest alone', () => {
    expect(apply(shot(1), setting(shot(1), path, 5, 2))).toEqual(shot(2));
  });

  it.each([
    [0, [0, 10, 20]],
    [15, [10, 15, 20]],
    [30, [10, 20, 30]],
  ])('puts a new key in order at frame %i', (frame, order) => {
    const document = shot(keyed(10, 20));
    const after = apply(document, setting(document, path, frame, 7));
    const value = at(after, path) as Keyed;
    expect(value.keys.map((k) => k.frame)).toEqual(order);
    expect(value.keys.find((k) => k.frame === frame)?.value).toBe(7);
  });

  it('changes the key that stands at the frame', () => {
    const document = shot(keyed(10, 20));
    const value = at(apply(document, setting(document, path, 20, 9)), path) as Keyed;
    expect(value.keys.map((k) => k.value)).toEqual([10, 9]);
  });

  it('keys, unkeys, and goes back to a constant with the last key', () => {
    const constant = shot(3);
    const once = apply(constant, keying(constant, path, 12, 3));
    expect((at(once, path) as Keyed).keys[0]).toMatchObject({ frame: 12, value: 3 });
    expect(apply(once, keying(once, path, 12, 3))).toEqual(constant);
    const two = shot(keyed(10, 20));
    expect((at(apply(two, keying(two, path, 10, 10)), path) as Keyed).keys.map((k) => k.frame)).toEqual([20]);
    expect((at(apply(two, keying(two, path, 15, 4)), path) as Keyed).keys.map((k) => k.frame)).toEqual([
      10, 15, 20,
    ]);
  });

  it('names eases it knows', () => {
    for (const { name, ease } of EASES) expect(easeName(ease)).toBe(name);
    expect(easeName({ leave: [0.11, 0.9], arrive: [0.2, 0.3] })).toBe('own');
  });
});
