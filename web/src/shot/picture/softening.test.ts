import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { seenBy } from './softening';

const camera = new THREE.PerspectiveCamera(90, 2, 0.1, 100);
camera.updateMatrixWorld();
camera.updateProjectionMatrix();
const PICTURE = { width: 400, height: 200 };
const BOX: [number, number, number, number] = [0, 0, 1, 2];

describe('where a soft letter is found in a picture', () => {
  it('is as wide as its radius at that distance', () => {
    // A lens of 90 degrees: what is as far away as it is high above the middle lies on the border.
    for (const away of [1, 4, 10]) {
      const seen = seenBy(camera, new THREE.Matrix4().setPosition(0, 0, -away), BOX, 0.5, PICTURE);
      expect(seen.pixels).toBeCloseTo((0.5 * 100) / away, 6);
    }
  });

  it('is around the middle of its box, with room for its corners and its radius', () => {
    const seen = seenBy(camera, new THREE.Matrix4().setPosition(-0.5, -1, -5), BOX, 0.5, PICTURE);
    const round = ((Math.hypot(1, 2) + 0.5) * 100) / 5;
    expect(seen.within.min.toArray().map((v) => v + round)).toEqual(
      [200, 100].map((v) => expect.closeTo(v, 6)),
    );
    expect(seen.within.max.toArray().map((v) => v - round)).toEqual(
      [200, 100].map((v) => expect.closeTo(v, 6)),
    );
    const larger = seenBy(
      camera,
      new THREE.Matrix4().makeScale(2, 2, 2).setPosition(0, 0, -5),
      BOX,
      0.5,
      PICTURE,
    );
    expect(larger.within.max.x - larger.within.min.x).toBeGreaterThan(1.5 * 2 * round);
  });

  it('has no size behind the camera, nor does what is sharp', () => {
    const behind = seenBy(camera, new THREE.Matrix4().setPosition(0, 0, 1), BOX, 0.5, PICTURE);
    expect(behind.pixels).toBe(0);
    expect(behind.within.isEmpty()).toBe(true);
    expect(seenBy(camera, new THREE.Matrix4().setPosition(0, 0, -2), BOX, 0, PICTURE).pixels).toBe(0);
  });
});
