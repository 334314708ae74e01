import * as THREE from 'three';
import type { Lamp } from '../draft';
import { replaced } from './patching';

/** So many lamps of a kind, and of those that are mirrored, can spare something; those beyond light everything. */
export const MOST_TOLD = 31;
const KINDS = ['PointLight', 'SpotLight', 'DirectionalLight'];
const SUNS = KINDS.indexOf('DirectionalLight');

/** What a material needs to know of lamps: a bit for each that lights it (of those that shine from a place to all
 *  sides, of cones, of suns, and of those that are mirrored), a bit for each sun that has a highlight there, and how
 *  dark the shadow is that one of them throws. */
export interface TouchUniforms {
  [name: string]: THREE.IUniform;
  litBy: { value: THREE.Vector4 };
  sunsIn: { value: number };
  dark: { value: number };
}

type Of = (light: Lamp) => boolean;

/** What something is told, which lamps light it, and which it mirrors. */
interface Known {
  uniforms: TouchUniforms;
  lit: Of;
  mirrors: Of;
}

/** A lamp as it is drawn, and what it is. */
export interface Standing {
  lamp: THREE.Light;
  light: Lamp;
}

/** Which lamps light what, and how dark their shadows are there. */
export class Touching {
  private readonly onLetters = { value: 1 };
  private readonly onStage = { value: 1 };
  private readonly known = new Map<string, Known>();
  private standing: Standing[] = [];
  private mirrored: Lamp[] = [];

  /** The uniforms of what is worn by a block on its faces or on its edges. */
  letters(block: number, edge: boolean): TouchUniforms {
    const lit = ({ touches }: Lamp) => (edge ? touches.edge : touches.face)?.includes(block) ?? true;
    return this.of(`${block} ${edge}`, this.onLetters, lit, ({ touches }) => touches.mirrored[0]);
  }

  /** Of the stage. */
  stage(): TouchUniforms {
    const lit = ({ touches }: Lamp) => touches.stage;
    return this.of('stage', this.onStage, lit, ({ touches }) => touches.mirrored[1]);
  }

  private of(key: string, dark: { value: number }, lit: Of, mirrors: Of): TouchUniforms {
    const known = this.known.get(key);
    if (known) return known.uniforms;
    const uniforms = { litBy: { value: new THREE.Vector4() }, sunsIn: { value: -1 }, dark };
    const made = { uniforms, lit, mirrors };
    this.known.set(key, made);
    this.count(made);
    return made.uniforms;
  }

  /** Other lamps, in the order in which they stand, and those that are mirrored. */
  take(standing: Standing[], mirrored: Lamp[]) {
    this.standing = standing;
    this.mirrored = mirrored;
    this.tell();
  }

  /** Tell again which is which: the lamp that throws a shadow comes first of its kind. */
  tell() {
    for (const known of this.known.values()) this.count(known);
    const [letters, stage] = this.standing.find(({ lamp }) => lamp.castShadow)?.light.dark ?? [1, 1];
    this.onLetters.value = letters;
    this.onStage.value = stage;
  }

  private count({ uniforms, lit, mirrors }: Known) {
    const first = (s: Standing) => (s.lamp.castShadow ? 0 : 1);
    const sorted = [...this.standing].sort((a, b) => first(a) - first(b));
    const kinds = KINDS.map((kind) => sorted.filter(({ lamp }) => lamp.type === kind).map((s) => s.light));
    const lights = kinds.map((of) => bits(of, lit));
    uniforms.litBy.value.fromArray([...lights, bits(this.mirrored, (light) => lit(light) && mirrors(light))]);
    uniforms.sunsIn.value = bits(kinds[SUNS] ?? [], mirrors);
  }
}

/** A bit for each that something holds for, and for whatever comes after them. */
function bits(lights: Lamp[], holds: Of): number {
  return lights.slice(0, MOST_TOLD).reduce((all, light, k) => (holds(light) ? all : all & ~(1 << k)), -1);
}

export const TOUCHING_HEAD = `
uniform ivec4 litBy;
uniform int sunsIn;
uniform float dark;
#define LIT_BY(kind, number) ((litBy[kind] >> min(number, ${MOST_TOLD})) & 1)
`;

/** Three's own loops over lamps, each lamp with what it may do here. */
export const TOUCHING_LIGHTS = limited(
  THREE.ShaderChunk.lights_fragment_begin,
  (kind) => new RegExp(`(get\\w+LightInfo\\( ${kind}Light,[^;]*;)`),
  (k) => `$1\n    directLight.color *= float(LIT_BY(${k}, UNROLLED_LOOP_INDEX));`,
);

/** The same of what only catches shadows. */
export const TOUCHING_SHADOWS = limited(
  THREE.ShaderChunk.shadowmask_pars_fragment,
  (kind) => new RegExp(`(${kind}Light = ${kind}LightShadows[^;]*;\\s*shadow \\*= )receiveShadow`),
  (k) => `$1receiveShadow && LIT_BY(${k}, UNROLLED_LOOP_INDEX) == 1`,
);

function limited(loops: string, at: (kind: string) => RegExp, to: (k: number) => string): string {
  const kinds = ['point', 'spot', 'directional'];
  const own = kinds.reduce((text, kind, k) => replaced(text, at(kind), to(k)), loops);
  return replaced(own, /\b(point|spot|directional)Light(Shadow)?\.shadowIntensity/g, 'dark');
}
