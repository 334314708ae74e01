import { describe, expect, it } from 'vitest';
import { due, played } from './played';

describe('playing', () => {
  it('never shows a frame before the one it began at', () => {
    expect(due(-7, 25)).toBe(0);
    expect(due(39.9, 25)).toBe(0);
    expect(due(40, 25)).toBe(1);
  });

  it('goes round within its range, from where it began', () => {
    const range = { first: 20, last: 24, from: 23, loop: true };
    expect([0, 1, 2, 3, 6, 7].map((gone) => played(range, gone))).toEqual([23, 24, 20, 21, 24, 20]);
  });

  it('ends after the last frame when it does not go round', () => {
    const range = { first: 20, last: 24, from: 23, loop: false };
    expect([0, 1, 2].map((gone) => played(range, gone))).toEqual([23, 24, null]);
  });
});
