import * as THREE from 'three';

/** A pass over the whole of a target: a material on a sheet that fills it. */
export class ScreenPass {
  private readonly sheet: THREE.Mesh;
  private readonly camera = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);

  constructor(readonly material: THREE.ShaderMaterial) {
    this.sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material);
    this.sheet.frustumCulled = false;
  }

  draw(renderer: THREE.WebGLRenderer, target: THREE.WebGLRenderTarget | null) {
    renderer.setRenderTarget(target);
    renderer.render(this.sheet, this.camera);
  }

  dispose() {
    this.material.dispose();
    this.sheet.geometry.dispose();
  }
}

/** A picture of scene-linear light. */
export function lightTarget(
  filter: THREE.MagnificationTextureFilter = THREE.LinearFilter,
): THREE.WebGLRenderTarget {
  const target = new THREE.WebGLRenderTarget(2, 2, { type: THREE.HalfFloatType });
  target.texture.minFilter = target.texture.magFilter = filter;
  return target;
}
