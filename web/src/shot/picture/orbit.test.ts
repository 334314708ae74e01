import { describe, expect, it } from 'vitest';
import { carried, nearer } from './orbit';

const far = (a: number[], b: number[]) => Math.hypot(...a.map((v, i) => v - (b[i] ?? 0)));

describe('a camera carried around its aim', () => {
  it('keeps its distance and goes to the right and up', () => {
    const aim = [1, 0.5, -2];
    const place = [1, 0.5, 8];
    const right = carried(place, aim, 90, 0);
    expect(right[0]).toBeCloseTo(11, 3);
    expect(right[2]).toBeCloseTo(-2, 3);
    const up = carried(place, aim, 0, 30);
    expect(up[1]).toBeCloseTo(5.5, 3);
    for (const [a, b] of [
      [37, 12],
      [-170, -40],
    ])
      expect(far(carried(place, aim, a as number, b as number), aim)).toBeCloseTo(10, 3);
  });

  it('never goes over the top', () => {
    const top = carried([0, 0, 5], [0, 0, 0], 0, 500);
    expect(top[1]).toBeLessThan(5);
    expect(top[1]).toBeGreaterThan(4.99);
  });

  it('comes nearer along its line of sight', () => {
    expect(nearer([2, 4, 6], [0, 0, 0], 0.5)).toEqual([1, 2, 3]);
  });
});
