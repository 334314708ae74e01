import * as THREE from 'three';
import { DISPLAY } from '../../api/facts';
import { ScreenPass } from './screen';

const { size: SIZE, low: LOW, high: HIGH, middle: MIDDLE } = DISPLAY;

/** From the light of a frame to the picture: what the core's finish does, between the camera's exposure and the display
 *  transform, which is the same as of proof and take. A treatment would be a pass of its own, over the exposed light. */
export class Finish {
  private readonly material: THREE.ShaderMaterial;
  private readonly screen: ScreenPass;

  constructor(table: ArrayBuffer) {
    const lut = new THREE.Data3DTexture(new Uint8Array(table), SIZE, SIZE, SIZE);
    lut.format = THREE.RGBAFormat;
    lut.minFilter = lut.magFilter = THREE.LinearFilter;
    lut.needsUpdate = true;
    this.material = new THREE.ShaderMaterial({
      depthTest: false,
      depthWrite: false,
      toneMapped: false,
      glslVersion: THREE.GLSL3,
      uniforms: { picture: { value: null }, table: { value: lut }, grade: { value: new THREE.Matrix3() } },
      vertexShader: 'out vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
      fragmentShader: `
        precision highp sampler3D;
        uniform sampler2D picture; uniform sampler3D table; uniform mat3 grade; in vec2 at; out vec4 colour;
        void main() {
          vec3 light = max(grade * texture(picture, at).rgb, vec3(1e-6));
          vec3 s = clamp((log2(light / ${MIDDLE}) - ${LOW.toFixed(1)}) / ${(HIGH - LOW).toFixed(1)}, 0.0, 1.0);
          colour = vec4(texture(table, s * ${((SIZE - 1) / SIZE).toFixed(8)} + ${(0.5 / SIZE).toFixed(8)}).rgb, 1.0);
        }`,
    });
    this.screen = new ScreenPass(this.material);
  }

  show(renderer: THREE.WebGLRenderer, picture: THREE.Texture, grade: number[]) {
    const [a = 1, b = 0, c = 0, d = 0, e = 1, f = 0, g = 0, h = 0, i = 1] = grade;
    (this.material.uniforms.grade as THREE.IUniform<THREE.Matrix3>).value.set(a, b, c, d, e, f, g, h, i);
    (this.material.uniforms.picture as THREE.IUniform).value = picture;
    this.screen.draw(renderer, null);
  }

  dispose() {
    (this.material.uniforms.table as THREE.IUniform).value.dispose();
    this.screen.dispose();
  }
}
