import * as THREE from 'three';
import { TABLES } from '../../api/facts';
import type { SeenSpan } from '../draft';

/** A chunk of how letters swell: how far each vertex is from where it rests at each frame, in shares of `most` by 16
 *  bits, and how round each letter is there. */
export interface Chunk {
  vertices: number;
  letters: number;
  most: number;
  round: Float32Array;
  offsets: Int16Array;
}

/** Chunks that have come, by their addresses. What was asked for longest ago goes first. */
const chunks = new Map<string, Chunk>();
const MOST_BYTES = 200 * 1024 * 1024;
let held = 0;

/** Keep a chunk that has come. */
export function keepChunk(address: string, chunk: Chunk) {
  if (chunks.has(address)) return;
  chunks.set(address, chunk);
  held += chunk.offsets.byteLength;
  for (const [old, { offsets }] of chunks) {
    if (held <= MOST_BYTES || old === address) break;
    chunks.delete(old);
    held -= offsets.byteLength;
  }
}

/** The addresses of the chunks that are there. */
export const keptChunks = () => [...chunks.keys()];

/** So many numbers of a message a chunk takes. */
export function chunkLength(vertices: number, letters: number): number {
  return 1 + TABLES.chunk * letters + Math.ceil((TABLES.chunk * vertices * 3) / 2);
}

/** A chunk as it travels. */
export function chunkOf(numbers: Float32Array, vertices: number, letters: number): Chunk {
  const begin = 1 + TABLES.chunk * letters;
  const offsets = new Int16Array(
    numbers.buffer,
    numbers.byteOffset + 4 * begin,
    TABLES.chunk * vertices * 3,
  ).slice();
  return { vertices, letters, most: numbers[0] ?? 0, round: numbers.slice(1, begin), offsets };
}

/** How a letter is swollen at a frame: the offsets of its vertices, three numbers each in shares of `most`, and how
 *  round it is. */
export interface Swollen {
  key: string;
  offsets: Int16Array;
  most: number;
  round: number;
}

/** The swelling of a letter of a span at a frame; null while it is as it rests. */
export function swollenAt(span: SeenSpan, frame: number, letter: number): Swollen | null {
  for (const { letters, vertices, begin, chunks: names } of span.swellings) {
    const place = letters.findIndex(([own]) => own === letter);
    if (place < 0) continue;
    const since = Math.min(Math.round(frame - begin), names.length * TABLES.chunk);
    if (since <= 0) return null;
    const row = (since - 1) % TABLES.chunk;
    const name = names[Math.floor((since - 1) / TABLES.chunk)] ?? '';
    const chunk = chunks.get(name);
    if (!chunk) return null;
    const [, first, end] = letters[place] as [number, number, number];
    const at = row * vertices;
    return {
      key: `${name} ${row}`,
      offsets: chunk.offsets.subarray(3 * (at + first), 3 * (at + end)),
      most: chunk.most,
      round: chunk.round[row * chunk.letters + place] ?? 0,
    };
  }
  return null;
}

/** The box around a letter's solid as it is swollen. */
export function swollenBox(parts: Iterable<THREE.BufferGeometry>, swollen: Swollen): THREE.Box3 {
  const box = new THREE.Box3();
  const at = new THREE.Vector3();
  for (const { attributes } of parts) {
    const { position, _vertex: vertex } = attributes;
    if (!position || !vertex) continue;
    for (let k = 0; k < position.count; k++) {
      at.fromBufferAttribute(position as THREE.BufferAttribute, k);
      box.expandByPoint(moved(at, vertex.getX(k), swollen));
    }
    break; // all parts have the same vertices
  }
  return box;
}

function moved(at: THREE.Vector3, vertex: number, { offsets, most }: Swollen): THREE.Vector3 {
  const by = most / SHARES;
  at.x += by * (offsets[3 * vertex] ?? 0);
  at.y += by * (offsets[3 * vertex + 1] ?? 0);
  at.z += by * (offsets[3 * vertex + 2] ?? 0);
  return at;
}
const SHARES = 32767;

/** A geometry's vertices as they are swollen, for rays. */
export function swollenGeometry(part: THREE.BufferGeometry, swollen: Swollen): THREE.BufferGeometry {
  const { position, _vertex: vertex } = part.attributes;
  if (!position || !vertex) return part;
  const to = new Float32Array(position.count * 3);
  const at = new THREE.Vector3();
  for (let k = 0; k < position.count; k++) {
    at.fromBufferAttribute(position as THREE.BufferAttribute, k);
    moved(at, vertex.getX(k), swollen).toArray(to, 3 * k);
  }
  const made = new THREE.BufferGeometry();
  made.setAttribute('position', new THREE.BufferAttribute(to, 3));
  made.setIndex(part.index);
  return made;
}

