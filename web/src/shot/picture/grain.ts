import * as THREE from 'three';
import { bytes } from '../../api/client';
import { SHADERS } from '../../api/facts';
import type { Grain, Images, LetterAtRest, Surface } from '../draft';
import { type Bend, type BendUniforms, bending, UNBENT } from './bending';
import { LIGHTS_BY_COSINE, LIGHTS_WITHOUT_HIGHLIGHTS } from './gloss';
import { HIDING, HIDING_HEAD, type HidingUniforms } from './hiding';
import { HORIZON, HORIZON_HEAD, HORIZON_VERTEX, HORIZON_VERTEX_HEAD, type HorizonUniforms } from './horizon';
import { MIRROR_HEAD, MIRRORED, type MirrorUniforms } from './mirror';
import { after, instead, replaced } from './patching';
import { LIGHTS_FROM_AROUND, ROOM, type RoomUniforms } from './room';
import { TOUCHING_HEAD, type TouchUniforms } from './touching';

/** Textures in the draft: the core's own functions, written out by it as GLSL, put into three's materials. */

const sources = new Map<string, Promise<string>>();
const arrived = new Map<string, string>([['', '']]);

function source(pattern: string): Promise<string> {
  let made = sources.get(pattern);
  if (!made) {
    made = bytes(`/api/textures/${pattern}`).then(({ body }) => {
      const text = new TextDecoder().decode(body);
      arrived.set(pattern, text);
      return text;
    });
    made.catch(() => sources.delete(pattern));
    sources.set(pattern, made);
  }
  return made;
}

const VERTEX_HEAD = `
${SHADERS}
varying vec3 vGrainAt;
varying vec3 vGrainNormal;
varying vec3 vPictureAt;
varying vec3 vBrush;
varying float vGlow;
uniform highp sampler2D grainRest;
uniform float grainByLetter;
`;
const VERTEX = `
  vGlow = 1.0;
#ifdef USE_BATCHING
  vBrush = normalMatrix * (mat3(batchingMatrix) * vec3(1.0, 0.0, 0.0));
  int grainRow = int(getIndirectIndex(gl_DrawID));
  vec4 grainX = texelFetch(grainRest, ivec2(0, grainRow), 0);
  vec4 grainY = texelFetch(grainRest, ivec2(1, grainRow), 0);
  vec4 grainZ = texelFetch(grainRest, ivec2(2, grainRow), 0);
  vec4 grainMore = texelFetch(grainRest, ivec2(3, grainRow), 0);
  float grainNumber = grainMore.x;
  vGlow = grainMore.y;
  vec4 grainHere = vec4(position, 1.0);
  if (grainByLetter > 0.5) {
    vGrainAt = position + grainNumber * APART;
    vPictureAt = position;
    vGrainNormal = normal;
  } else {
    vGrainAt = vec3(dot(grainX, grainHere), dot(grainY, grainHere), dot(grainZ, grainHere));
    vPictureAt = vGrainAt;
    vGrainNormal = vec3(dot(grainX.xyz, normal), dot(grainY.xyz, normal), dot(grainZ.xyz, normal));
  }
#else
  vBrush = normalMatrix * vec3(1.0, 0.0, 0.0);
  vGrainAt = (modelMatrix * vec4(position, 1.0)).xyz;
  vPictureAt = vGrainAt;
  vGrainNormal = mat3(modelMatrix) * normal;
#endif
`;
/** How much of all this picture is where pictures are gathered, else 0, and which part of a lobe it sees. Gathered
 *  pictures draw what is finer than a pixel as it is. */
const FINE = `
${SHADERS}
uniform vec3 lobe;
#define fine (lobe.x > 0.0)
`;
/** A bend within a pixel makes a single picture rougher, lest it sparkle; of many each stands for a part of the pixel.
 *  Brushing draws the two roughnesses apart as in the renderer. */
