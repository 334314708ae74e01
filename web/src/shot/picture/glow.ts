import * as THREE from 'three';
import { type Look, type PartSurface, type SeenSpan, wearAt } from '../draft';
import { placeIn } from './bending';

const MOST = 6;

/** The geometry of a solid by the part that a material covers. */
export type Facets = Map<string, THREE.BufferGeometry>;

interface Glowing {
  letter: number;
  middle: THREE.Vector3; // in the letter's space
  sent: THREE.Vector3; // intensity on each side, by colour
}

/** What each letter wears. */
export function dressed(span: SeenSpan, look: Look): PartSurface[][] {
  const placed = new Map<number, number>();
  return span.letters.map(({ block }) => {
    const wardrobe = look.blocks[block];
    const place = placed.get(block) ?? 0;
    placed.set(block, place + 1);
    return wardrobe?.dresses[wardrobe.wears[place] ?? 0] ?? [];
  });
}

/** Glowing letters as a few point lights, each for letters that stand in a row: what they throw on what is around. */
export class Glows {
  readonly lights = new THREE.Group();
  private groups: Glowing[][] = [];

  /** Other letters, or another glow. A body sends a quarter of its surface's light to each side, as if it had no hollows. */
  take(span: SeenSpan, look: Look, built: Map<string, Facets>) {
    const glowing: Glowing[] = [];
    const worn = dressed(span, look);
    span.letters.forEach(({ recipe }, letter) => {
      const facets = built.get(recipe);
      const middle = new THREE.Vector3();
      const sent = new THREE.Vector3();
      let area = 0;
      for (const { part, glow } of worn[letter] ?? []) {
        if (!glow.some((g) => g > 0)) continue;
        const { area: own, sum } = extent(facets?.get(part));
        area += own;
        middle.add(sum);
        sent.addScaledVector(new THREE.Vector3(...glow), own / 4);
      }
      if (area > 0) glowing.push({ letter, middle: middle.divideScalar(area), sent });
    });
    this.groups = rows(glowing, MOST);
    while (this.lights.children.length > this.groups.length)
      this.lights.remove(this.lights.children[0] as THREE.Object3D);
    while (this.lights.children.length < this.groups.length) this.lights.add(new THREE.PointLight());
  }

  /** Put the lights where their letters are at a frame. */
  place(span: SeenSpan, frame: number) {
    const at = new THREE.Vector3();
    this.groups.forEach((group, k) => {
      const light = this.lights.children[k] as THREE.PointLight;
      const sent = new THREE.Vector3();
      light.position.set(0, 0, 0);
      for (const glowing of group) {
        light.position.add(placeIn(span, frame, glowing.letter, at.copy(glowing.middle)));
        sent.addScaledVector(glowing.sent, wearAt(span, frame, glowing.letter)?.glow ?? 1);
      }
      light.position.divideScalar(group.length);
      light.intensity = Math.max(sent.x, sent.y, sent.z);
      light.color.setRGB(
        ...(sent.divideScalar(Math.max(light.intensity, 1e-9)).toArray() as [number, number, number]),
        THREE.LinearSRGBColorSpace,
      );
    });
  }
}

/** Letters in the order in which they stand, in so many groups at most, about equally many in each. */
export function rows<T>(letters: T[], most: number): T[][] {
  const count = Math.min(most, letters.length);
  return Array.from({ length: count }, (_, k) =>
    letters.slice(Math.round((k * letters.length) / count), Math.round(((k + 1) * letters.length) / count)),
  );
}

const known = new WeakMap<THREE.BufferGeometry, { area: number; sum: THREE.Vector3 }>();

/** The area of a geometry, and its middle times that. */
export function extent(geometry: THREE.BufferGeometry | undefined): { area: number; sum: THREE.Vector3 } {
  const found = { area: 0, sum: new THREE.Vector3() };
  if (!geometry?.index) return found;
  const measured = known.get(geometry);
  if (measured) return measured;
  const places = geometry.attributes.position as THREE.BufferAttribute;
  const triangle = new THREE.Triangle();
  const middle = new THREE.Vector3();
  for (let k = 0; k < geometry.index.count; k += 3) {
    const [a, b, c] = [0, 1, 2].map((i) => geometry.index?.getX(k + i) ?? 0) as [number, number, number];
    triangle.setFromAttributeAndIndices(places, a, b, c);
    const area = triangle.getArea();
    found.area += area;
    found.sum.addScaledVector(triangle.getMidpoint(middle), area);
  }
  known.set(geometry, found);
  return found;
}
