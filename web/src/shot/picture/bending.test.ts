import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { TABLES } from '../../api/facts';
import { isApart, isBent, rowsAt, type SeenSpan, waysAt } from '../draft';
import { LetterBatch } from './batch';
import {
  type Bend,
  type BendUniforms,
  bending,
  bendOf,
  bentBox,
  bentGeometry,
  looseBox,
  pieceBoxes,
  placeIn,
  tellRows,
  UNBENT,
} from './bending';
import { ballsAround } from './letters';

const { row, kind, amount } = TABLES.bend;
/** A wave that lifts everything within a metre of the middle, at most by a height. */
function lifted(height: number): Float32Array {
  const rows = new Float32Array(row);
  for (const k of [0, 5, 10, 12, 16, 20]) rows[k] = 1; // there and back without turning
  rows[kind] = 4;
  rows.set([height, 2, 0, 1, 0], amount);
  return rows;
}
const IDENTITY = new THREE.Matrix4().elements;
const span = (...letters: Float32Array[]) =>
  ({
    first: 3,
    last: 3,
    letters: letters.map(() => ({})),
    bends: 1,
    bent_by: ['wave'],
    rows: Float32Array.from(letters.flatMap((rows) => [...rows])),
    poses: Float32Array.from(letters.flatMap(() => IDENTITY)),
  }) as unknown as SeenSpan;

describe('bent letters', () => {
  it('are bent where a row has a kind and an amount', () => {
    expect(isBent(lifted(0.5))).toBe(true);
    expect(isBent(lifted(0))).toBe(false);
    expect(isBent(new Float32Array(row))).toBe(false);
    expect(isBent(null)).toBe(false);
  });

  it('have rows of their own at each frame', () => {
    const rows = rowsAt(span(lifted(0.25), lifted(0.5)), 3, 1);
    expect(rows?.length).toBe(row);
    expect(rows?.[amount]).toBe(0.5);
  });

  it('are where their rows and then their poses put them', () => {
    const one = span(lifted(0.5));
    one.poses.set([0, 0, 7], 12);
    expect(placeIn(one, 3, 0, new THREE.Vector3(0, 0, 0)).toArray()).toEqual([0, 0.5, 7]);
    expect(placeIn(one, 3, 0, new THREE.Vector3(1, 0.25, 0)).y).toBeCloseTo(0.25, 6);
  });

  it('have a box around all of them, and vertices to be picked by', () => {
    const box = bentBox(
      new THREE.Box3(new THREE.Vector3(-1, 0, 0), new THREE.Vector3(1, 1, 0.2)),
      lifted(0.5),
    );
    expect([box.min.y, box.max.y].map((y) => Math.round(1e6 * y) / 1e6)).toEqual([0, 1.5]);
    const flat = new THREE.BufferGeometry().setFromPoints([
      new THREE.Vector3(0, 0, 0),
      new THREE.Vector3(0.5, 0, 0),
    ]);
    const found = bentGeometry(flat, lifted(0.5), null).attributes.position as THREE.BufferAttribute;
    expect([0, 1].map((k) => Math.round(1e5 * found.getY(k)) / 1e5)).toEqual([0.5, 0.25]);
    expect((flat.attributes.position as THREE.BufferAttribute).getY(0)).toBe(0);
  });

  it('are told to a shader a line of texels each, in the order of its instances', () => {
    const uniforms: BendUniforms = { bends: { value: null }, ways: { value: null } };
    tellRows(uniforms, span(lifted(0.25), lifted(0.5)), 3, [1, 0]);
    const table = uniforms.bends.value as THREE.DataTexture;
    expect([table.image.width, table.image.height]).toEqual([row / 4, 2]);
    const data = table.image.data as Float32Array;
    expect([data[amount], data[row + amount]]).toEqual([0.5, 0.25]);
    tellRows(uniforms, span(lifted(1)), 3, [0]);
    expect(uniforms.bends.value?.image.height).toBe(1);
  });

  it('ask for no shader of their own where nothing bends, and else find their places in three', () => {
    expect(bendOf({ bends: 0, bent_by: [] as string[] } as SeenSpan)).toBe(UNBENT);
    expect(bending('anything', UNBENT)).toBe('anything');
    const bend = { key: 'wave 1', source: 'vec3 bent(int letter, vec3 p);', loose: false, full: false };
    const physical = bending(THREE.ShaderLib.physical.vertexShader, bend);
    for (const told of [bend.source, 'transformed = bent(', 'objectNormal = bentNormal('])
      expect(physical).toContain(told);
    expect(bending(THREE.ShaderLib.depth.vertexShader, bend)).toContain('transformed = bent(');
    expect(() => bending('void main() {}', bend)).toThrow("three's shader has no");
  });
});

