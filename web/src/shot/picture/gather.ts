import * as THREE from 'three';
import type { Lamp } from '../draft';
import { ScreenPass } from './screen';

/** How often a picture that stands still is drawn, where there is time for that. */
const MOST = 17;
const FEWEST = 3;
const FEWEST_SOFT = 11;
const TIME_MS = 1200;

/** How many pictures to gather when one takes so many milliseconds; 0 where it would be too few to be worth it. What is
 *  soft is seen so in no other way: then it is worth the time. */
export function gathered(ms: number, soft = false): number {
  const count = Math.max(soft ? FEWEST_SOFT : 0, Math.min(MOST, Math.floor(TIME_MS / Math.max(ms, 1))));
  return count < FEWEST ? 0 : count - 1 + (count % 2); // the middle, and pairs about it
}

/** The k-th of so many places in a disc of radius 1, as the core spreads them over the time of a shutter. */
export function placeInDisc(k: number, count: number): [number, number] {
  const distance = Math.sqrt((k + 0.5) / count);
  const angle = k * Math.PI * (3 - Math.sqrt(5));
  return [distance * Math.cos(angle), distance * Math.sin(angle)];
}

/** The k-th of a sequence of places in a square (-1 to 1): the middle, then pairs about it, so that none leans to a
 *  side, and each pair far from those before. (Roberts, "The Unreasonable Effectiveness of Quasirandom Sequences",
 *  2018.) */
export function placeInSquare(k: number, shift = 0): [number, number] {
  if (k === 0) return [0, 0];
  const plastic = 1.324717957244746;
  const side = k % 2 ? 1 : -1;
  const at = (step: number) => side * (2 * ((0.5 + shift + Math.ceil(k / 2) / step) % 1) - 1);
  return [at(plastic), at(plastic * plastic)];
}

/** A lamp that shines from a place of its own surface, and from its middle again. */
export function shineFrom(lamp: THREE.Object3D, light: Lamp, k: number, shift: number) {
  lamp.position.set(...light.centre);
  const [across, up] = placeInSquare(k, shift);
  if (k && light.kind === 'flat') {
    lamp.position.addScaledVector(U.set(...light.u), across).addScaledVector(U.set(...light.v), up);
  } else if (k && light.kind === 'around') {
    const turn = Math.PI * across;
    const ring = Math.sqrt(1 - up * up);
    const radius = Math.sqrt(light.area / (4 * Math.PI));
    lamp.position.addScaledVector(U.set(ring * Math.cos(turn), up, ring * Math.sin(turn)), radius);
  }
  if (lamp instanceof THREE.SpotLight) {
    lamp.target.position.copy(lamp.position).add(U.set(...light.normal));
  }
}

const U = new THREE.Vector3();

/** The mean of pictures in scene-linear light. */
export class Gathering {
  readonly target = new THREE.WebGLRenderTarget(2, 2, { type: THREE.HalfFloatType, depthBuffer: false });
  private readonly material = new THREE.ShaderMaterial({
    depthTest: false,
    depthWrite: false,
    transparent: true,
    uniforms: { picture: { value: null }, share: { value: 1 } },
    vertexShader: 'varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
    fragmentShader:
      'uniform sampler2D picture; uniform float share; varying vec2 at;' +
      'void main() { gl_FragColor = vec4(texture2D(picture, at).rgb, share); }',
  });
  private readonly screen = new ScreenPass(this.material);

  constructor() {
    this.target.texture.minFilter = this.target.texture.magFilter = THREE.LinearFilter;
  }

  /** Take in a picture, the k-th counted from 0. */
  add(renderer: THREE.WebGLRenderer, picture: THREE.WebGLRenderTarget, k: number) {
    this.target.setSize(picture.width, picture.height);
    (this.material.uniforms.picture as THREE.IUniform).value = picture.texture;
    (this.material.uniforms.share as THREE.IUniform).value = 1 / (k + 1);
    renderer.autoClear = k === 0;
    this.screen.draw(renderer, this.target);
    renderer.autoClear = true;
  }

  dispose() {
    this.target.dispose();
    this.screen.dispose();
  }
}
