import * as THREE from 'three';
import type { Surface } from '../draft';
import { dress } from './dress';

/** Where the ball stands in the picture's lower left corner, in pixels of the page. */
export const BALL = { size: 84, margin: 12 };

/** A ball in which the title's own material mirrors the environment, over the picture. */
export class Probe {
  shown = false;
  private readonly ball = new THREE.Mesh(
    new THREE.SphereGeometry(1, 48, 32),
    new THREE.MeshPhysicalMaterial(),
  );
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.OrthographicCamera(-1.02, 1.02, 1.02, -1.02, 0.1, 10);

  constructor() {
    this.scene.add(this.ball);
    this.camera.position.z = 3;
  }

  /** Draw it into a target whose pixels are so many for one of the page. */
  draw(
    renderer: THREE.WebGLRenderer,
    target: THREE.WebGLRenderTarget,
    ratio: number,
    surface: Surface | undefined,
    around: THREE.Scene,
  ) {
    if (!this.shown) return;
    if (surface) dress(this.ball.material, { ...surface, transmission: 0, opacity: 1 });
    this.scene.environment = around.environment;
    this.scene.environmentIntensity = around.environmentIntensity;
    this.scene.environmentRotation.copy(around.environmentRotation);
    const [margin, size] = [BALL.margin * ratio, BALL.size * ratio];
    target.viewport.set(margin, margin, size, size);
    target.scissor.set(margin, margin, size, size);
    renderer.autoClear = false;
    renderer.setRenderTarget(target);
    renderer.clearDepth();
    renderer.render(this.scene, this.camera);
    renderer.autoClear = true;
    target.viewport.set(0, 0, target.width, target.height);
    target.scissor.set(0, 0, target.width, target.height);
  }

  dispose() {
    this.ball.geometry.dispose();
    this.ball.material.dispose();
  }
}
