import * as THREE from 'three';
import { api, ok, type Schemas } from '../../api/client';
import type { Lamp, Look, Seen } from '../draft';
import { placeInSquare } from './gather';
import { GLOSS, type GlossUniforms, glossUniforms, mirrorLamps } from './gloss';
import { replaced } from './patching';

const WIDTH = 64;
const HEIGHT = 32;
const LEVELS = 5;
const MOST_SHEETS = 3;

/** What a material needs to know of what stands around it: pictures of it, the first of its own (-1 for none), from where
 *  that is seen, and the flat sheets in it; which part of a lobe one of the pictures sees that are gathered; and the square
 *  of how rough the floor is in which it is mirrored just now. */
export interface RoomUniforms extends GlossUniforms {
  roomMap: { value: THREE.Texture };
  roomFirst: { value: number };
  roomPlace: { value: THREE.Vector3 };
  sheetCount: { value: number };
  sheets: { value: THREE.Vector3[] };
  lobe: { value: THREE.Vector3 };
  mirroredIn: { value: number };
}

/** What stands around the title and around each ground, as the core finds it. The environment is seen beside it. */
export class Room {
  private readonly map: { value: THREE.Texture } = { value: new THREE.DataArrayTexture() };
  private readonly gloss = glossUniforms();
  private readonly lobe = { value: new THREE.Vector3() };
  private readonly mirroredIn = { value: 0 };
  private readonly known = new Map<number, RoomUniforms>();
  private readonly sheetCount = { value: 0 };
  private readonly sheets = { value: Array.from({ length: 3 * MOST_SHEETS }, () => new THREE.Vector3()) };
  private places: number[] = [];
  private asked = '';

  /** The uniforms of materials that are seen from a place: 0 for the title, then the grounds that are no catchers. */
  at(place: number): RoomUniforms {
    const known = this.known.get(place) ?? {
      roomMap: this.map,
      roomFirst: { value: -1 },
      roomPlace: { value: new THREE.Vector3() },
      // Letters stand where their room is seen from; what a floor mirrors looks otherwise from elsewhere.
      sheetCount: place ? this.sheetCount : { value: 0 },
      sheets: this.sheets,
      lobe: this.lobe,
      mirroredIn: this.mirroredIn,
      ...this.gloss,
    };
    this.known.set(place, known);
    this.tell();
    return known;
  }

  /** Draw what is finer than a pixel as it is: for the k-th of so many pictures that are gathered. Each but the first
   *  mirrors what is around from another part of the lobe in which rough surfaces do; that looks it up in one, about.
   *  Without a number nothing is gathered. */
  setFine(k = 0, count = 0) {
    const [a, b] = placeInSquare(k, 0.41);
    this.lobe.value.set(count ? 1 / count : 0, k ? (1 + a) / 2 : -1, (1 + b) / 2);
  }

  /** What is drawn meanwhile is seen in a floor of a roughness. */
  inFloor(roughness: number, draw: () => void) {
    this.mirroredIn.value = roughness ** 4;
    draw();
    this.mirroredIn.value = 0;
  }

  /** Show other lamps in what is glossy; answers which are. */
  light(lights: Lamp[]): Lamp[] {
    return mirrorLamps(this.gloss, lights);
  }

