import * as THREE from 'three';
import type { Lamp } from '../draft';
import { ScreenPass } from './screen';

/** How often a picture that stands still is drawn, where there is time for that, and where there is not. */
const MOST = 17;
const FEWEST = 7;
const FEWEST_SOFT = 11;
const TIME_MS = 8000;
/** Standard deviation of the renderer's pixel filter, in pixels. */
const FILTER = 0.42;

/** How many pictures to gather when one takes so many milliseconds. Lamps that throw their shadows in turn get as many
 *  turns each, beside the first picture, which is not counted. What is soft is seen so in no other way: then more are
 *  worth the time. */
export function gathered(ms: number, turns = 1, soft = false): number {
  const fewest = soft ? FEWEST_SOFT : FEWEST;
  const count = Math.max(fewest, Math.min(MOST, Math.floor(TIME_MS / Math.max(ms, 1))));
  if (turns > 1) return 1 + turns * Math.max(1, Math.round((count - 1) / turns));
  return count - 1 + (count % 2); // the middle, and pairs about it
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

/** How far from the middle of its pixel the k-th picture sees, in pixels: by the renderer's Gaussian filter. */
export function placeInPixel(k: number): [number, number] {
  return placeInSquare(k).map((share) => FILTER * spreadOf(share)) as [number, number];
}

/** Where a share of what is normally distributed lies within, in standard deviations (Winitzki, "A Handy Approximation
 *  for the Error Function and its Inverse", 2008). */
function spreadOf(share: number): number {
  const log = Math.log(1 - share * share);
  const half = 2 / (Math.PI * 0.147) + log / 2;
  return Math.sign(share) * Math.sqrt(2 * (Math.sqrt(half * half - log / 0.147) - half));
}

/** By how many whole pixels the k-th picture is moved: over four pictures every pixel is once at every place of the
 *  squares of four pixels that are drawn together, whose textures are compared in their middle. */
export function placeInSquareOfFour(k: number): [number, number] {
  return [k % 2, (k >> 1) % 2];
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
  if (k && light.kind === 'sun') {
    // Its half edges are those of its disc in the sky, a metre away.
    lamp.position
      .addScaledVector(U.set(...light.u), across * SUN_AT)
      .addScaledVector(U.set(...light.v), up * SUN_AT);
  }
  if (lamp instanceof THREE.DirectionalLight) {
    lamp.target.position.set(...light.centre).addScaledVector(U.set(...light.normal), SUN_AT);
  }
  if (lamp instanceof THREE.SpotLight) {
    lamp.target.position.copy(lamp.position).add(U.set(...light.normal));
  }
}

/** Metres from a sun to what it is turned to. */
const SUN_AT = 50;
const U = new THREE.Vector3();

/** The mean of pictures in scene-linear light. */
export class Gathering {
  readonly target = new THREE.WebGLRenderTarget(2, 2, { type: THREE.HalfFloatType, depthBuffer: false });
  private readonly material = new THREE.ShaderMaterial({
    depthTest: false,
    depthWrite: false,
    transparent: true,
    uniforms: { picture: { value: null }, share: { value: 1 }, moved: { value: new THREE.Vector2() } },
    vertexShader: 'varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
    fragmentShader:
      'uniform sampler2D picture; uniform float share; uniform vec2 moved; varying vec2 at;' +
      'void main() { gl_FragColor = vec4(texture2D(picture, at + moved).rgb, share); }',
  });
  private readonly screen = new ScreenPass(this.material);

  constructor() {
    this.target.texture.minFilter = this.target.texture.magFilter = THREE.LinearFilter;
  }

  /** Take in a picture, the k-th counted from 0, which is moved by so many pixels. */
  add(
    renderer: THREE.WebGLRenderer,
    picture: THREE.WebGLRenderTarget,
    k: number,
    [right, up]: [number, number],
  ) {
    this.target.setSize(picture.width, picture.height);
    (this.material.uniforms.moved as THREE.IUniform).value.set(right / picture.width, up / picture.height);
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