/** What shaders are told of a letter that swells, a line for each of its vertices: how far it has gone, and its normal
 *  there. Parts of a letter share their vertices. */
export class Swell {
  readonly offsets: Float32Array;
  readonly normals: Float32Array;
  private readonly position: ArrayLike<number>;
  private readonly rest: ArrayLike<number>;
  private readonly vertex: Int32Array;
  private readonly corners: ArrayLike<number>[];
  private readonly count: number;
  private drawn = '';

  constructor(parts: Map<string, THREE.BufferGeometry>) {
    const [first] = parts.values();
    const { position, normal, _vertex: vertex } = first?.attributes ?? {};
    this.count = position?.count ?? 0;
    this.position = (position?.array ?? []) as Float32Array;
    this.rest = (normal?.array ?? []) as Float32Array;
    this.vertex = Int32Array.from((vertex?.array ?? []) as Float32Array);
    this.corners = [...parts.values()].map((part) => (part.index?.array ?? []) as Uint32Array);
    this.offsets = new Float32Array(3 * this.count);
    this.normals = Float32Array.from(this.rest);
  }

  /** Take what a letter is like at a frame; answers whether that is something else than before. */
  take(swollen: Swollen | null): boolean {
    const key = swollen?.key ?? '';
    if (key === this.drawn) return false;
    this.drawn = key;
    if (!swollen) {
      this.offsets.fill(0);
      this.normals.set(this.rest);
      return true;
    }
    const by = swollen.most / SHARES;
    const { offsets } = swollen;
    for (let k = 0; k < this.count; k++) {
      const from = 3 * (this.vertex[k] as number);
      for (let c = 0; c < 3; c++) this.offsets[3 * k + c] = by * (offsets[from + c] as number);
    }
    this.turn(swollen.round, offsets.length / 3);
    return true;
  }

  /** Normals by the areas of the triangles around each corner; the rounder a letter is, the less is left of its
   *  creases: as the core has them. */
  private turn(round: number, vertices: number) {
    const { position, offsets, normals, vertex } = this;
    const smooth = new Float32Array(3 * vertices);
    normals.fill(0);
    const at = (k: number, c: number) => (position[3 * k + c] as number) + (offsets[3 * k + c] as number);
    for (const corners of this.corners) {
      for (let t = 0; t < corners.length; t += 3) {
        const [a, b, d] = [corners[t] as number, corners[t + 1] as number, corners[t + 2] as number];
        const [ax, ay, az] = [at(a, 0), at(a, 1), at(a, 2)];
        const [ux, uy, uz] = [at(b, 0) - ax, at(b, 1) - ay, at(b, 2) - az];
        const [vx, vy, vz] = [at(d, 0) - ax, at(d, 1) - ay, at(d, 2) - az];
        const [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
        for (let k = 0; k < 3; k++) {
          const own = 3 * (corners[t + k] as number);
          const whole = 3 * (vertex[corners[t + k] as number] as number);
          normals[own] = (normals[own] as number) + nx;
          normals[own + 1] = (normals[own + 1] as number) + ny;
          normals[own + 2] = (normals[own + 2] as number) + nz;
          smooth[whole] = (smooth[whole] as number) + nx;
          smooth[whole + 1] = (smooth[whole + 1] as number) + ny;
          smooth[whole + 2] = (smooth[whole + 2] as number) + nz;
        }
      }
    }
    for (let k = 0; k < this.count; k++) {
      const [x, y, z] = unit(normals, 3 * k);
      const [p, q, r] = unit(smooth, 3 * (vertex[k] as number));
      const [i, j, l] = [x + round * (p - x), y + round * (q - y), z + round * (r - z)];
      const size = Math.hypot(i, j, l) || 1;
      normals[3 * k] = i / size;
      normals[3 * k + 1] = j / size;
      normals[3 * k + 2] = l / size;
    }
  }
}

function unit(from: Float32Array, k: number): [number, number, number] {
  const [x, y, z] = [from[k] as number, from[k + 1] as number, from[k + 2] as number];
  const size = Math.hypot(x, y, z) || 1;
  return [x / size, y / size, z / size];
}