  /** Ask for what stands around in a look, where it is another than is shown. */
  ask(look: Look, middle: Seen['middle']): Promise<void> | null {
    const asked = recipe(look, middle);
    const key = JSON.stringify(asked);
    if (key === this.asked) return null;
    this.asked = key;
    const answer = ok(api.POST('/api/rooms', { body: asked, parseAs: 'arrayBuffer' }));
    return answer.then((body) => {
      if (this.asked !== key) return;
      const depth = LEVELS * (asked.grounds.length + 1);
      const found = body as unknown as ArrayBuffer;
      const pictures = new Uint16Array(found, 0, WIDTH * HEIGHT * depth * 4);
      this.places = [...new Float32Array(found.slice(pictures.byteLength))];
      const flat = asked.grounds.filter(({ u, v }) => u && v).slice(0, MOST_SHEETS);
      this.sheetCount.value = flat.length;
      flat.forEach(({ centre, u, v }, k) => {
        [centre, u, v].forEach((point, row) => {
          this.sheets.value[3 * k + row]?.set(...(point as [number, number, number]));
        });
      });
      const texture = new THREE.DataArrayTexture(pictures, WIDTH, HEIGHT, depth);
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
    for (const [place, { roomFirst, roomPlace }] of this.known) {
      const there = 3 * place < this.places.length;
      roomFirst.value = there ? place * LEVELS : -1;
      if (there) roomPlace.value.fromArray(this.places, 3 * place);
    }
  }

  dispose() {
    this.map.value.dispose();
  }
}

/** What the core must know of a look to find what stands around. */
export function recipe({ grounds, lights, environment }: Look, middle: Seen['middle']): Schemas['Room'] {
  const { preset, strength, turn, tilt } = environment;
  return {
    place: middle,
    grounds: grounds
      .filter((ground) => !ground.catches)
      .map(({ surface, ...ground }) => ({
        colour: surface.colour,
        metal: surface.metal,
        roughness: surface.roughness,
        ior: surface.ior,
        glow: surface.glow,
        centre: 'centre' in ground ? ground.centre : [0, 0, 0],
        u: 'u' in ground ? ground.u : null,
        v: 'v' in ground ? ground.v : null,
        radius: 'radius' in ground ? ground.radius : 0,
        line: 'line' in ground ? ground.line : [],
        half: 'half' in ground ? ground.half : 0,
      })),
    lamps: lights.filter(({ touches }) => touches.stage).map(({ dark, touches, ...lamp }) => lamp),
    preset,
    strength,
    turn,
    tilt,
  };
}

/** Light from around, in the place of three's own: of the environment what the room leaves free, and what the room adds
 *  or takes off, both as a surface of a roughness mirrors it. Levels of the room follow those of the environment, but for the
 *  second. Rough surfaces mirror more from along their normal than from where a mirror would.
 *
 *  Where pictures are gathered, each mirrors by one microfacet of those that are seen (Dupuy and Benyoub, "Sampling
 *  Visible GGX Normals with Spherical Caps", 2023), and as wide around as it stands for (Krivanek and Colbert,
 *  "Real-time Shading with Filtered Importance Sampling", 2008): so brushed lobes, slants and bumps get what they should.
 *  That is added to the lookup less what a microfacet of the round lobe about the mirror way finds, which the lookup has
 *  in full: few pictures are as bright as many, as long as the lobes are alike. What is mirrored all around, which three
 *  multiplies it by, is taken out of it again; of the round lobe by a fit, within a hundredth.
 *
 *  In a rough floor a surface is seen from many sides at once, as if it were rougher itself: up and down by as much as
 *  the floor is, to the sides by so much less as the floor is seen at a slant. */
export const ROOM = `
${GLOSS}
#ifdef USE_ENVMAP
uniform highp sampler2DArray roomMap;
uniform float roomFirst;
uniform float mirroredIn;
uniform vec3 roomPlace;
uniform int sheetCount;
uniform vec3 sheets[3 * ${MOST_SHEETS}]; // a middle and two half edges of each
vec3 lightAround(vec3 way, vec3 seen, float level) {
  vec3 far = textureLod(envMap, envMapRotation * way, level).rgb * envMapIntensity;
  if (roomFirst < 0.0) return far;
  vec2 at = vec2(atan(seen.x, -seen.z) / PI2 + 0.5, acos(clamp(seen.y, -1.0, 1.0)) / PI);
  float own = min(level < 2.0 ? 0.5 * level : level - 1.0, ${LEVELS - 1}.0);
  float lower = floor(own);
  vec4 near = mix(
    textureLod(roomMap, vec3(at, roomFirst + lower), 0.0),
    textureLod(roomMap, vec3(at, roomFirst + min(lower + 1.0, ${LEVELS - 1}.0)), 0.0),
    own - lower);
  return max(far * (1.0 - near.a) + near.rgb, vec3(0.0));
}
vec3 getIBLIrradiance(const in vec3 normal) {
  vec3 way = normalize((vec4(normal, 0.0) * viewMatrix).xyz);
  return PI * lightAround(way, way, ENVMAP_MAX_LOD);
}
#ifdef STANDARD
/** From where the room was seen, the way to what is seen of its sheets from here. */
vec3 wayFromPlace(vec3 way) {
  vec3 here = cameraPosition + (vec4(-vViewPosition, 0.0) * viewMatrix).xyz;
  float nearest = 1e9;
  for (int k = 0; k < ${MOST_SHEETS}; k++) {
    if (k >= sheetCount) break;
    vec3 u = sheets[3 * k + 1];
    vec3 v = sheets[3 * k + 2];
    vec3 to = sheets[3 * k] - here;
    vec3 facing = cross(u, v);
    float away = dot(to, facing) / dot(way, facing);
    vec3 at = away * way - to;
    if (away > 1e-3 && away < nearest && abs(dot(at, u)) <= dot(u, u) && abs(dot(at, v)) <= dot(v, v)) nearest = away;
  }
  return nearest < 1e9 ? normalize(here + nearest * way - roomPlace) : way;
}
vec3 lightFrom(vec3 way, float level) {
  way = normalize((vec4(way, 0.0) * viewMatrix).xyz);
  return lightAround(way, wayFromPlace(way), level);
}
/** The way that a microfacet mirrors to the eye, and how coarse what is seen there may be for what it stands for. */
vec3 mirroredWay(vec3 seen, vec2 alpha, out vec3 halfway, out float level) {
  vec3 spread = vec3(alpha * seen.xy, seen.z);
  float across = length(spread);
  float high = (1.0 - lobe.z) * (1.0 + seen.z / across) - seen.z / across;
  float ring = sqrt(max(1.0 - high * high, 0.0));
  halfway = vec3(ring * cos(PI2 * lobe.y), ring * sin(PI2 * lobe.y), high) + spread / across;
  halfway = normalize(vec3(alpha * halfway.xy, max(halfway.z, 1e-4)));
  vec3 slopes = vec3(halfway.xy / alpha, halfway.z);
  float around = 2.0 * lobe.x * alpha.x * alpha.y * pow2(dot(slopes, slopes)) * (seen.z + across);
  level = roughnessToMip(min(sqrt(sqrt(0.25 * around)), 1.0));
  return reflect(-seen, halfway);
}
vec3 specularAround(vec3 viewDir, vec3 normal, vec3 bent, vec3 side, float ownRoughness, vec2 ownAlpha) {
  mat3 frame = mat3(side, cross(normal, side), normal);
  vec3 upright = (viewMatrix * vec4(0.0, 1.0, 0.0, 0.0)).xyz;
  float aside = pow2(dot(upright, viewDir));
  upright = upright * frame * (upright * frame);
  vec2 floorAlpha = mirroredIn * mix(vec2(aside), vec2(1.0), upright.xy / max(upright.x + upright.y, 1e-6));
  vec2 alpha = sqrt(min(ownAlpha * ownAlpha + floorAlpha, 1.0));
  float roughness = sqrt(sqrt(min(pow4(ownRoughness) + 0.5 * (floorAlpha.x + floorAlpha.y), 1.0)));
  vec3 mirror = normalize(mix(reflect(-viewDir, bent), bent, pow4(roughness)));
  vec3 light = lightFrom(mirror, roughnessToMip(roughness));
  if (lobe.x > 0.0 && lobe.y >= 0.0) {
    vec3 seen = seenIn(viewDir * frame);
    vec3 halfway;
    float level;
    vec3 way = mirroredWay(seen, alpha, halfway, level);
    float share = way.z > 0.0 ? mirroredBy(seen, halfway, way, alpha) * (seen.z + length(vec3(alpha * seen.xy, seen.z))) : 0.0;
    vec3 found = share * lightFrom(frame * vec3(way.xy, max(way.z, 0.0)), level);
    vec2 even = vec2(max(pow2(roughness), 0.002));
    vec3 beside = normalize(side - dot(side, mirror) * mirror);
    way = mirroredWay(vec3(0.0, 0.0, 1.0), even, halfway, level);
    share = 2.0 * max(way.z, 0.0) / (way.z + length(vec3(even * way.xy, way.z)));
    share *= 1.0 + pow4(roughness) * (1.0 + 1.26 * roughness);
    found -= share * lightFrom(mat3(beside, cross(mirror, beside), mirror) * vec3(way.xy, max(way.z, 0.0)), level);
    light += found / (1.0 - lobe.x);
  }
  vec4 lamps = lampsMirrored(viewDir, transpose(frame), alpha);
  return light * (1.0 - min(lamps.a, 1.0)) + lamps.rgb;
}
vec3 getIBLRadiance(const in vec3 viewDir, const in vec3 normal, const in float roughness) {
  vec3 side = normalize(cross(normal, abs(normal.y) < 0.9 ? vec3(0.0, 1.0, 0.0) : vec3(1.0, 0.0, 0.0)));
  return specularAround(viewDir, normal, normal, side, roughness, vec2(max(pow2(roughness), 0.002)));
}
#ifdef USE_ANISOTROPY
vec3 getIBLAnisotropyRadiance(const in vec3 viewDir, const in vec3 normal, const in float roughness, const in vec3 bitangent, const in float anisotropy) {
  vec3 bent = normalize(cross(cross(bitangent, viewDir), bitangent));
  bent = normalize(mix(bent, normal, pow2(pow2(1.0 - anisotropy * (1.0 - roughness)))));
  float alpha = max(pow2(roughness), 0.002);
  vec3 side = normalize(cross(bitangent, normal));
  return specularAround(viewDir, normal, bent, side, roughness, vec2(min(alpha / (1.0 - anisotropy), 1.0), alpha));
}
#endif
#endif
#endif
`;

/** What `mirrors` is told before light is looked up: of the surface itself, and of its coat. And what lies behind a
 *  surface, where its relief turns to, does not light it: of even light so much is left, from about half-way. */
export const LIGHTS_FROM_AROUND = [
  [
    'iblIrradiance += getIBLIrradiance( geometryNormal );',
    `iblIrradiance += (0.5 + 0.5 * dot(geometryNormal, nonPerturbedNormal))
      * getIBLIrradiance(normalize(geometryNormal + nonPerturbedNormal));`,
  ],
  [
    '#if defined( USE_ENVMAP ) && defined( RE_IndirectSpecular )',
    `#if defined( USE_ENVMAP ) && defined( RE_IndirectSpecular )
  mirrors.x = dot(material.specularColorBlended, vec3(0.2126, 0.7152, 0.0722));
  mirrors.y = max(mirrors.x * material.dfg.x + material.dfg.y, 1e-4);`,
  ],
  [
    'clearcoatRadiance +=',
    `vec2 coatMirrors = texture2D(dfgLUT, vec2(material.clearcoatRoughness,
      clamp(dot(geometryClearcoatNormal, geometryViewDir), 0.0, 1.0))).rg;
    mirrors = vec2(0.04, max(0.04 * coatMirrors.x + coatMirrors.y, 1e-4));
    clearcoatRadiance +=`,
  ],
].reduce((text, [part = '', by = '']) => replaced(text, part, by), THREE.ShaderChunk.lights_fragment_maps);
