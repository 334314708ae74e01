import * as THREE from 'three';
import { api, ok, type Schemas } from '../../api/client';
import type { Draft, Look } from '../draft';
import { GLOSS, type GlossUniforms, glossUniforms, mirrorLamps } from './gloss';

const WIDTH = 64;
const HEIGHT = 32;
const LEVELS = 5;

/** What a material needs to know of what stands around it: pictures of it, and the first of its own (-1 for none). */
export interface RoomUniforms extends GlossUniforms {
  roomMap: { value: THREE.Texture };
  roomFirst: { value: number };
}

/** What stands around the title and around each ground, as the core finds it. The environment is seen beside it. */
export class Room {
  private readonly map: { value: THREE.Texture } = { value: new THREE.DataArrayTexture() };
  private readonly gloss = glossUniforms();
  private readonly known = new Map<number, RoomUniforms>();
  private places = 0;
  private asked = '';

  /** The uniforms of materials that are seen from a place: 0 for the title, then the grounds that are no catchers. */
  at(place: number): RoomUniforms {
    const known = this.known.get(place) ?? { roomMap: this.map, roomFirst: { value: -1 }, ...this.gloss };
    this.known.set(place, known);
    this.tell();
    return known;
  }

  /** Show other lamps in what is glossy. */
  light(lights: Look['lights']) {
    mirrorLamps(this.gloss, lights);
  }

  /** Ask for what stands around in a look, where it is another than is shown. */
  ask(look: Look, middle: Draft['middle']): Promise<void> | null {
    const asked = recipe(look, middle);
    const key = JSON.stringify(asked);
    if (key === this.asked) return null;
    this.asked = key;
    const answer = ok(api.POST('/api/rooms', { body: asked, parseAs: 'arrayBuffer' }));
    return answer.then((body) => {
      if (this.asked !== key) return;
      this.places = asked.grounds.length + 1;
      const texture = new THREE.DataArrayTexture(
        new Uint16Array(body as unknown as ArrayBuffer),
        WIDTH,
        HEIGHT,
        LEVELS * this.places,
      );
      texture.type = THREE.HalfFloatType;
      texture.minFilter = texture.magFilter = THREE.LinearFilter;
      texture.wrapS = THREE.RepeatWrapping;
      texture.needsUpdate = true;
      this.map.value.dispose();
      this.map.value = texture;
      this.tell();
    });
  }

  private tell() {
    for (const [place, { roomFirst }] of this.known) {
      roomFirst.value = place < this.places ? place * LEVELS : -1;
    }
  }

  dispose() {
    this.map.value.dispose();
  }
}

/** What the core must know of a look to find what stands around. */
export function recipe({ grounds, lights, environment }: Look, middle: Draft['middle']): Schemas['Room'] {
  const { preset, strength, turn, tilt } = environment;
  return {
    place: middle,
    grounds: grounds
      .filter((ground) => !ground.catches)
      .map(({ surface, centre, u, v, radius, line, half }) => ({
        colour: surface.colour,
        metal: surface.metal,
        roughness: surface.roughness,
        ior: surface.ior,
        glow: surface.glow,
        centre: centre ?? [0, 0, 0],
        u: u ?? null,
        v: v ?? null,
        radius: radius ?? 0,
        line: line ?? [],
        half: half ?? 0,
      })),
    lamps: lights.map(({ shadow, ...lamp }) => lamp),
    preset,
    strength,
    turn,
    tilt,
  };
}

/** Light from around, in the place of three's own: of the environment what the room leaves free, and of the room the
 *  rest, both as a surface of a roughness mirrors it. Levels of the room follow those of the environment, but for the
 *  second. Rough surfaces mirror more from along their normal than from where a mirror would. */
export const ROOM = `
${GLOSS}
#ifdef USE_ENVMAP
uniform highp sampler2DArray roomMap;
uniform float roomFirst;
vec3 lightAround(vec3 way, float level) {
  vec3 far = textureLod(envMap, envMapRotation * way, level).rgb * envMapIntensity;
  if (roomFirst < 0.0) return far;
  vec2 at = vec2(atan(way.x, -way.z) / PI2 + 0.5, acos(clamp(way.y, -1.0, 1.0)) / PI);
  float own = min(level < 2.0 ? 0.5 * level : level - 1.0, ${LEVELS - 1}.0);
  float lower = floor(own);
  vec4 near = mix(
    textureLod(roomMap, vec3(at, roomFirst + lower), 0.0),
    textureLod(roomMap, vec3(at, roomFirst + min(lower + 1.0, ${LEVELS - 1}.0)), 0.0),
    own - lower);
  return far * (1.0 - near.a) + near.rgb;
}
vec3 getIBLIrradiance(const in vec3 normal) {
  return PI * lightAround(normalize((vec4(normal, 0.0) * viewMatrix).xyz), ENVMAP_MAX_LOD);
}
vec3 getIBLRadiance(const in vec3 viewDir, const in vec3 normal, const in float roughness) {
  vec3 mirrored = normalize(mix(reflect(-viewDir, normal), normal, pow4(roughness)));
  vec3 way = normalize((vec4(mirrored, 0.0) * viewMatrix).xyz);
  vec3 light = lightAround(way, roughnessToMip(roughness));
  #ifdef STANDARD
    light += lampsMirrored(viewDir, normal, roughness);
  #endif
  return light;
}
#ifdef USE_ANISOTROPY
vec3 getIBLAnisotropyRadiance(const in vec3 viewDir, const in vec3 normal, const in float roughness, const in vec3 bitangent, const in float anisotropy) {
  vec3 bent = normalize(cross(cross(bitangent, viewDir), bitangent));
  bent = normalize(mix(bent, normal, pow2(pow2(1.0 - anisotropy * (1.0 - roughness)))));
  return getIBLRadiance(viewDir, bent, roughness);
}
#endif
#endif
`;
