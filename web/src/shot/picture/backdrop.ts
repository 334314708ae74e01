import * as THREE from 'three';
import type { Backdrop as Behind } from '../draft';
import { picture } from './grain';

/** What fills the frame behind everything, as the core has it: the colours of its corners, and a picture over them. */
export class Backdrop {
  private readonly uniforms = {
    corners: { value: [0, 1, 2, 3].map(() => new THREE.Vector3()) },
    picture: { value: null as THREE.Texture | null },
    seen: { value: new THREE.Vector2(1, 1) },
    share: { value: 0 },
    size: { value: new THREE.Vector2(1, 1) }, // of the whole picture: what is drawn may be a strip of it
  };
  readonly sheet: THREE.Mesh;
  private id: string | null = null;

  constructor() {
    const material = new THREE.ShaderMaterial({
      depthTest: false,
      depthWrite: false,
      toneMapped: false,
      fog: false,
      uniforms: this.uniforms,
      vertexShader: 'void main() { gl_Position = vec4(position.xy, 1.0, 1.0); }',
      fragmentShader: `
        uniform vec3 corners[4]; uniform sampler2D picture; uniform vec2 seen; uniform float share;
        uniform vec2 size;
        void main() {
          vec2 at = gl_FragCoord.xy / size;
          vec3 light = mix(mix(corners[0], corners[1], at.x), mix(corners[2], corners[3], at.x), at.y);
          if (share > 0.5) {
            vec4 over = texture2D(picture, 0.5 + (at - 0.5) * seen);
            light = mix(light, over.rgb, over.a);
          }
          gl_FragColor = vec4(light, 1.0);
        }`,
    });
    this.sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material);
    this.sheet.frustumCulled = false;
    this.sheet.renderOrder = -1;
    this.sheet.onBeforeRender = (renderer) => {
      const target = renderer.getRenderTarget();
      if (target) this.uniforms.size.value.set(target.width, target.height);
    };
    this.sheet.visible = false;
  }

  /** Show it, or with null nothing. Answers when its picture has come, if there is one to wait for. */
  show(behind: Behind | null): Promise<void> | null {
    this.sheet.visible = behind !== null;
    if (!behind) return null;
    const { uniforms } = this;
    for (const [k, colour] of behind.corners.entries()) uniforms.corners.value[k]?.set(...colour);
    uniforms.seen.value.set(...(behind.seen ?? [1, 1]));
    if (behind.picture === this.id) return null;
    this.id = behind.picture;
    uniforms.share.value = 0;
    if (!this.id) return null;
    const { id } = this;
    return picture(id, 'once').then((texture) => {
      if (this.id !== id) return;
      uniforms.picture.value = texture;
      uniforms.share.value = 1;
    });
  }

  dispose() {
    this.sheet.geometry.dispose();
    (this.sheet.material as THREE.Material).dispose();
  }
}
