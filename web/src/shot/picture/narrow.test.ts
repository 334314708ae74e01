import * as THREE from 'three';
import { expect, test } from 'vitest';
import { narrowed } from './narrow';

function looking() {
  const camera = new THREE.PerspectiveCamera(40, 16 / 9, 0.1, 100);
  camera.position.set(0.3, 0.2, 6);
  camera.updateMatrixWorld();
  return camera;
}

test('strips of a narrowed camera join to the whole picture', () => {
  const camera = looking();
  const point = new THREE.Vector3(0.7, -0.4, -1);
  const whole = point.clone().project(camera);
  const share = (whole.x + 1) / 2;
  for (const [from, to] of [
    [0, 0.25],
    [0.25, 0.7],
    [0.5, 0.75],
  ] as const) {
    narrowed(camera, from, to, () => {
      const { x, y, z } = point.clone().project(camera);
      expect(from + ((to - from) * (x + 1)) / 2).toBeCloseTo(share, 9);
      expect([y, z]).toEqual([whole.y, whole.z]);
    });
  }
});

test('what lies beside a strip is outside its camera, and the camera is whole again', () => {
  const camera = looking();
  const before = camera.projectionMatrix.toArray();
  const ball = new THREE.Sphere(new THREE.Vector3(-1.5, 0, 0), 0.2);
  const sees = () =>
    new THREE.Frustum()
      .setFromProjectionMatrix(camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse))
      .intersectsSphere(ball);
  narrowed(camera, 0, 0.5, () => expect(sees()).toBe(true));
  narrowed(camera, 0.5, 1, () => expect(sees()).toBe(false));
  expect(camera.projectionMatrix.toArray()).toEqual(before);
});
