import * as THREE from 'three';
import type { Lamp } from '../draft';
import { replaced } from './patching';
import { MOST_TOLD, TOUCHING_LIGHTS } from './touching';

const MOST = 8;
const SPOT = 'return smoothstep( coneCosine, penumbraCosine, angleCosine );';

/** The lamps that glossy surfaces mirror: middles, half edges (none where it looks the same from everywhere), light. */
export interface GlossUniforms {
  [name: string]: THREE.IUniform;
  lampCount: { value: number };
  lampAt: { value: THREE.Vector3[] };
  lampU: { value: THREE.Vector3[] };
  lampV: { value: THREE.Vector3[] };
  lampLight: { value: THREE.Vector3[] };
  lampCone: { value: THREE.Vector3[] };
}

export function glossUniforms(): GlossUniforms {
  const places = () => ({ value: Array.from({ length: MOST }, () => new THREE.Vector3()) });
  return {
    lampCount: { value: 0 },
    lampAt: places(),
    lampU: places(),
    lampV: places(),
    lampLight: places(),
    lampCone: places(),
  };
}

/** Let surfaces mirror the strongest lamps that have a size; answers which. */
export function mirrorLamps(uniforms: GlossUniforms, lights: Lamp[]): Lamp[] {
  const power = (lamp: Lamp) => lamp.area * Math.max(...lamp.radiance);
  const chosen = lights
    .filter((lamp) => lamp.kind !== 'sun' && lamp.area > 0)
    .sort((a, b) => power(b) - power(a))
    .slice(0, MOST);
  uniforms.lampCount.value = chosen.length;
  chosen.forEach((lamp, k) => {
    uniforms.lampAt.value[k]?.set(...lamp.centre);
    uniforms.lampU.value[k]?.set(...lamp.u);
    uniforms.lampV.value[k]?.set(...lamp.v);
    uniforms.lampLight.value[k]?.set(...lamp.radiance);
    // Cosines at which a spot ends and at which it is in full; half the edge of a square as large as what is seen.
    const [outer, inner] = lamp.spot
      ? [Math.cos(lamp.spot), Math.cos(lamp.spot * (1 - lamp.soft)) + 1e-4]
      : [-2, -1.5];
    uniforms.lampCone.value[k]?.set(outer, inner, Math.sqrt(lamp.area / 4) / 2);
  });
  return chosen;
}

/** What a surface mirrors of lamps with a size, and the share of its microfacets that mirror any to the eye: lamps are
 *  dark from behind. Their corners are taken to the slopes of the microfacets half way to them, in units of how far
 *  those spread along and across the brushing, and over the slopes the distribution of GGX (Walter, Marschner, Li and
 *  Torrance, "Microfacet Models for Refraction through Rough Surfaces", 2007) has the form of light that falls from a
 *  polygon upon a place as far below it as the surface is rough, which Lambert summed in closed form (Photometria,
 *  1760). A point light would show a dot where a window stands in the gold. */
