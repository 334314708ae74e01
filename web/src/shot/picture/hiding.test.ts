import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import type { Look, Span, Surface } from '../draft';
import { around, Hiding, lostIn } from './hiding';

const axis = (u: THREE.Vector4 | undefined) => u?.toArray().slice(0, 3) ?? [];
const BOX: [number, number, number, number] = [0, 0, 1, 2];

describe('letters that keep light off', () => {
  it('stand as the rectangle around them, which lies as they do', () => {
    const turned = new THREE.Matrix4().makeRotationX(-Math.PI / 2);
    const boxes = [0, 3].map((x) => ({
      pose: new THREE.Matrix4().makeTranslation(x, 1, 0).multiply(turned),
      box: BOX,
      depth: -0.25,
      area: 1.5,
    }));
    const { middle, u, v, area } = around(boxes);
    // The first turned from upright to lying: up goes away from the eye, and its depth goes down.
    expect(middle.toArray()).toEqual([2, 0.75, -1].map((at) => expect.closeTo(at, 6)));
    expect(u.toArray()).toEqual([2, 0, 0].map((at) => expect.closeTo(at, 6)));
    expect(v.toArray()).toEqual([0, 0, -1].map((at) => expect.closeTo(at, 6)));
    expect(area).toBeCloseTo(3, 9);
  });

  it('are taken together where they are many, and hide as much as there is of them', () => {
    const count = 40;
    const letters = Array.from({ length: count }, () => ({ block: 0, recipe: 'a', box: BOX }));
    const poses = new Float32Array(count * 16);
    for (let k = 0; k < count; k++) new THREE.Matrix4().makeTranslation(k, 0, 0).toArray(poses, k * 16);
    const span = { first: 0, last: 0, letters, poses } as unknown as Span;
    // Half of the box, in front and behind.
    const face = new THREE.BufferGeometry();
    const [near, far] = [0, -0.5].map((z) => [0, 0, z, 1, 0, z, 0, 2, z]) as [number[], number[]];
    face.setAttribute('position', new THREE.Float32BufferAttribute([...near, ...far], 3));
    face.setIndex([0, 1, 2, 3, 4, 5]);
    const hiding = new Hiding();
    const steel = { part: 'face', colour: [0.5, 0.5, 0.5], transmission: 0 };
    const look = { blocks: [{ dresses: [[steel]], wears: letters.map(() => 0) }] } as unknown as Look;
    hiding.take(span, look, new Map([['a', new Map([['face', face]])]]));
    hiding.place(span, 0);
    const { hiderCount, hiderAt, hiderU, hiderV } = hiding.uniforms;
    expect(hiderCount.value).toBe(6);
    const areas = hiderAt.value.map(
      (at, k) => 4 * at.w * Math.hypot(...axis(hiderU.value[k])) * (hiderV.value[k]?.length() ?? 0),
    );
    expect(areas.reduce((sum, area) => sum + area, 0)).toBeCloseTo(1.5 * count, 4);
    expect(hiderAt.value.every((at) => Math.abs(at.w - 0.75) < 1e-6)).toBe(true);
    expect(hiderU.value.every((u) => Math.abs(u.w - 0.5) < 1e-6)).toBe(true);
    hiding.take({ ...span, letters: [] } as unknown as Span, look, new Map());
    expect(hiderCount.value).toBe(0);
  });

  it('send on what their material does not swallow', () => {
    const lost = (colour: [number, number, number], transmission = 0) =>
      lostIn({ colour, transmission } as unknown as Surface);
    expect(lost([0, 0, 0])).toBe(1);
    expect(lost([1, 1, 1])).toBeCloseTo(0, 9);
    expect(lost([0, 1, 0])).toBeCloseTo(1 - 0.7152, 9);
    expect(lost([0, 0, 0], 1)).toBe(0);
    expect(lostIn(undefined)).toBe(1);
  });
});