describe('letters in pieces', () => {
  const { way } = TABLES;
  /** Two pieces: one at home, one moved and turned by a quarter about z. */
  const ways = Float32Array.from([
    ...[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0],
    ...[0, -1, 0, 2, 1, 0, 0, 0, 0, 0, 1, 0.5],
  ]);
  const apart = {
    first: 3,
    last: 3,
    bends: 0,
    bent_by: [] as string[],
    pieces: 2,
    ways,
    rows: null,
    letters: [{ recipe: 'a', pieces: [0, 2] }],
  } as unknown as SeenSpan;
  const solid = new THREE.BufferGeometry().setFromPoints([
    new THREE.Vector3(0, 0, 0),
    new THREE.Vector3(1, 0, 0),
    new THREE.Vector3(0, 1, 0),
    new THREE.Vector3(1, 0, 0),
    new THREE.Vector3(2, 0, 0),
    new THREE.Vector3(1, 1, 0),
  ]);
  solid.setAttribute('_piece', new THREE.BufferAttribute(Float32Array.from([0, 0, 0, 1, 1, 1]), 1));

  it('are known by the ways of their pieces', () => {
    expect(waysAt(apart, 3, 0)?.length).toBe(2 * way);
    expect(isApart(waysAt(apart, 3, 0))).toBe(true);
    expect(isApart(ways.subarray(0, way))).toBe(false);
    expect(isApart(null)).toBe(false);
  });

  it('have vertices and boxes where their ways take them', () => {
    const found = bentGeometry(solid, null, ways).attributes.position as THREE.BufferAttribute;
    expect([0, 1, 2].map((k) => found.getX(k))).toEqual([0, 1, 0]);
    // (1, 0, 0) is turned to (0, 1, 0), and moved.
    expect([found.getX(3), found.getY(3), found.getZ(3)]).toEqual([2, 1, 0.5]);
    const boxes = pieceBoxes([solid]);
    expect(boxes?.length).toBe(2);
    const box = looseBox(boxes as THREE.Box3[], ways);
    expect([box.min.x, box.max.y]).toEqual([0, 2]);
    expect(pieceBoxes([new THREE.BufferGeometry()])).toBe(null);
  });

  it('are told to a shader, which moves vertices and normals by them', () => {
    const uniforms: BendUniforms = { bends: { value: null }, ways: { value: null } };
    tellRows(uniforms, apart, 3, [0]);
    const table = uniforms.ways.value as THREE.DataTexture;
    expect([table.image.width, table.image.height]).toEqual([6, 1]);
    expect(Array.from(table.image.data as Float32Array)).toEqual(Array.from(ways));
    const bend = bendOf(apart) as Bend;
    expect(bend.loose).toBe(true);
    const drawn = bending(THREE.ShaderLib.physical.vertexShader, bend);
    for (const told of ['attribute float _piece', 'transformed = flown(', 'objectNormal = flownNormal('])
      expect(drawn).toContain(told);
    expect(drawn).not.toContain('bentNormal(');
  });
});

describe('what is outside of a picture', () => {
  const solid = new THREE.BoxGeometry(0.2, 0.2, 0.2);
  solid.computeBoundingBox();
  const boxes = new Map([['a', { whole: solid.boundingBox as THREE.Box3, pieces: null }]]);
  const with_ = (height: number) => {
    const one = span(lifted(height), lifted(0));
    one.letters.forEach((letter) => {
      letter.recipe = 'a';
    });
    return one;
  };

  it('is told by balls around letters as they are bent, those of one solid together', () => {
    const ball = ballsAround(with_(40), 3, boxes).get('a') as THREE.Sphere;
    for (const y of [0, 40]) expect(ball.containsPoint(new THREE.Vector3(0, y, 0))).toBe(true);
  });

  it('is not told by solids at rest', () => {
    const batch = new LetterBatch(1, 24, 36, new THREE.MeshBasicMaterial());
    const id = batch.addSolid('a', solid);
    const at = (y: number) =>
      batch.getBoundingSphereAt(id, new THREE.Sphere())?.containsPoint(new THREE.Vector3(0, y, 0));
    expect([at(0), at(40)]).toEqual([true, false]);
    batch.within(ballsAround(with_(40), 3, boxes));
    expect(at(40)).toBe(true);
    batch.within(null);
    expect(at(40)).toBe(false);
  });
});