const ROUGHNESSES = replaced(
  replaced(
    THREE.ShaderChunk.lights_physical_fragment,
    'oughness += geometryRoughness;',
    'oughness += fine ? geometryRoughness * lobe.x : geometryRoughness;',
    true,
  ),
  'material.alphaT = mix( pow2( material.roughness ), 1.0, pow2( material.anisotropy ) );',
  `material.anisotropy *= NARROWEST;
    float brushedApart = inversesqrt(1.0 - material.anisotropy);
    material.alphaT = min(pow2(material.roughness) * brushedApart, 1.0);
    material.roughness *= inversesqrt(brushedApart);`,
);
const VARYINGS = `
varying vec3 vGrainAt;
varying vec3 vGrainNormal;
varying vec3 vPictureAt;
varying vec3 vBrush;
varying float vGlow;
`;
/** Brushing runs along the letter's own line, wherever a surface looks; three would ask for texture coordinates. */
const BRUSHED = `
#ifdef USE_ANISOTROPY
  vec3 brushLine = vBrush - normal * dot(vBrush, normal);
  brushLine = dot(brushLine, brushLine) > 1e-6 ? normalize(brushLine) : normalize(cross(normal, vec3(0.3, 0.5, 0.8)));
  tbn = mat3(brushLine, cross(normal, brushLine), normal);
#endif
`;
const FRAGMENT_HEAD = `
uniform mat4 grainTo;
uniform vec4 grainA; // amount, contrast, tone, relief
uniform vec4 grainB; // wear, metal, roughness, 1 on edges
uniform vec3 grainColour;
uniform float grainScale;
`;
const SIDE = `
  vec3 grainSide = abs(normalize(vGrainNormal));
  bool grainFront = grainSide.z >= 0.5;
  bool grainUpward = grainSide.y > grainSide.x;
`;
/** Slopes are compared within the squares of four pixels that are drawn together. Where pictures are gathered, the four
 *  see the texture near the middle of their square, as far apart as the renderer compares it: slopes of what is finer
 *  than a pixel would else cancel out, and a rough metal look polished. A loop over places would cost minutes to make
 *  where it is drawn in software, since each further call is the whole pattern once more. */
