import * as THREE from 'three';
import { bytes } from '../../api/client';
import type { Grain, LetterAtRest, Surface } from '../draft';

/** Textures in the draft: the core's own functions, written out by it as GLSL, put into three's materials. */

const sources = new Map<string, Promise<string>>();

function source(pattern: string): Promise<string> {
  let made = sources.get(pattern);
  if (!made) {
    made = bytes(`/api/textures/${pattern}`).then(({ body }) => new TextDecoder().decode(body));
    made.catch(() => sources.delete(pattern));
    sources.set(pattern, made);
  }
  return made;
}

const VERTEX_HEAD = `
varying vec3 vGrainAt;
varying vec3 vGrainNormal;
uniform highp sampler2D grainRest;
uniform float grainByLetter;
`;
const VERTEX = `
#ifdef USE_BATCHING
  int grainRow = int(getIndirectIndex(gl_DrawID));
  vec4 grainX = texelFetch(grainRest, ivec2(0, grainRow), 0);
  vec4 grainY = texelFetch(grainRest, ivec2(1, grainRow), 0);
  vec4 grainZ = texelFetch(grainRest, ivec2(2, grainRow), 0);
  float grainNumber = texelFetch(grainRest, ivec2(3, grainRow), 0).x;
  vec4 grainHere = vec4(position, 1.0);
  if (grainByLetter > 0.5) {
    vGrainAt = position + grainNumber * vec3(3.71, 1.93, 2.47);
    vGrainNormal = normal;
  } else {
    vGrainAt = vec3(dot(grainX, grainHere), dot(grainY, grainHere), dot(grainZ, grainHere));
    vGrainNormal = vec3(dot(grainX.xyz, normal), dot(grainY.xyz, normal), dot(grainZ.xyz, normal));
  }
#else
  vGrainAt = (modelMatrix * vec4(position, 1.0)).xyz;
  vGrainNormal = mat3(modelMatrix) * normal;
#endif
`;
const FRAGMENT_HEAD = `
varying vec3 vGrainAt;
varying vec3 vGrainNormal;
uniform mat4 grainTo;
uniform vec4 grainA; // amount, contrast, tone, relief
uniform vec4 grainB; // wear, metal, roughness, 1 on edges
uniform vec3 grainColour;
uniform float grainScale;
`;
const COLOUR = `
  vec3 grainPoint = (grainTo * vec4(vGrainAt, 1.0)).xyz;
  vec3 grainSide = abs(normalize(vGrainNormal));
  bool grainFront = grainSide.z >= 0.5;
  bool grainUpward = grainSide.y > grainSide.x;
  vec3 grain = layered_(0.0, grainPoint.x, grainPoint.y, grainPoint.z,
    grainFront || grainUpward ? grainPoint.x : grainPoint.z,
    grainFront || !grainUpward ? grainPoint.y : grainPoint.z, grainA.x, grainA.y);
  if (grainB.x > 0.0 && grainB.w > 0.5 && grainSide.z > 0.02) {
    grain.x = max(grain.x, worn_(grainB.x, grainPoint.x, grainPoint.y, grainPoint.z));
  }
  diffuseColor.rgb = min(mix(diffuseColor.rgb, grainColour, grain.x) * max(1.0 + grainA.z * grain.y, 0.0), 1.0);
`;
const NORMAL = `
  if (grainA.w > 0.0) {
    float grainHigh = grain.z * grainA.w * 0.22 * grainScale;
    vec3 grainEast = dFdx(-vViewPosition);
    vec3 grainNorth = dFdy(-vViewPosition);
    vec3 grainR = cross(grainNorth, normal);
    vec3 grainS = cross(normal, grainEast);
    float grainDet = dot(grainEast, grainR);
    normal = normalize(abs(grainDet) * normal - sign(grainDet) * (dFdx(grainHigh) * grainR + dFdy(grainHigh) * grainS));
  }
`;

