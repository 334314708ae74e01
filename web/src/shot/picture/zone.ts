import * as THREE from 'three';

/** Where a zone is drawn: lines of its border in its own space, and the way from there to the world. */

export interface ZoneNow {
  shape: 'slab' | 'ball' | 'box' | 'ring';
  place: number[];
  turn: number[]; // degrees about x, then y, then z
  size: number[];
  run: number;
}

/** The way from a zone's space to the world: turned about x, then y, then z, and put at its place. */
export function matrixOf({ place, turn }: ZoneNow): THREE.Matrix4 {
  const [x = 0, y = 0, z = 0] = turn.map(THREE.MathUtils.degToRad);
  return new THREE.Matrix4()
    .makeRotationFromEuler(new THREE.Euler(x, y, z, 'ZYX'))
    .setPosition(place[0] ?? 0, place[1] ?? 0, place[2] ?? 0);
}

export const local = (m: THREE.Matrix4, [x = 0, y = 0, z = 0]: number[]): number[] =>
  new THREE.Vector3(x, y, z).applyMatrix4(m).toArray();

const TALL = 1.6;
const DEEP = 0.7;

function circle(radius: number, put: (c: number, s: number) => number[], steps = 40): number[][] {
  return Array.from({ length: steps + 1 }, (_, k) => {
    const angle = (2 * Math.PI * k) / steps;
    return put(radius * Math.cos(angle), radius * Math.sin(angle));
  });
}

/** Lines of a zone's border, or of what lies `more` metres around it. */
export function shapeLines({ shape, size }: ZoneNow, more: number): number[][][] {
  const [a = 0, b = 0, c = 0] = size;
  const r = a + more;
  switch (shape) {
    case 'ball':
      return [circle(r, (u, v) => [u, v, 0]), circle(r, (u, v) => [u, 0, v]), circle(r, (u, v) => [0, u, v])];
    case 'box': {
      const [x, y, z] = [r, b + more, c + more];
      const face = (d: number) => [
        [-x, -y, d],
        [x, -y, d],
        [x, y, d],
        [-x, y, d],
        [-x, -y, d],
      ];
      const posts = [-x, x].flatMap((u) =>
        [-y, y].map((v) => [
          [u, v, -z],
          [u, v, z],
        ]),
      );
      return [face(-z), face(z), ...posts];
    }
    case 'ring': {
      const tube = b + more;
      const rims = [a + tube, Math.max(0, a - tube)].map((radius) => circle(radius, (u, v) => [u, v, 0]));
      const cuts = [0, 90, 180, 270].map((degrees) => {
        const angle = (degrees * Math.PI) / 180;
        return circle(tube, (u, v) => [(a + u) * Math.cos(angle), (a + u) * Math.sin(angle), v], 16);
      });
      return [...rims, ...cuts];
    }
    default:
      return [-r, r].map((x) => [
        [x, -TALL, -DEEP],
        [x, TALL, -DEEP],
        [x, TALL, DEEP],
        [x, -TALL, DEEP],
        [x, -TALL, -DEEP],
      ]);
  }
}