const COLOUR = `
  vec3 grainPoint = (grainTo * vec4(vGrainAt, 1.0)).xyz;
  vec3 grainEast = dFdx(grainPoint);
  vec3 grainNorth = dFdy(grainPoint);
  vec2 grainZoom = fine && grainA.w > 0.0
    ? min(RELIEF_STEP / max(vec2(length(grainEast), length(grainNorth)), 1e-9), 1.0)
    : vec2(1.0);
  vec2 grainAside = (grainZoom - 1.0) * (2.0 * fract(0.5 * gl_FragCoord.xy) - 1.0);
  grainPoint += grainEast * grainAside.x + grainNorth * grainAside.y;
  vec3 grain = layered_(0.0, grainPoint.x, grainPoint.y, grainPoint.z,
    grainFront || grainUpward ? grainPoint.x : grainPoint.z,
    grainFront || !grainUpward ? grainPoint.y : grainPoint.z, grainA.x, grainA.y);
  if (grainB.x > 0.0 && grainB.w > 0.5 && grainSide.z > 0.02) {
    grain.x = max(grain.x, rubbed_(grainB.x, grainPoint.x, grainPoint.y, grainPoint.z));
  }
  for (int k = 0; k < 3; k++) {
    diffuseColor[k] = toned_(mixed_(diffuseColor[k], grainColour[k], grain.x), grainA.z, grain.y);
  }
`;
const ROUGH = `
  roughnessFactor = max(dulled_(mixed_(roughnessFactor, grainB.z, grain.x), grainA.z, grain.y), 0.04);
`;
const METAL = `
  metalnessFactor = mixed_(metalnessFactor, grainB.y, grain.x);
`;
const PICTURE_HEAD = `
uniform sampler2D pictureColour;
uniform sampler2D pictureRough;
uniform sampler2D pictureBump;
uniform vec4 pictureA; // mix, share of the roughness, height of bumps in metres, 1 for once
uniform vec3 pictureTint;
uniform vec2 pictureSize;
uniform mat4 pictureTo;
bool pictureEnds(vec2 at) {
  return pictureA.w > 0.5 && (at.x < 0.0 || at.y < 0.0 || at.x > 1.0 || at.y > 1.0);
}
vec4 pictured(sampler2D of, vec2 at) {
  return pictureEnds(at) ? vec4(0.0) : texture2D(of, at);
}
float grey(vec4 of) {
  return painted_(of.r, of.g, of.b) * of.a;
}
float pictureHigh(vec2 at) {
  return pictureEnds(at) ? 0.0 : grey(textureLod(pictureBump, at, 0.0));
}
`;
const PICTURE_PLACE = `
  vec3 picturePoint = (pictureTo * vec4(vPictureAt, 1.0)).xyz;
  vec2 pictureAt = vec2(grainFront || grainUpward ? picturePoint.x : picturePoint.z,
    grainFront || !grainUpward ? picturePoint.y : picturePoint.z) / pictureSize + 0.5;
`;
const PICTURE_COLOUR = `
  vec4 pictureHere = pictured(pictureColour, pictureAt);
  diffuseColor.rgb = mix(diffuseColor.rgb, pictureHere.rgb * pictureTint, pictureA.x * pictureHere.a);
`;
const PICTURE_ROUGH = `
  vec4 pictureDull = pictured(pictureRough, pictureAt);
  roughnessFactor = clamp(mix(roughnessFactor, grey(vec4(pictureDull.rgb, 1.0)), pictureA.y * pictureDull.a), 0.04, 1.0);
`;
/** Bumps by how the height changes from pixel to pixel (Mikkelsen, "Bump Mapping Unparametrized Surfaces", 2010). */
const BUMPED = `
  if (reliefAny) {
    vec3 bumpEast = dFdx(-vViewPosition);
    vec3 bumpNorth = dFdy(-vViewPosition);
    vec3 bumpR = cross(bumpNorth, normal);
    vec3 bumpS = cross(normal, bumpEast);
    float bumpDet = dot(bumpEast, bumpR);
    normal = normalize(abs(bumpDet) * normal - sign(bumpDet) * (reliefSlope.x * bumpR + reliefSlope.y * bumpS));
  }
`;
const GRAIN_HIGH = `
  if (grainA.w > 0.0) {
    reliefAny = true;
    reliefSlope += grainA.w * DEEPEST * grainScale * vec2(dFdx(grain.z), dFdy(grain.z)) / grainZoom;
  }
`;
const PICTURE_HIGH = `
  reliefAny = true;
  if (fine) {
    vec2 pictureTexel = 1.0 / vec2(textureSize(pictureBump, 0));
    float pictureHere = pictureHigh(pictureAt);
    vec2 pictureSlope = vec2(pictureHigh(pictureAt + vec2(pictureTexel.x, 0.0)),
      pictureHigh(pictureAt + vec2(0.0, pictureTexel.y))) - pictureHere;
    pictureSlope /= pictureTexel;
    reliefSlope += pictureA.z * vec2(dot(pictureSlope, dFdx(pictureAt)), dot(pictureSlope, dFdy(pictureAt)));
  } else {
    float pictureHere = pictureA.z * grey(pictured(pictureBump, pictureAt));
    reliefSlope += vec2(dFdx(pictureHere), dFdy(pictureHere));
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
  pictureColour: { value: THREE.Texture | null };
  pictureRough: { value: THREE.Texture | null };
  pictureBump: { value: THREE.Texture | null };
  pictureA: { value: THREE.Vector4 };
  pictureTint: { value: THREE.Color };
  pictureSize: { value: THREE.Vector2 };
  pictureTo: { value: THREE.Matrix4 };
}

interface Grained {
  program: string;
  uniforms: GrainUniforms;
  bends: BendUniforms;
}

/** Where a material is told the rows by which its letters are bent. */
export const bendsOf = (material: THREE.Material) => (material.userData as Partial<Grained>).bends ?? null;

const WRAPS = {
  repeat: THREE.RepeatWrapping,
  mirror: THREE.MirroredRepeatWrapping,
  once: THREE.ClampToEdgeWrapping,
};
const pictures = new Map<string, Promise<THREE.Texture>>();

/** A picture as the light that its colours stand for. */
export function picture(id: string, tiling: Images['tiling']): Promise<THREE.Texture> {
  const key = `${id} ${tiling}`;
  let made = pictures.get(key);
  if (!made) {
    made = new THREE.TextureLoader().loadAsync(`/api/pictures/${id}`).then((texture) => {
      texture.wrapS = texture.wrapT = WRAPS[tiling];
      texture.colorSpace = THREE.SRGBColorSpace;
      texture.needsUpdate = true;
      return texture;
    });
    made.catch(() => pictures.delete(key));
    pictures.set(key, made);
  }
  return made;
}

/** Give a material the room around it, and the texture and the pictures of a surface, or take those away. `ready` is
 *  called when pictures have come; the answer, if there is one, when the texture has. A floor may mirror the letters, and
 *  grounds go over into a horizon. */
export function grow(
  material: THREE.Material,
  surface: Surface,
  edge: boolean,
  ready: () => void,
  room: RoomUniforms,
  touch: TouchUniforms,
  ground: (HorizonUniforms & HidingUniforms) | null = null,
  mirror: MirrorUniforms | null = null,
  bend: Bend = UNBENT,
): Promise<void> | null {
  const kept = material.userData as Partial<Grained>;
  kept.uniforms ??= {
    grainRest: { value: null },
    grainByLetter: { value: 0 },
    grainTo: { value: new THREE.Matrix4() },
    grainA: { value: new THREE.Vector4() },
    grainB: { value: new THREE.Vector4() },
    grainColour: { value: new THREE.Color() },
    grainScale: { value: 1 },
    pictureColour: { value: null },
    pictureRough: { value: null },
    pictureBump: { value: null },
    pictureA: { value: new THREE.Vector4() },
    pictureTint: { value: new THREE.Color() },
    pictureSize: { value: new THREE.Vector2(1, 1) },
    pictureTo: { value: new THREE.Matrix4() },
  };
  const { uniforms } = kept;
  const { grain, images } = surface;
  if (grain) fill(uniforms, grain, edge);
  if (images) hang(uniforms, images, ready);
  uniforms.grainByLetter.value = grain?.by_letter || images?.by_letter ? 1 : 0;
  const maps = images
    ? [images.colour, images.roughness, images.bump].map((id) => (id ? '1' : '0')).join('')
    : '';
  const brushed = surface.brushed > 0;
  const program = `${grain?.name ?? ''} ${maps} ${brushed} ${ground !== null} ${mirror !== null} ${bend.key}`;
  kept.bends ??= { bends: { value: null }, ways: { value: null } };
  const { bends } = kept;
  if (program === kept.program) return null;
  kept.program = program;
  const put = (text: string) => {
    if (kept.program !== program) return;
    const colour = maps[0] === '1';
    const rough = maps[1] === '1';
    const bump = maps[2] === '1';
    const when = (is: unknown, text: string) => (is ? text : '');
    // Not before: what is drawn until then must not be kept as this program.
    material.customProgramCacheKey = () => program;
    material.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, uniforms, room, touch, ground, mirror, bends);
      shader.vertexShader = [
        ['common', VERTEX_HEAD + when(ground, HORIZON_VERTEX_HEAD)] as const,
        ['begin_vertex', VERTEX + when(ground, HORIZON_VERTEX)] as const,
      ].reduce((text, [part, more]) => after(text, part, more), bending(shader.vertexShader, bend));
      // What three works out of a material that has no gloss knows none of these.
      const glossy = material instanceof THREE.MeshPhysicalMaterial;
      const added = [
        [
          'common',
          FINE +
            TOUCHING_HEAD +
            VARYINGS +
            when(grain, FRAGMENT_HEAD + text) +
            when(images, PICTURE_HEAD) +
            when(ground, HORIZON_HEAD + HIDING_HEAD) +
            when(mirror, MIRROR_HEAD),
        ],
        ['colorspace_fragment', when(ground, HORIZON)],
        ['lights_fragment_maps', when(ground, HIDING) + when(mirror, MIRRORED)],
        [
          'map_fragment',
          SIDE + when(grain, COLOUR) + when(images, PICTURE_PLACE) + when(colour, PICTURE_COLOUR),
        ],
        ['normal_fragment_begin', when(brushed, BRUSHED)],
        ['emissivemap_fragment', 'totalEmissiveRadiance *= vGlow;'],
        ['roughnessmap_fragment', when(glossy, when(grain, ROUGH) + when(rough, PICTURE_ROUGH))],
        ['metalnessmap_fragment', when(glossy && grain, METAL)],
        [
          'normal_fragment_maps',
          `vec2 reliefSlope = vec2(0.0); bool reliefAny = false;${when(grain, GRAIN_HIGH)}${when(bump, PICTURE_HIGH)}${BUMPED}`,
        ],
      ] as const;
      const replacing = [
        ['lights_pars_begin', LIGHTS_BY_COSINE],
        ['lights_fragment_begin', LIGHTS_WITHOUT_HIGHLIGHTS],
        ['lights_fragment_maps', LIGHTS_FROM_AROUND],
        ['envmap_physical_pars_fragment', ROOM],
        ...(glossy ? ([['lights_physical_fragment', ROUGHNESSES]] as const) : []),
      ] as const;
      const grown = added.reduce((text, [part, more]) => after(text, part, more), shader.fragmentShader);
      shader.fragmentShader = replacing.reduce((text, [part, other]) => instead(text, part, other), grown);
    };
    material.needsUpdate = true;
  };
  const pattern = grain?.name ?? '';
  const text = arrived.get(pattern);
  if (text === undefined) return source(pattern).then(put);
  put(text);
  return null;
}

const NO_PICTURE = new THREE.DataTexture(new Uint8Array(4), 1, 1);
NO_PICTURE.needsUpdate = true;

function hang(uniforms: GrainUniforms, images: Images, ready: () => void) {
  for (const [uniform, id] of [
    [uniforms.pictureColour, images.colour],
    [uniforms.pictureRough, images.roughness],
    [uniforms.pictureBump, images.bump],
  ] as const) {
    uniform.value ??= NO_PICTURE;
    if (!id) continue;
    picture(id, images.tiling).then(
      (texture) => {
        if (uniform.value === texture) return;
        uniform.value = texture;
        ready();
      },
      () => {},
    );
  }
  uniforms.pictureA.value.set(images.mix, images.rough, images.deep, images.tiling === 'once' ? 1 : 0);
  uniforms.pictureTint.value.setRGB(...images.tint, THREE.LinearSRGBColorSpace);
  uniforms.pictureSize.value.set(images.width, images.tall);
  setRows(uniforms.pictureTo.value, images.to);
}

/** The rows of a 3x4 matrix as a matrix of 4x4. */
function setRows(matrix: THREE.Matrix4, rows: number[]) {
  const [a = 1, b = 0, c = 0, d = 0, e = 0, f = 1, g = 0, h = 0, i = 0, j = 0, k = 1, l = 0] = rows;
  matrix.set(a, b, c, d, e, f, g, h, i, j, k, l, 0, 0, 0, 1);
}

function fill(uniforms: GrainUniforms, grain: Grain, edge: boolean) {
  setRows(uniforms.grainTo.value, grain.to);
  uniforms.grainA.value.set(grain.amount, grain.contrast, grain.tone, grain.relief);
  uniforms.grainB.value.set(grain.wear, grain.metal, grain.roughness, edge ? 1 : 0);
  uniforms.grainColour.value.setRGB(...grain.colour, THREE.LinearSRGBColorSpace);
  uniforms.grainScale.value = grain.scale;
}

/** Where a letter's glow stands among its numbers. */
const GLOW = 13;

/** How many times as bright as its material a letter of a batch glows, by its place in it. */
export function setGlow(material: THREE.Material, place: number, glow: number) {
  const table = (material.userData as Partial<Grained>).uniforms?.grainRest.value as THREE.DataTexture | null;
  if (!table) return;
  const rows = table.image.data as Float32Array;
  if (rows[place * 16 + GLOW] === glow) return;
  rows[place * 16 + GLOW] = glow;
  table.needsUpdate = true;
}

/** Where the letters of a batch stand at rest: four texels a letter. */
export function setRest(material: THREE.Material, letters: LetterAtRest[]) {
  const { uniforms } = material.userData as Partial<Grained>;
  if (!uniforms) return;
  const rows = new Float32Array(Math.max(1, letters.length) * 16);
  letters.forEach((letter, k) => {
    rows.set(letter.rest, k * 16);
    rows[k * 16 + 12] = letter.number;
    rows[k * 16 + GLOW] = 1;
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
