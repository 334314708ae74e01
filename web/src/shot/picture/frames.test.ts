import { describe, expect, it } from 'vitest';
import { ASPECTS, within } from './frames';

describe('frames of other shapes', () => {
  it('have their shape, lie in the middle and reach two borders', () => {
    for (const own of [16 / 9, 9 / 16, 1, 2.39]) {
      for (const [, other] of ASPECTS) {
        const [left, top, width, height] = within(other, own);
        expect((width * own) / height).toBeCloseTo(other, 9);
        expect(left * 2 + width).toBeCloseTo(1, 9);
        expect(top * 2 + height).toBeCloseTo(1, 9);
        expect(Math.max(width, height)).toBe(1);
      }
    }
  });
});
