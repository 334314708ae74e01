import * as THREE from 'three';

/** Draw with a camera that sees only what is between two shares of its picture's width. */
export function narrowed(camera: THREE.Camera, from: number, to: number, draw: () => void) {
  const whole = camera.projectionMatrix.clone();
  camera.projectionMatrix.premultiply(
    new THREE.Matrix4().makeScale(1 / (to - from), 1, 1).setPosition((1 - from - to) / (to - from), 0, 0),
  );
  draw();
  camera.projectionMatrix.copy(whole);
}