export const GLOSS = `
#ifdef STANDARD
uniform int lampCount;
uniform vec3 lampAt[${MOST}];
uniform vec3 lampU[${MOST}];
uniform vec3 lampV[${MOST}];
uniform vec3 lampLight[${MOST}];
uniform vec3 lampCone[${MOST}];
vec3 slopeTo(vec3 corner, mat3 frame, vec3 viewDir, vec2 alpha) {
  vec3 halfway = frame * (normalize(corner) + viewDir);
  return normalize(vec3(halfway.xy / alpha, max(halfway.z, 1e-4)));
}
vec2 mirrors; // what a surface mirrors when seen straight, and all that it does from where it is seen
vec3 seenIn(vec3 way) {
  return vec3(way.xy, max(way.z, 1e-3));
}
float mirroredBy(vec3 seen, vec3 halfway, vec3 way, vec2 alpha) {
  float hides = seen.z * length(vec3(alpha * way.xy, way.z)) + way.z * length(vec3(alpha * seen.xy, seen.z));
  float fresnel = mirrors.x + (1.0 - mirrors.x) * pow(1.0 - clamp(dot(seen, halfway), 0.0, 1.0), 5.0);
  return fresnel / mirrors.y * way.z / hides;
}
float lampEdge(vec3 a, vec3 b) {
  vec3 across = cross(a, b);
  float sine = length(across);
  return sine > 1e-6 ? across.z * atan(sine, dot(a, b)) / sine : across.z;
}
vec4 lampsMirrored(vec3 viewDir, mat3 frame, vec2 alpha) {
  vec3 normal = vec3(frame[0].z, frame[1].z, frame[2].z);
  vec3 straight = reflect(-viewDir, normal);
  vec3 seen = seenIn(frame * viewDir);
  vec4 sum = vec4(0.0);
  for (int k = 0; k < ${MOST}; k++) {
    if (k >= lampCount) break;
    if (LIT_BY(3, k) == 0) continue;
    vec3 to = (viewMatrix * vec4(lampAt[k], 1.0)).xyz + vViewPosition;
    vec3 u = (viewMatrix * vec4(lampU[k], 0.0)).xyz;
    vec3 v = (viewMatrix * vec4(lampV[k], 0.0)).xyz;
    if (dot(u, u) == 0.0) {
      u = cross(to, abs(to.y) < 0.9 * length(to) ? vec3(0.0, 1.0, 0.0) : vec3(1.0, 0.0, 0.0));
      u *= lampCone[k].z / length(u);
      v = cross(u, to);
      v *= lampCone[k].z / length(v);
    }
    float away = -dot(to, normalize(cross(u, v)));
    if (dot(to, normal) + abs(dot(u, normal)) + abs(dot(v, normal)) <= 0.0) continue;
    vec3 a = slopeTo(to - u - v, frame, viewDir, alpha);
    vec3 b = slopeTo(to + u - v, frame, viewDir, alpha);
    vec3 c = slopeTo(to + u + v, frame, viewDir, alpha);
    vec3 d = slopeTo(to - u + v, frame, viewDir, alpha);
    float share = abs(lampEdge(a, b) + lampEdge(b, c) + lampEdge(c, d) + lampEdge(d, a)) / PI2;
    float shining = away > 0.0 ? smoothstep(lampCone[k].x, lampCone[k].y, away / length(to)) : 0.0;
    // Fresnel and shadowing by the place of the lamp that is next to where a mirror would look.
    vec3 facing = cross(u, v);
    float along = dot(to, facing) / dot(straight, facing);
    vec3 beside = along > 0.0 ? along * straight - to : vec3(0.0);
    vec3 near = normalize(to + u * clamp(dot(beside, u) / dot(u, u), -1.0, 1.0)
      + v * clamp(dot(beside, v) / dot(v, v), -1.0, 1.0));
    vec3 halfway = frame * normalize(near + viewDir);
    vec3 way = frame * near;
    if (way.z <= 0.0) continue;
    float seenBy = mirroredBy(seen, halfway, way, alpha) * 2.0 * dot(seen, halfway) / max(halfway.z, 1e-3);
    sum += share * seenBy * vec4(lampLight[k] * shining, 1.0);
  }
  return sum;
}
#endif
`;

/** A flat lamp sends light by the cosine of the angle at which it is seen; only spots end at their cone. */
export const LIGHTS_BY_COSINE = replaced(
  THREE.ShaderChunk.lights_pars_begin,
  SPOT,
  `return penumbraCosine > 0.9999 ? max(angleCosine, 0.0) : ${SPOT.slice('return '.length)}`,
);

/** Lamps that are mirrored leave no highlight of their own; suns do where something mirrors them, whose lights come
 *  after them. */
const BEFORE_SUNS = '#if ( NUM_DIR_LIGHTS > 0 ) && defined( RE_Direct )';
const SUN_SHINES = /(directionalLight\b[\s\S]*?)(RE_Direct\( directLight,[^;]*;)/;
export const LIGHTS_WITHOUT_HIGHLIGHTS = replaced(
  replaced(
    TOUCHING_LIGHTS,
    SUN_SHINES,
    `$1{
      vec3 highlights = reflectedLight.directSpecular;
      #ifdef USE_CLEARCOAT
        vec3 coatHighlights = clearcoatSpecularDirect;
      #endif
      $2
      if (((sunsIn >> min(UNROLLED_LOOP_INDEX, ${MOST_TOLD})) & 1) == 0) {
        reflectedLight.directSpecular = highlights;
        #ifdef USE_CLEARCOAT
          clearcoatSpecularDirect = coatHighlights;
        #endif
      }
    }`,
  ),
  BEFORE_SUNS,
  `reflectedLight.directSpecular = vec3(0.0);
#ifdef USE_CLEARCOAT
  clearcoatSpecularDirect = vec3(0.0);
#endif
${BEFORE_SUNS}`,
);
