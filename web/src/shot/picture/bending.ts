import * as THREE from 'three';
import { bent } from '../../api/bent';
import { bytes } from '../../api/client';
import { TABLES } from '../../api/facts';
import { isBent, poseAt, rowsAt, type SeenSpan, waysAt } from '../draft';
import { after } from './patching';

/** What deformers a shader knows, the text that bends by them, and whether letters are in pieces, or swell. */
export interface Bend {
  key: string;
  source: string;
  loose: boolean;
  full: boolean;
}

/** What a bending shader is told: the rows of its letters, and the ways of their pieces, a line of texels for each
 *  letter. */
export interface BendUniforms {
  [name: string]: THREE.IUniform;
  bends: { value: THREE.DataTexture | null };
  ways: { value: THREE.DataTexture | null };
}

/** Of letters that stay as they are. */
export const UNBENT: Bend = { key: '', source: '', loose: false, full: false };
const UNBENT_BUT = [
  UNBENT,
  { key: 'loose', source: '', loose: true, full: false },
  { key: 'full', source: '', loose: false, full: true },
  { key: 'loose full', source: '', loose: true, full: true },
];
const FULL = /* glsl */ `
  attribute vec3 _gone;
  attribute vec3 _swollen;
`;
const FLOWN = /* glsl */ `
  attribute float _piece;
  uniform sampler2D ways;
  vec4 wayRow(int letter, int row) { return texelFetch(ways, ivec2(3 * int(_piece + 0.5) + row, letter), 0); }
  vec3 flown(int letter, vec3 p) {
    vec4 at = vec4(p, 1.0);
    return vec3(dot(wayRow(letter, 0), at), dot(wayRow(letter, 1), at), dot(wayRow(letter, 2), at));
  }
  vec3 flownNormal(int letter, vec3 n) {
    vec3 a = wayRow(letter, 0).xyz, b = wayRow(letter, 1).xyz, c = wayRow(letter, 2).xyz;
    vec3 found = vec3(dot(cross(b, c), n), dot(cross(c, a), n), dot(cross(a, b), n));
    return found / max(length(found), 1e-20);
  }
`;
const known = new Map<string, Promise<Bend>>();
const arrived = new Map<string, Bend>();

/** The text that bends the letters of a span: at once where it is known or none is needed, else on its way. */
export function bendOf({ bends, bent_by, pieces, swellings }: SeenSpan): Bend | Promise<Bend> {
  const loose = pieces > 0;
  const full = (swellings?.length ?? 0) > 0;
  if (!bends || !bent_by.length) return UNBENT_BUT[Number(loose) + 2 * Number(full)] as Bend;
  const key = `${bent_by.join()} ${bends} ${loose} ${full}`;
  const there = arrived.get(key);
  if (there) return there;
  let asked = known.get(key);
  if (!asked) {
    asked = bytes(`/api/deformers?kinds=${bent_by.join()}&most=${bends}`).then(({ body }) => {
      const bend = { key, source: new TextDecoder().decode(body), loose, full };
      arrived.set(key, bend);
      return bend;
    });
    asked.catch(() => known.delete(key));
    known.set(key, asked);
  }
  return asked;
}

const LETTER = 'int(getIndirectIndex(gl_DrawID))';

/** A vertex shader that bends places, and lets pieces fly, and normals where it has them; what textures see stays as it
 *  was. */
export function bending(shader: string, { source, loose, full }: Bend): string {
  if (!source && !loose && !full) return shader;
  const when = (is: unknown, text: string) => (is ? text : '');
  const normals = shader.includes('#include <beginnormal_vertex>');
  const parts = [
    ['common', source + when(loose, FLOWN) + when(full, FULL)],
    [
      'begin_vertex',
      when(full, 'transformed += _gone;') +
        when(source, `transformed = bent(${LETTER}, transformed);`) +
        when(loose, `transformed = flown(${LETTER}, transformed);`),
    ],
    ...(normals
      ? [
          [
            'beginnormal_vertex',
            when(full, 'objectNormal = _swollen;') +
              when(
                source,
                `objectNormal = bentNormal(${LETTER}, vec3(position)${when(full, ' + _gone')}, objectNormal);`,
              ) +
              when(loose, `objectNormal = flownNormal(${LETTER}, objectNormal);`),
          ],
        ]
      : []),
  ] as [string, string][];
  return parts.reduce((text, [part, more]) => after(text, part, more), shader);
}

/** The materials by which a batch throws shadows, bent as the batch is. */
export function shadowsOf(bend: Bend, uniforms: BendUniforms): [THREE.Material, THREE.Material] {
  const depth = new THREE.MeshDepthMaterial({ depthPacking: THREE.RGBADepthPacking });
  const distance = new THREE.MeshDistanceMaterial();
  for (const material of [depth, distance]) {
    material.customProgramCacheKey = () => bend.key;
    material.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, uniforms);
      shader.vertexShader = bending(shader.vertexShader, bend);
    };
  }
  return [depth, distance];
}

