import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import type { Lamp } from '../draft';
import { gathered, placeInDisc, placeInPixel, placeInSquare, shineFrom } from './gather';

const flat = {
  kind: 'flat',
  centre: [1, 4, 2],
  normal: [0, -1, 0],
  u: [0.5, 0, 0],
  v: [0, 0, 0.25],
  area: 0.5,
} as Lamp;

describe('gathering pictures', () => {
  it('takes as many as there is time for, and enough for smooth edges where there is hardly any', () => {
    expect(gathered(2)).toBe(17);
    expect(gathered(700)).toBe(11);
    expect(gathered(3000)).toBe(7);
    expect(gathered(3000, 1, true)).toBe(11);
  });

  it('gives each lamp that throws a shadow as many turns, beside the first picture', () => {
    for (const turns of [2, 3, 5, 8])
      for (const ms of [2, 100, 700, 3000]) expect((gathered(ms, turns) - 1) % turns).toBe(0);
    expect(gathered(2, 3)).toBe(16);
    expect(gathered(3000, 8)).toBe(9);
  });

  it('goes to places that fill a disc evenly', () => {
    const places = Array.from({ length: 64 }, (_, k) => placeInDisc(k, 64));
    expect(Math.hypot(...(places.at(-1) ?? [0, 0]))).toBeLessThan(1);
    for (const axis of [0, 1] as const) {
      expect(Math.abs(places.reduce((sum, p) => sum + p[axis], 0) / 64)).toBeLessThan(0.03);
      expect(places.reduce((sum, p) => sum + p[axis] ** 2, 0) / 64).toBeCloseTo(0.25, 1);
    }
  });

  it('goes to places that begin in the middle and fill a square evenly', () => {
    expect(placeInSquare(0)).toEqual([0, 0]);
    const places = Array.from({ length: 17 }, (_, k) => placeInSquare(k));
    for (const axis of [0, 1] as const) {
      const mean = places.reduce((sum, p) => sum + p[axis], 0);
      expect(mean).toBeCloseTo(0, 12);
      const square = places.reduce((sum, p) => sum + p[axis] ** 2, 0) / 17;
      expect(Math.abs(square - 1 / 3)).toBeLessThan(0.06);
    }
    const quarters = new Set(places.map(([x, y]) => `${x > 0} ${y > 0}`));
    expect(quarters.size).toBe(4);
  });

  it('sees from within a pixel as the renderer filters it', () => {
    const places = Array.from({ length: 801 }, (_, k) => placeInPixel(k));
    for (const axis of [0, 1] as const) {
      expect(places.reduce((sum, p) => sum + p[axis], 0)).toBeCloseTo(0, 9);
      const square = places.reduce((sum, p) => sum + p[axis] ** 2, 0) / 801;
      expect(Math.sqrt(square)).toBeCloseTo(0.42, 2);
      const within = places.filter((p) => Math.abs(p[axis]) < 0.42).length / 801;
      expect(within).toBeCloseTo(0.683, 2);
    }
  });

  it('lets a flat lamp shine from its surface, with its aim, and from its middle at first', () => {
    const lamp = new THREE.SpotLight();
    for (let k = 0; k < 16; k++) {
      shineFrom(lamp, flat, k, 0.3);
      expect(lamp.position.y).toBeCloseTo(4, 9);
      expect(Math.abs(lamp.position.x - 1)).toBeLessThanOrEqual(0.5);
      expect(Math.abs(lamp.position.z - 2)).toBeLessThanOrEqual(0.25);
      expect(lamp.target.position.clone().sub(lamp.position).toArray()).toEqual([0, -1, 0]);
      if (!k) expect(lamp.position.toArray()).toEqual([1, 4, 2]);
    }
  });

  it('lets a ball shine from its surface, and a sun from its disc', () => {
    const ball = { ...flat, kind: 'around', area: 4 * Math.PI * 0.04 } as Lamp;
    const lamp = new THREE.PointLight();
    shineFrom(lamp, ball, 5, 0);
    expect(lamp.position.distanceTo(new THREE.Vector3(1, 4, 2))).toBeCloseTo(0.2, 6);
    const sun = new THREE.DirectionalLight();
    const disc = { ...flat, kind: 'sun', u: [0.01, 0, 0], v: [0, 0, 0.01] } as Lamp;
    for (let k = 0; k < 9; k++) {
      shineFrom(sun, disc, k, 0);
      const way = sun.target.position.clone().sub(sun.position);
      expect(way.angleTo(new THREE.Vector3(0, -1, 0))).toBeLessThan(0.0142);
      if (!k) expect(sun.position.toArray()).toEqual([1, 4, 2]);
    }
  });
});
