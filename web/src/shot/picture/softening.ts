import * as THREE from 'three';
import type { LetterBatch } from './batch';
import { lightTarget, ScreenPass } from './screen';

/** How a letter is seen, in pixels: how far it is soft, and within which of a picture that can be found. */
interface Seen {
  pixels: number;
  within: THREE.Box2;
}

export interface SoftLetter extends Seen {
  batch: LetterBatch;
  instance: number;
}

const TAPS = 24;
/** How far taps are from one another where they are farthest, in shares of the radius that they are spread over. */
const SPACING = Math.sqrt((2 * Math.PI) / TAPS);
/** In pixels: wider is drawn as wide as this. */
const WIDEST = 96;
const SHARPEST = 0.5;
/** In metres: what is nearer to the camera has no size in the picture. */
const NEAREST = 0.01;

/** Softness in pictures that there is time for once only: what was drawn sharp is spread over discs afterwards. A mask
 *  of the letters tells how far, by pixels; each pixel takes from around itself what reaches it, over what is seen of
 *  what is not soft. */
export class Softening {
  private readonly mask = lightTarget(THREE.NearestFilter);
  private readonly spread = lightTarget(THREE.NearestFilter);
  private readonly blurred = new THREE.WebGLRenderTarget(2, 2, {
    type: THREE.HalfFloatType,
    generateMipmaps: true,
    minFilter: THREE.LinearMipmapLinearFilter,
    magFilter: THREE.LinearFilter,
    depthBuffer: false,
  });
  private readonly flat = new THREE.MeshBasicMaterial({ toneMapped: false, fog: false });
  private readonly screen: ScreenPass;
  private readonly copy: ScreenPass;
  private readonly uniforms = {
    picture: { value: null as THREE.Texture | null },
    blurred: { value: this.blurred.texture },
    mask: { value: this.mask.texture },
    size: { value: new THREE.Vector2() },
    most: { value: 1 },
    turned: { value: 0 },
    low: { value: new THREE.Vector2() },
    high: { value: new THREE.Vector2() },
  };

  constructor() {
    const pass = (fragmentShader: string) =>
      new ScreenPass(
        new THREE.ShaderMaterial({
          depthTest: false,
          depthWrite: false,
          toneMapped: false,
          glslVersion: THREE.GLSL3,
          uniforms: this.uniforms,
          vertexShader: 'out vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
          fragmentShader,
        }),
      );
    this.screen = pass(SPREAD);
    this.copy = pass(COPY);
  }

  /** A picture of the letters of a scene, and of what is hidden in it, with what is soft spread. The letters' colours are
   *  lost over it: `recolour` gives them back. */
  draw(
    renderer: THREE.WebGLRenderer,
    scene: THREE.Scene,
    camera: THREE.Camera,
    picture: THREE.WebGLRenderTarget,
    letters: SoftLetter[],
    hidden: THREE.Object3D,
    recolour: () => void,
  ): THREE.WebGLRenderTarget {
    const { mask, spread, blurred, uniforms } = this;
    for (const target of [mask, spread, blurred]) target.setSize(picture.width, picture.height);
    let most = 0;
    const within = new THREE.Box2();
    for (const { batch, instance, pixels, within: own } of letters) {
      const radius = Math.min(pixels, WIDEST);
      most = Math.max(most, radius);
      if (radius > 0) within.union(own);
      batch.setColorAt(instance, RADIUS.set(radius, radius, radius, 1));
    }
    if (most < SHARPEST) {
      recolour();
      return picture;
    }
    const { background } = scene;
    hidden.visible = false;
    scene.background = null;
    scene.overrideMaterial = this.flat;
    renderer.setRenderTarget(mask);
    renderer.clear();
    renderer.render(scene, camera);
    scene.overrideMaterial = null;
    scene.background = background;
    hidden.visible = true;
    recolour();
    uniforms.picture.value = picture.texture;
    uniforms.size.value.set(picture.width, picture.height);
    uniforms.most.value = most;
    uniforms.low.value.copy(within.min);
    uniforms.high.value.copy(within.max);
    uniforms.turned.value = (uniforms.turned.value + GOLDEN) % 1;
    this.copy.draw(renderer, blurred);
    this.screen.draw(renderer, spread);
    return spread;
  }

