import * as THREE from 'three';

/** What a floor's shader needs to know of what is mirrored in it. */
export interface MirrorUniforms {
  [name: string]: THREE.IUniform;
  mirrorOn: { value: number };
  mirrorMap: { value: THREE.Texture };
  mirrorSize: { value: THREE.Vector2 };
  mirrorFront: { value: number };
  mirrorFocal: { value: number };
}

/** The letters as a flat floor mirrors them: the scene once more, by a camera below the floor. */
export class FloorMirror {
  private readonly target = new THREE.WebGLRenderTarget(2, 2, {
    type: THREE.HalfFloatType,
    generateMipmaps: true,
    minFilter: THREE.LinearMipmapLinearFilter,
    magFilter: THREE.LinearFilter,
  });
  private readonly camera = new THREE.PerspectiveCamera();
  readonly uniforms: MirrorUniforms = {
    mirrorOn: { value: 0 },
    mirrorMap: { value: this.target.texture },
    mirrorSize: { value: new THREE.Vector2(1, 1) },
    mirrorFront: { value: 0 },
    mirrorFocal: { value: 1 },
  };

  /** Draw what a camera sees in a floor at a height. The picture is so many pixels wide and high; what is not to be
   *  mirrored is not visible. */
  draw(
    renderer: THREE.WebGLRenderer,
    scene: THREE.Scene,
    seen: THREE.PerspectiveCamera,
    floor: number,
    front: number,
    [width, height]: [number, number],
  ) {
    const { camera, target, uniforms } = this;
    target.setSize(width, height);
    mirrored(seen, floor, camera);
    const { background, fog } = scene;
    const clear = renderer.getClearAlpha();
    scene.background = scene.fog = null;
    renderer.setClearAlpha(0);
    renderer.setRenderTarget(target);
    renderer.clear();
    renderer.render(scene, camera);
    renderer.setClearAlpha(clear);
    scene.background = background;
    scene.fog = fog;
    uniforms.mirrorOn.value = 1;
    uniforms.mirrorSize.value.set(width, height);
    uniforms.mirrorFront.value = front;
    uniforms.mirrorFocal.value = ((seen.projectionMatrix.elements[5] ?? 1) * height) / 2;
  }

  dispose() {
    this.target.dispose();
  }
}

/** A camera that sees from below the floor what another sees in it, left and right exchanged, and nothing below it. */
export function mirrored(seen: THREE.PerspectiveCamera, floor: number, camera: THREE.PerspectiveCamera) {
  const turned = new THREE.Matrix4().makeScale(1, -1, 1).setPosition(0, 2 * floor, 0);
  const across = new THREE.Matrix4().makeScale(-1, 1, 1);
  camera.matrixAutoUpdate = false;
  camera.matrix.copy(turned).multiply(seen.matrixWorld).multiply(across);
  camera.matrixWorld.copy(camera.matrix);
  camera.matrixWorldInverse.copy(camera.matrix).invert();
  const projection = camera.projectionMatrix.copy(across).multiply(seen.projectionMatrix).multiply(across);
  // The floor as the near plane (Lengyel, Oblique View Frustum Depth Projection and Clipping, 2005).
  const plane = new THREE.Plane(new THREE.Vector3(0, 1, 0), -floor - 1e-4).applyMatrix4(
    camera.matrixWorldInverse,
  );
  const e = projection.elements as unknown as Float64Array;
  const at = (k: number) => e[k] ?? 0;
  const clip = new THREE.Vector4(...plane.normal, plane.constant);
  const corner = new THREE.Vector4(
    (Math.sign(clip.x) + at(8)) / at(0),
    (Math.sign(clip.y) + at(9)) / at(5),
    -1,
    (1 + at(10)) / at(14),
  );
  clip.multiplyScalar(2 / clip.dot(corner));
  [e[2], e[6], e[10], e[14]] = [clip.x, clip.y, clip.z + 1, clip.w];
  camera.projectionMatrixInverse.copy(projection).invert();
}

export const MIRROR_HEAD = `
uniform float mirrorOn;
uniform sampler2D mirrorMap;
uniform vec2 mirrorSize;
uniform float mirrorFront;
uniform float mirrorFocal;
`;

/** What the floor mirrors takes the place of what it would see of the environment there. It is blurred as far as rough
 *  ground spreads a ray on its way to the letters' front: along the way that the ray comes twice the spread of the
 *  ground's normals, across it that times the cosine at which it comes. */
export const MIRRORED = `
if (mirrorOn > 0.5) {
  vec3 mirrorWay = inverseTransformDirection(reflect(-geometryViewDir, geometryNormal), viewMatrix);
  vec3 mirrorPlace = cameraPosition + (vec4(-vViewPosition, 0.0) * viewMatrix).xyz;
  float mirrorFar = mirrorWay.z < -1e-3 ? max((mirrorFront - mirrorPlace.z) / mirrorWay.z, 0.0) : 0.0;
  float mirrorAlpha = material.roughness * material.roughness;
  float mirrorSpread = 2.0 * mirrorAlpha * mirrorFocal * mirrorFar / (length(vViewPosition) + mirrorFar);
  vec2 mirrorBlur = mirrorSpread * vec2(max(dot(geometryNormal, geometryViewDir), 0.05), 1.0);
  vec2 mirrorAt = vec2(1.0 - gl_FragCoord.x / mirrorSize.x, gl_FragCoord.y / mirrorSize.y);
  float mirrorStep = mirrorBlur.y * 0.5;
  float mirrorLevel = max(log2(max(max(mirrorBlur.x, mirrorStep), 1.0)), 0.0);
  vec4 mirrorSum = vec4(0.0);
  float mirrorWeight = 0.0;
  for (int k = -5; k <= 5; k++) {
    float mirrorShare = exp(-0.125 * float(k * k));
    mirrorSum += mirrorShare * textureLod(mirrorMap, mirrorAt + vec2(0.0, float(k) * mirrorStep / mirrorSize.y), mirrorLevel);
    mirrorWeight += mirrorShare;
  }
  mirrorSum /= mirrorWeight;
  radiance = radiance * (1.0 - mirrorSum.a) + mirrorSum.rgb;
  #ifdef USE_CLEARCOAT
    vec4 mirrorCoat = textureLod(mirrorMap, mirrorAt, 0.0);
    clearcoatRadiance = clearcoatRadiance * (1.0 - mirrorCoat.a) + mirrorCoat.rgb;
  #endif
}
`;
