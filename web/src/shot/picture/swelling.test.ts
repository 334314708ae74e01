import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { TABLES } from '../../api/facts';
import type { SeenSpan } from '../draft';
import {
  chunkLength,
  chunkOf,
  keepChunk,
  keptChunks,
  Swell,
  swollenAt,
  swollenBox,
  swollenGeometry,
} from './swelling';

const F = TABLES.chunk;

/** A chunk as it travels, of so many vertices and letters: vertex v goes k * v / 100 up in the k-th frame. */
function packed(vertices: number, letters: number): Float32Array {
  const out = new Float32Array(chunkLength(vertices, letters));
  out[0] = 2;
  for (let k = 0; k < F * letters; k++) out[1 + k] = Math.floor(k / letters) / F;
  const small = new Int16Array(out.buffer, 4 * (1 + F * letters), F * vertices * 3);
  for (let k = 0; k < F; k++)
    for (let v = 0; v < vertices; v++)
      small[3 * (k * vertices + v) + 1] = Math.round((32767 * k * v) / 100 / 2);
  return out;
}

const span = (chunks: string[]) =>
  ({
    swellings: [
      {
        letters: [
          [4, 0, 3],
          [5, 3, 7],
        ],
        vertices: 7,
        begin: 10,
        chunks,
      },
    ],
  }) as unknown as SeenSpan;

/** A tetrahedron; `split` has each corner once for every side. */
function tetrahedron(split: boolean): THREE.BufferGeometry {
  const places = [
    [0, 0, 0],
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  const triangles = [
    [0, 2, 1],
    [0, 1, 3],
    [1, 2, 3],
    [2, 0, 3],
  ];
  const of = split ? triangles.flat() : [0, 1, 2, 3];
  const made = new THREE.BufferGeometry();
  const at = new Float32Array(of.flatMap((v) => places[v] as number[]));
  made.setAttribute('position', new THREE.BufferAttribute(at, 3));
  made.setAttribute('_vertex', new THREE.BufferAttribute(new Float32Array(of), 1));
  made.setIndex(split ? of.map((_, k) => k) : triangles.flat());
  made.computeVertexNormals();
  return made;
}

describe('how letters swell', () => {
  it('is read from chunks, by frame and letter; before the first and after the last they stay', () => {
    keepChunk('one', chunkOf(packed(7, 2), 7, 2));
    keepChunk('two', chunkOf(packed(7, 2), 7, 2));
    expect(keptChunks()).toEqual(expect.arrayContaining(['one', 'two']));
    const own = span(['one', 'two']);
    expect(swollenAt(own, 10, 4)).toBeNull();
    expect(swollenAt(own, 13, 1)).toBeNull(); // another letter
    const there = swollenAt(own, 13, 5);
    expect(there?.offsets.length).toBe(12);
    expect(((there?.offsets[1] ?? 0) * (there?.most ?? 0)) / 32767).toBeCloseTo((2 * 3) / 100, 4);
    expect(there?.round).toBeCloseTo(2 / F, 6);
    expect(swollenAt(own, 10 + 2 * F, 4)?.key).toBe(swollenAt(own, 400, 4)?.key);
    expect(swollenAt(own, 11 + F, 4)?.key).toBe('two 0');
    expect(swollenAt(span(['gone']), 13, 4)).toBeNull();
  });

  it('moves the corners of every side, and their normals: sharp at rest, smooth when it is round', () => {
    const one = tetrahedron(true);
    const swell = new Swell(new Map([['face', one]]));
    const offsets = new Int16Array(12);
    offsets[3 * 3 + 2] = 32767; // the tip goes up by as much as `most`
    const key = (round: number) => ({ key: `k ${round}`, offsets, most: 0.5, round });
    expect(swell.take(key(0))).toBe(true);
    expect(swell.take(key(0))).toBe(false);
    const tips = [5, 8, 11]; // corners of the split solid that stand at its tip
    for (const k of tips) expect(swell.offsets[3 * k + 2]).toBeCloseTo(0.5, 4);
    const normalOf = (k: number) => new THREE.Vector3().fromArray(swell.normals, 3 * k);
    expect(normalOf(5).toArray()).toEqual([0, -1, 0].map((v) => expect.closeTo(v, 5)));
    expect(normalOf(11).toArray()).toEqual([-1, 0, 0].map((v) => expect.closeTo(v, 5)));
    swell.take(key(1));
    for (const k of tips) expect(normalOf(k).distanceTo(normalOf(5))).toBeCloseTo(0, 5);
    expect(normalOf(5).length()).toBeCloseTo(1, 5);
    swell.take(null);
    expect(Math.max(...swell.offsets)).toBe(0);
    expect(normalOf(0).toArray()).toEqual([0, 0, -1].map((v) => expect.closeTo(v, 5)));
  });

  it('has boxes and rays where it is swollen', () => {
    const part = tetrahedron(false);
    const offsets = new Int16Array(12);
    offsets[3 * 3 + 2] = 32767;
    const swollen = { key: '', offsets, most: 0.5, round: 1 };
    expect(swollenBox([part], swollen).max.z).toBeCloseTo(1.5, 4);
    const ray = new THREE.Raycaster(new THREE.Vector3(0.05, 0.05, 5), new THREE.Vector3(0, 0, -1));
    const mesh = new THREE.Mesh(swollenGeometry(part, swollen), new THREE.MeshBasicMaterial({ side: 2 }));
    expect(ray.intersectObject(mesh)[0]?.point.z).toBeGreaterThan(1.2);
    const box = new THREE.BoxGeometry();
    expect(swollenGeometry(box, swollen)).toBe(box);
  });
});
