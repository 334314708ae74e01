import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { mirrored } from './mirror';

function seeing(place: [number, number, number], aim: [number, number, number], shift: [number, number]) {
  const camera = new THREE.PerspectiveCamera(40, 16 / 9, 0.1, 100);
  camera.position.set(...place);
  camera.lookAt(new THREE.Vector3(...aim));
  camera.rotateZ(0.1);
  camera.updateProjectionMatrix();
  // A lens that is shifted, as the shot camera's may be.
  camera.projectionMatrix.elements[8] = shift[0];
  camera.projectionMatrix.elements[9] = shift[1];
  camera.updateMatrixWorld();
  return camera;
}

const CASES: [[number, number, number], [number, number, number], [number, number], number][] = [
  [[0, 2, 10], [0, 1, 0], [0, 0], 0],
  [[3, 1.2, 8], [-1, 0.5, 0.3], [0.2, -0.1], 0.4],
  [[-4, 5, 2], [0, 0, 0], [-0.3, 0.25], -1.5],
];

describe('a floor mirrors what stands on it', () => {
  it.each(CASES)(
    'where the eye sees it: from %j towards %j, shift %j, floor at %d',
    (place, aim, shift, floor) => {
      const eye = seeing(place, aim, shift);
      const below = new THREE.PerspectiveCamera();
      mirrored(eye, floor, below);
      for (const [x, high, z] of [
        [-1, 0.01, 0.5],
        [0.3, 0.7, -0.2],
        [1.4, 1.9, 1],
      ] as const) {
        const point = new THREE.Vector3(x, floor + high, z);
        const image = new THREE.Vector3(x, floor - high, z).project(eye);
        const seen = point
          .clone()
          .applyMatrix4(below.matrixWorldInverse)
          .applyMatrix4(below.projectionMatrix);
        expect(seen.x).toBeCloseTo(-image.x, 5);
        expect(seen.y).toBeCloseTo(image.y, 5);
        expect(seen.z).toBeGreaterThan(-1);
      }
    },
  );

  it.each(CASES)(
    'and nothing that lies below it: from %j towards %j, shift %j, floor at %d',
    (place, aim, shift, floor) => {
      const below = new THREE.PerspectiveCamera();
      mirrored(seeing(place, aim, shift), floor, below);
      const deep = new THREE.Vector3(0.2, floor - 0.05, 0.1);
      const { z } = deep.applyMatrix4(below.matrixWorldInverse).applyMatrix4(below.projectionMatrix);
      expect(z).toBeLessThan(-1);
    },
  );

  it('turns no letter inside out', () => {
    const below = new THREE.PerspectiveCamera();
    mirrored(seeing([0, 2, 10], [0, 1, 0], [0, 0]), 0, below);
    expect(below.matrix.determinant()).toBeGreaterThan(0);
  });
});
