import * as THREE from 'three';
import { type Look, poseAt, type SeenSpan, type Surface } from '../draft';
import { dressed, extent, type Facets, rows } from './glow';

const MOST = 6;

/** What grounds need to know of letters that keep light from around off them: rectangles by their middles, with what
 *  share of each is letters, their half edges, and with the first of these how much of the light is lost in them. */
export interface HidingUniforms {
  [name: string]: THREE.IUniform;
  hiderCount: { value: number };
  hiderAt: { value: THREE.Vector4[] };
  hiderU: { value: THREE.Vector4[] };
  hiderV: { value: THREE.Vector3[] };
}

interface Hider {
  letter: number;
  box: [number, number, number, number];
  depth: number; // of its middle
  area: number; // as it is seen from the front
  lost: number; // of light that comes upon it
}

/** Letters as a few rectangles, each for letters that stand in a row. */
export class Hiding {
  readonly uniforms: HidingUniforms = {
    hiderCount: { value: 0 },
    hiderAt: { value: Array.from({ length: MOST }, () => new THREE.Vector4()) },
    hiderU: { value: Array.from({ length: MOST }, () => new THREE.Vector4()) },
    hiderV: { value: Array.from({ length: MOST }, () => new THREE.Vector3()) },
  };
  private groups: Hider[][] = [];

  /** Other letters. */
  take(span: SeenSpan, look: Look, built: Map<string, Facets>) {
    const hiders: Hider[] = [];
    const worn = dressed(span, look);
    span.letters.forEach(({ recipe, box }, letter) => {
      const facets = built.get(recipe);
      const { area } = extent(facets?.get('face'));
      const edge = extent(facets?.get('edge'));
      const lost = lostIn(worn[letter]?.find(({ part }) => part === 'face'));
      // A front and a rear.
      if (area > 0)
        hiders.push({ letter, box, depth: edge.sum.z / Math.max(edge.area, 1e-9), area: area / 2, lost });
    });
    this.groups = rows(hiders, MOST);
    this.uniforms.hiderCount.value = this.groups.length;
  }

  /** Put the rectangles where their letters are at a frame. */
  place(span: SeenSpan, frame: number) {
    this.groups.forEach((group, k) => {
      const { middle, u, v, area } = around(
        group.map(({ letter, box, depth, area }) => ({
          pose: POSE.clone().fromArray(poseAt(span, frame, letter)),
          box,
          depth,
          area,
        })),
      );
      this.uniforms.hiderAt.value[k]?.set(
        ...middle.toArray(),
        Math.min(1, (BY_DEPTH * area) / Math.max(4 * u.length() * v.length(), 1e-9)),
      );
      const whole = group.reduce((sum, { area }) => sum + area, 0);
      const lost = group.reduce((sum, { area, lost }) => sum + area * lost, 0) / Math.max(whole, 1e-9);
      this.uniforms.hiderU.value[k]?.set(...u.toArray(), lost);
      this.uniforms.hiderV.value[k]?.copy(v);
    });
  }
}

const POSE = new THREE.Matrix4();

/** The rectangle around boxes that lies as the first of them does, and the area of what is in them. */
export function around(
  boxes: { pose: THREE.Matrix4; box: [number, number, number, number]; depth: number; area: number }[],
): { middle: THREE.Vector3; u: THREE.Vector3; v: THREE.Vector3; area: number } {
  const [x, y, z] = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];
  boxes[0]?.pose.extractBasis(x, y, z);
  const axes = [x, y, z].map((axis) => axis.normalize()) as [THREE.Vector3, THREE.Vector3, THREE.Vector3];
  const corners = boxes.flatMap(({ pose, box: [left, bottom, right, top], depth }) =>
    [
      [left, bottom],
      [right, bottom],
      [left, top],
      [right, top],
    ].map(([x = 0, y = 0]) => new THREE.Vector3(x, y, depth).applyMatrix4(pose)),
  );
  const middle = new THREE.Vector3();
  const halves = axes.map((axis) => {
    const along = corners.map((corner) => corner.dot(axis));
    const [low, high] = [Math.min(...along), Math.max(...along)];
    middle.addScaledVector(axis, (low + high) / 2);
    return (high - low) / 2;
  });
  const area = boxes.reduce((sum, b) => sum + b.area * b.pose.getMaxScaleOnAxis() ** 2, 0);
  return {
    middle,
    u: axes[0].clone().multiplyScalar(halves[0] ?? 0),
    v: axes[1].clone().multiplyScalar(halves[1] ?? 0),
    area,
  };
}