  dispose() {
    this.mask.dispose();
    this.spread.dispose();
    this.flat.dispose();
    this.blurred.dispose();
    this.screen.dispose();
    this.copy.dispose();
  }
}

/** How a camera sees a letter at a pose that is soft by a radius, in metres. */
export function seenBy(
  camera: THREE.Camera,
  pose: THREE.Matrix4,
  [left, bottom, right, top]: [number, number, number, number] = [0, 0, 0, 0],
  radius: number,
  { width, height }: { width: number; height: number },
): Seen {
  const at = new THREE.Vector3((left + right) / 2, (bottom + top) / 2, 0).applyMatrix4(pose);
  const away = -PLACE.copy(at).applyMatrix4(camera.matrixWorldInverse).z;
  if (away < NEAREST) return { pixels: 0, within: new THREE.Box2() };
  const metre = ((camera.projectionMatrix.elements[5] ?? 1) * height) / 2 / away;
  const middle = at.project(camera);
  const round = (Math.hypot(right - left, top - bottom) * pose.getMaxScaleOnAxis() + radius) * metre;
  const x = ((middle.x + 1) * width) / 2;
  const y = ((middle.y + 1) * height) / 2;
  return {
    pixels: radius * metre,
    within: new THREE.Box2(new THREE.Vector2(x - round, y - round), new THREE.Vector2(x + round, y + round)),
  };
}

const GOLDEN = (Math.sqrt(5) - 1) / 2;
const RADIUS = new THREE.Vector4();
const PLACE = new THREE.Vector3();

const COPY = `
uniform sampler2D picture; in vec2 at; out vec4 colour;
void main() { colour = texture(picture, at); }`;

/** Each soft place spreads its light evenly over its disc; taps lie on a spiral that is denser towards its middle, turned
 *  from pixel to pixel (Roberts, as in `gather`), and stand for the rings between them. What they take is blurred as far as
 *  they are apart, lest single glints are hit by some and missed by others. */
const SPREAD = `
uniform sampler2D picture; uniform sampler2D blurred; uniform sampler2D mask; uniform vec2 size; uniform vec2 low; uniform vec2 high;
uniform float most; uniform float turned;
in vec2 at; out vec4 colour;
void main() {
  float turn = 6.2831853 * fract(turned + dot(gl_FragCoord.xy, vec2(0.7548776662, 0.5698402910)));
  vec4 own = texture(picture, at);
  colour = own;
  if (any(lessThan(gl_FragCoord.xy, low)) || any(greaterThan(gl_FragCoord.xy, high))) return;
  vec3 soft = vec3(0.0);
  vec3 sharp = vec3(0.0);
  float covered = 0.0;
  float counted = 0.0;
  float level = max(log2(most * ${SPACING.toFixed(3)}), 0.0);
  for (int k = 0; k < ${TAPS}; k++) {
    float away = most * (float(k) + 0.5) / ${TAPS}.0;
    float angle = turn + float(k) * 2.3999632;
    vec2 place = at + away * vec2(cos(angle), sin(angle)) / size;
    float radius = texture(mask, place).r;
    if (radius > away) {
      float share = 2.0 * away * most / (${TAPS}.0 * radius * radius);
      soft += share * textureLod(blurred, place, level).rgb;
      covered += share;
    } else if (radius < ${SHARPEST.toFixed(2)}) {
      sharp += textureLod(blurred, place, level).rgb / (1.0 + away);
      counted += 1.0 / (1.0 + away);
    }
  }
  vec3 behind = texture(mask, at).r < ${SHARPEST.toFixed(2)} ? own.rgb : counted > 0.0 ? sharp / counted : own.rgb;
  colour = vec4(covered > 0.0 ? mix(behind, soft / covered, min(covered, 1.0)) : behind, own.a);
}`;
