import { describe, expect, it } from 'vitest';
import { between, nearest } from './starts';

const SQUARE: [number, number][] = [
  [0, 0],
  [0, 10],
  [10, 10],
  [10, 0],
  [0, 0],
];

describe('the start of a contour', () => {
  it('lies at its share of the way along it', () => {
    expect(between(SQUARE, 0)).toEqual([0, 0]);
    expect(between(SQUARE, 0.375)).toEqual([5, 10]);
    expect(between(SQUARE, 0.9)).toEqual([expect.closeTo(4), 0]);
    expect(between([null, ...SQUARE.slice(1)], 0.1)).toBeNull();
  });

  it('follows the pointer to the nearest place, however far off that is', () => {
    expect(nearest(SQUARE, [5, 40])).toBeCloseTo(0.375);
    expect(nearest(SQUARE, [9.5, 4])).toBeCloseTo(0.65);
    for (const share of [0.1, 0.3, 0.6, 0.9])
      expect(nearest(SQUARE, between(SQUARE, share) ?? [0, 0])).toBeCloseTo(share);
  });
});