interface GrainUniforms {
  grainRest: { value: THREE.Texture | null };
  grainByLetter: { value: number };
  grainTo: { value: THREE.Matrix4 };
  grainA: { value: THREE.Vector4 };
  grainB: { value: THREE.Vector4 };
  grainColour: { value: THREE.Color };
  grainScale: { value: number };
}

interface Grained {
  pattern: string;
  uniforms: GrainUniforms;
}

/** Give a material the texture of a surface, or take it away. `ready` is called when its source has come. */
export function grow(material: THREE.Material, surface: Surface, edge: boolean, ready: () => void) {
  const kept = material.userData as Partial<Grained>;
  kept.uniforms ??= {
    grainRest: { value: null },
    grainByLetter: { value: 0 },
    grainTo: { value: new THREE.Matrix4() },
    grainA: { value: new THREE.Vector4() },
    grainB: { value: new THREE.Vector4() },
    grainColour: { value: new THREE.Color() },
    grainScale: { value: 1 },
  };
  const { uniforms } = kept;
  const { grain } = surface;
  if (grain) fill(uniforms, grain, edge);
  const pattern = grain?.name ?? '';
  if (pattern === (kept.pattern ?? '')) return;
  kept.pattern = pattern;
  material.customProgramCacheKey = () => pattern;
  if (!pattern) {
    material.onBeforeCompile = () => {};
    material.needsUpdate = true;
    return;
  }
  void source(pattern).then((text) => {
    if (kept.pattern !== pattern) return;
    material.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, uniforms);
      shader.vertexShader = shader.vertexShader
        .replace('#include <common>', `#include <common>\n${VERTEX_HEAD}`)
        .replace('#include <begin_vertex>', `#include <begin_vertex>\n${VERTEX}`);
      shader.fragmentShader = shader.fragmentShader
        .replace('#include <common>', `#include <common>\n${FRAGMENT_HEAD}\n${text}`)
        .replace('#include <map_fragment>', `#include <map_fragment>\n${COLOUR}`)
        .replace(
          '#include <roughnessmap_fragment>',
          `#include <roughnessmap_fragment>
  roughnessFactor = clamp(mix(roughnessFactor, grainB.z, grain.x) - 0.12 * grainA.z * grain.y, 0.04, 1.0);`,
        )
        .replace(
          '#include <metalnessmap_fragment>',
          `#include <metalnessmap_fragment>
  metalnessFactor = mix(metalnessFactor, grainB.y, grain.x);`,
        )
        .replace('#include <normal_fragment_maps>', `#include <normal_fragment_maps>\n${NORMAL}`);
    };
    material.needsUpdate = true;
    ready();
  });
}

function fill(uniforms: GrainUniforms, grain: Grain, edge: boolean) {
  const [a, b, c, d, e, f, g, h, i, j, k, l] = grain.to as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  uniforms.grainTo.value.set(a, b, c, d, e, f, g, h, i, j, k, l, 0, 0, 0, 1);
  uniforms.grainByLetter.value = grain.by_letter ? 1 : 0;
  uniforms.grainA.value.set(grain.amount, grain.contrast, grain.tone, grain.relief);
  uniforms.grainB.value.set(grain.wear, grain.metal, grain.roughness, edge ? 1 : 0);
  uniforms.grainColour.value.setRGB(...grain.colour, THREE.LinearSRGBColorSpace);
  uniforms.grainScale.value = grain.scale;
}

/** Where the letters of a batch stand at rest: four texels a letter. */
export function setRest(material: THREE.Material, letters: LetterAtRest[]) {
  const { uniforms } = material.userData as Partial<Grained>;
  if (!uniforms) return;
  const rows = new Float32Array(Math.max(1, letters.length) * 16);
  letters.forEach((letter, k) => {
    rows.set(letter.rest, k * 16);
    rows[k * 16 + 12] = letter.number;
  });
  uniforms.grainRest.value?.dispose();
  const table = new THREE.DataTexture(
    rows,
    4,
    Math.max(1, letters.length),
    THREE.RGBAFormat,
    THREE.FloatType,
  );
  table.needsUpdate = true;
  uniforms.grainRest.value = table;
}
