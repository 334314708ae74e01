import * as THREE from 'three';
import { bent } from '../../api/bent';
import { bytes } from '../../api/client';
import { TABLES } from '../../api/facts';
import { isBent, poseAt, rowsAt, type SeenSpan } from '../draft';
import { after } from './patching';

/** What deformers a shader knows, and the text that bends by them. */
export interface Bend {
  key: string;
  source: string;
}

/** What a bending shader is told: the rows of its letters, a line of texels for each. */
export interface BendUniforms {
  [name: string]: THREE.IUniform;
  bends: { value: THREE.DataTexture | null };
}

/** Of letters that stay as they are. */
export const UNBENT: Bend = { key: '', source: '' };
const known = new Map<string, Promise<Bend>>();
const arrived = new Map<string, Bend>();

/** The text that bends the letters of a span: at once where it is known or none is needed, else on its way. */
export function bendOf({ bends, bent_by }: SeenSpan): Bend | Promise<Bend> {
  if (!bends || !bent_by.length) return UNBENT;
  const key = `${bent_by.join()} ${bends}`;
  const there = arrived.get(key);
  if (there) return there;
  let asked = known.get(key);
  if (!asked) {
    asked = bytes(`/api/deformers?kinds=${bent_by.join()}&most=${bends}`).then(({ body }) => {
      const bend = { key, source: new TextDecoder().decode(body) };
      arrived.set(key, bend);
      return bend;
    });
    asked.catch(() => known.delete(key));
    known.set(key, asked);
  }
  return asked;
}

const LETTER = 'int(getIndirectIndex(gl_DrawID))';

/** A vertex shader that bends places, and normals where it has them; what textures see stays as it was. */
export function bending(shader: string, { source }: Bend): string {
  if (!source) return shader;
  const normals = shader.includes('#include <beginnormal_vertex>');
  const parts = [
    ['common', source],
    ['begin_vertex', `transformed = bent(${LETTER}, transformed);`],
    ...(normals
      ? [['beginnormal_vertex', `objectNormal = bentNormal(${LETTER}, vec3(position), objectNormal);`]]
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

/** Tell a shader the rows of letters at a frame, in the order of its instances. */
export function tellRows(uniforms: BendUniforms, span: SeenSpan, frame: number, letters: number[]) {
  const long = span.bends * TABLES.bend.row;
  if (!long) return;
  const width = long / 4;
  const height = Math.max(1, letters.length);
  let table = uniforms.bends.value;
  if (!table || table.image.width !== width || table.image.height !== height) {
    table?.dispose();
    table = new THREE.DataTexture(
      new Float32Array(long * height),
      width,
      height,
      THREE.RGBAFormat,
      THREE.FloatType,
    );
    uniforms.bends.value = table;
  }
  const data = table.image.data as Float32Array;
  letters.forEach((letter, k) => {
    const rows = rowsAt(span, frame, letter);
    if (rows) data.set(rows, k * long);
  });
  table.needsUpdate = true;
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

/** A geometry's vertices as rows leave them. */
export function bentGeometry(geometry: THREE.BufferGeometry, rows: Float32Array): THREE.BufferGeometry {
  const from = geometry.attributes.position as THREE.BufferAttribute;
  const to = new Float32Array(from.count * 3);
  for (let k = 0; k < from.count; k++)
    to.set(bentPlace(rows, from.getX(k), from.getY(k), from.getZ(k)), 3 * k);
  const made = new THREE.BufferGeometry();
  made.setAttribute('position', new THREE.BufferAttribute(to, 3));
  made.setIndex(geometry.index);
  return made;
}
