import { describe, expect, it } from 'vitest';
import { local, matrixOf, shapeLines, type ZoneNow } from './zone';

const zone = (more: Partial<ZoneNow> = {}): ZoneNow => ({
  shape: 'ball',
  place: [1, 2, 3],
  turn: [0, 0, 0],
  size: [0.5, 0.2, 0.3],
  run: 1,
  ...more,
});

describe('a zone in the picture', () => {
  it('turns about x, then y, then z, and stands at its place', () => {
    const m = matrixOf(zone({ turn: [90, 0, 90] }));
    const at = local(m, [0, 1, 0]).map((v) => Math.round(v * 1e6) / 1e6);
    expect(at).toEqual([1, 2, 4]); // y goes to z about x, and z stays about z
    expect(local(m, [0, 0, 0])).toEqual([1, 2, 3]);
  });

  it('has all points of a ball, and of its run, at their distance', () => {
    for (const more of [0, 0.7])
      for (const point of shapeLines(zone(), more).flat())
        expect(Math.hypot(...point)).toBeCloseTo(0.5 + more);
  });

  it('has the corners of a box, the sides of a slab, and the tube of a ring', () => {
    const box = shapeLines(zone({ shape: 'box' }), 0).flat();
    for (const [x = 0, y = 0, z = 0] of box)
      expect([Math.abs(x), Math.abs(y), Math.abs(z)]).toEqual([0.5, 0.2, 0.3]);
    for (const [x = 0] of shapeLines(zone({ shape: 'slab' }), 0.25).flat()) expect(Math.abs(x)).toBe(0.75);
    for (const [x = 0, y = 0, z = 0] of shapeLines(zone({ shape: 'ring' }), 0)
      .slice(2)
      .flat())
      expect(Math.hypot(Math.hypot(x, y) - 0.5, z)).toBeCloseTo(0.2);
  });
});
