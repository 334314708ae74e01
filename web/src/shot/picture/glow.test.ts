import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import type { Look, Span } from '../draft';
import { extent, Glows, rows } from './glow';

const box = () => new THREE.BoxGeometry(1, 2, 0.5).translate(0.5, 1, 0);

function titled(count: number, glow: [number, number, number]) {
  const letters = Array.from({ length: count }, () => ({ block: 0, recipe: 'a' }));
  const poses = new Float32Array(count * 16);
  for (let k = 0; k < count; k++) new THREE.Matrix4().makeTranslation(2 * k, 0, 1).toArray(poses, k * 16);
  const span = { first: 0, last: 0, letters, poses } as unknown as Span;
  const dresses = [
    [
      { part: 'face', glow },
      { part: 'edge', glow: [0, 0, 0] },
    ],
  ];
  const look = { blocks: [{ dresses, wears: letters.map(() => 0) }] } as unknown as Look;
  return { span, look, built: new Map([['a', new Map([['face', box()]])]]) };
}

describe('glowing letters', () => {
  it('are measured by their surface', () => {
    const { area, sum } = extent(box());
    expect(area).toBeCloseTo(2 * (2 + 0.5 + 1), 6);
    expect(sum.divideScalar(area).toArray()).toEqual([0.5, 1, 0].map((v) => expect.closeTo(v, 6)));
  });

  it('stand in rows of about equally many', () => {
    expect(rows([1, 2, 3], 6)).toEqual([[1], [2], [3]]);
    const many = rows(
      Array.from({ length: 40 }, (_, k) => k),
      6,
    );
    expect(many).toHaveLength(6);
    expect(many.flat()).toEqual(Array.from({ length: 40 }, (_, k) => k));
    expect(Math.max(...many.map((m) => m.length)) - Math.min(...many.map((m) => m.length))).toBeLessThan(2);
    expect(rows([], 6)).toEqual([]);
  });

  it('light what is around them from where they are, with all of their light', () => {
    const { span, look, built } = titled(13, [4, 2, 0]);
    const glows = new Glows();
    glows.take(span, look, built);
    glows.place(span, 0);
    const lights = glows.lights.children as THREE.PointLight[];
    expect(lights).toHaveLength(6);
    const sent = lights.reduce((sum, l) => sum + l.intensity, 0);
    expect(sent).toBeCloseTo((13 * 4 * 7) / 4, 4);
    expect(lights[0]?.color.toArray()).toEqual([1, 0.5, 0]);
    expect(lights[0]?.position.toArray()).toEqual([0.5 + 1, 1, 1].map((v) => expect.closeTo(v, 5)));
  });

  it('go out, and leave no light', () => {
    const { span, look, built } = titled(3, [1, 1, 1]);
    const glows = new Glows();
    glows.take(span, look, built);
    expect(glows.lights.children).toHaveLength(3);
    const dark = titled(3, [0, 0, 0]);
    glows.take(dark.span, dark.look, dark.built);
    expect(glows.lights.children).toHaveLength(0);
  });
});