/** Tell a shader the rows of letters, and the ways of their pieces, at a frame, in the order of its instances. */
export function tellRows(uniforms: BendUniforms, span: SeenSpan, frame: number, letters: number[]) {
  tell(uniforms.bends, span.bends * TABLES.bend.row, letters, (letter) => rowsAt(span, frame, letter));
  const most = span.pieces ? Math.max(1, ...letters.map((k) => span.letters[k]?.pieces[1] ?? 0)) : 0;
  tell(uniforms.ways, most * TABLES.way, letters, (letter) => waysAt(span, frame, letter));
}

/** Fill a texture with so many numbers for each letter. */
function tell(
  uniform: { value: THREE.DataTexture | null },
  long: number,
  letters: number[],
  of: (letter: number) => Float32Array | null,
) {
  if (!long) return;
  const width = long / 4;
  const height = Math.max(1, letters.length);
  let table = uniform.value;
  if (!table || table.image.width !== width || table.image.height !== height) {
    table?.dispose();
    table = new THREE.DataTexture(
      new Float32Array(long * height),
      width,
      height,
      THREE.RGBAFormat,
      THREE.FloatType,
    );
    uniform.value = table;
  }
  const data = table.image.data as Float32Array;
  letters.forEach((letter, k) => {
    const numbers = of(letter);
    if (numbers) data.set(numbers, k * long);
  });
  table.needsUpdate = true;
}

/** Boxes around the pieces of a solid, by their numbers; null for a letter that is whole. */
export function pieceBoxes(parts: Iterable<THREE.BufferGeometry>): THREE.Box3[] | null {
  const boxes: THREE.Box3[] = [];
  const at = new THREE.Vector3();
  for (const { attributes } of parts) {
    const { _piece: piece, position } = attributes;
    if (!piece || !position) return null;
    for (let k = 0; k < position.count; k++) {
      const number = piece.getX(k);
      boxes[number] ??= new THREE.Box3();
      boxes[number].expandByPoint(at.fromBufferAttribute(position as THREE.BufferAttribute, k));
    }
  }
  return boxes;
}

/** The box around pieces where their ways take them. */
export function looseBox(boxes: THREE.Box3[], ways: Float32Array): THREE.Box3 {
  const found = new THREE.Box3();
  boxes.forEach((box, piece) => {
    found.union(OWN.copy(box).applyMatrix4(wayOf(ways, piece)));
  });
  return found;
}
const OWN = new THREE.Box3();
const WAY = new THREE.Matrix4();

/** The way of a piece, until the next is asked for. */
function wayOf(ways: Float32Array, piece: number): THREE.Matrix4 {
  const k = piece * TABLES.way;
  const row = (r: number) =>
    Array.from(ways.subarray(k + 4 * r, k + 4 * r + 4)) as [number, number, number, number];
  return WAY.set(...row(0), ...row(1), ...row(2), 0, 0, 0, 1);
}

/** A place of a letter's own space as its rows leave it. */
export function bentPlace(rows: Float32Array, x: number, y: number, z: number): [number, number, number] {
  return bent(rows, 0, rows.length / TABLES.bend.row, x, y, z);
}

/** A place of a letter in the world at a frame: bent, then put where the letter is. */
export function placeIn(span: SeenSpan, frame: number, letter: number, at: THREE.Vector3): THREE.Vector3 {
  const rows = rowsAt(span, frame, letter);
  if (isBent(rows)) at.set(...bentPlace(rows, at.x, at.y, at.z));
  return at.applyMatrix4(POSE.fromArray(poseAt(span, frame, letter)));
}
const POSE = new THREE.Matrix4();

/** About where a box lies when it is bent: by places of a grid in it. */
export function bentBox(box: THREE.Box3, rows: Float32Array): THREE.Box3 {
  const found = new THREE.Box3();
  const at = new THREE.Vector3();
  const size = box.getSize(new THREE.Vector3());
  for (let i = 0; i <= GRID; i++) {
    for (let j = 0; j <= GRID; j++) {
      for (const k of [0, 1]) {
        const [x, y, z] = [
          box.min.x + (size.x * i) / GRID,
          box.min.y + (size.y * j) / GRID,
          box.min.z + size.z * k,
        ];
        found.expandByPoint(at.set(...bentPlace(rows, x, y, z)));
      }
    }
  }
  return found;
}
const GRID = 4;

/** A geometry's vertices as rows, and the ways of its pieces, leave them. */
export function bentGeometry(
  geometry: THREE.BufferGeometry,
  rows: Float32Array | null,
  ways: Float32Array | null,
): THREE.BufferGeometry {
  const from = geometry.attributes.position as THREE.BufferAttribute;
  const piece = geometry.attributes._piece;
  const to = new Float32Array(from.count * 3);
  const at = new THREE.Vector3();
  const poses = new Map<number, THREE.Matrix4>();
  for (let k = 0; k < from.count; k++) {
    at.fromBufferAttribute(from, k);
    if (rows) at.set(...bentPlace(rows, at.x, at.y, at.z));
    if (ways && piece) {
      const number = piece.getX(k);
      let pose = poses.get(number);
      if (!pose) {
        pose = wayOf(ways, number).clone();
        poses.set(number, pose);
      }
      at.applyMatrix4(pose);
    }
    at.toArray(to, 3 * k);
  }
  const made = new THREE.BufferGeometry();
  made.setAttribute('position', new THREE.BufferAttribute(to, 3));
  made.setIndex(geometry.index);
  return made;
}