/** What share of light is lost in a material: it neither sends it back nor lets it through. */
export function lostIn(surface: Surface | undefined): number {
  if (!surface) return 1;
  const [red, green, blue] = surface.colour;
  const bright = 0.2126 * red + 0.7152 * green + 0.0722 * blue;
  return (1 - Math.min(bright, 1)) * (1 - surface.transmission);
}
/** From most sides their depth hides more than their faces. */
const BY_DEPTH = 1.5;

export const HIDING_HEAD = `
uniform int hiderCount;
uniform vec4 hiderAt[${MOST}];
uniform vec4 hiderU[${MOST}];
uniform vec3 hiderV[${MOST}];
vec3 hiderCorner(vec3 corner, vec3 normal) {
  return normalize(corner - min(dot(corner, normal), 0.0) * normal);
}
float hiderEdge(vec3 a, vec3 b, vec3 normal) {
  vec3 across = cross(a, b);
  float sine = length(across);
  return sine > 1e-6 ? dot(across, normal) * atan(sine, dot(a, b)) / sine : 0.0;
}
`;
/** Light from around is less by what letters hide of it: a rectangle by the share of the hemisphere that it takes (a
 *  polygon in closed form: Lambert, Photometria, 1760), and by how bright it is behind them all; of that they send on
 *  what their material does not swallow, as if it were as bright before them. What is rough mirrors
 *  as much less; what is not, mirrors the letters. Where pictures are gathered. */
export const HIDING = `
#if defined( STANDARD ) && defined( USE_ENVMAP )
if (fine) {
  vec3 hiddenHere = cameraPosition + (vec4(-vViewPosition, 0.0) * viewMatrix).xyz;
  vec3 hiddenNormal = normalize((vec4(geometryNormal, 0.0) * viewMatrix).xyz);
  float hidden = 0.0;
  float lost = 0.0;
  vec3 mean = vec3(0.0);
  for (int k = 0; k < ${MOST}; k++) {
    if (k >= hiderCount) break;
    vec3 to = hiderAt[k].xyz - hiddenHere;
    vec3 across = hiderU[k].xyz;
    vec3 a = hiderCorner(to - across - hiderV[k], hiddenNormal);
    vec3 b = hiderCorner(to + across - hiderV[k], hiddenNormal);
    vec3 c = hiderCorner(to + across + hiderV[k], hiddenNormal);
    vec3 d = hiderCorner(to - across + hiderV[k], hiddenNormal);
    float share = hiderAt[k].w * abs(hiderEdge(a, b, hiddenNormal) + hiderEdge(b, c, hiddenNormal)
      + hiderEdge(c, d, hiddenNormal) + hiderEdge(d, a, hiddenNormal)) / PI2;
    hidden += share;
    lost += share * hiderU[k].w;
    mean += share * normalize(a + b + c + d);
  }
  if (hidden > 1e-3) {
    vec3 way = normalize(mean);
    vec3 kept = PI * min(lost, 1.0) * lightAround(way, way, roughnessToMip(clamp(sqrt(2.0 * hidden), 0.3, 1.0)));
    vec3 left = max(1.0 - kept / max(iblIrradiance, vec3(1e-6)), vec3(0.1));
    iblIrradiance *= left;
    radiance *= mix(vec3(1.0), left, smoothstep(0.3, 0.7, material.roughness));
  }
}
#endif
`;
