import * as THREE from 'three';
import type { Swell } from './swelling';

/** Letters that are drawn at once. Those that are bent, or swell, lie where their solids at rest do not: what is outside
 *  of a picture is told by balls around them as they are. */
export class LetterBatch extends THREE.BatchedMesh {
  private readonly recipes = new Map<number, string>();
  private readonly ids = new Map<string, number>();
  private balls: ReadonlyMap<string, THREE.Sphere> | null = null;

  /** `full`: its vertices can be told how they swell. */
  addSolid(recipe: string, geometry: THREE.BufferGeometry, full = false): number {
    const id = this.addGeometry(full ? swelling(geometry) : geometry);
    this.recipes.set(id, recipe);
    this.ids.set(recipe, id);
    return id;
  }

  /** Tell the vertices of a solid how they swell. */
  tell(recipe: string, { offsets, normals }: Swell) {
    const id = this.ids.get(recipe);
    if (id === undefined) return;
    const { vertexStart = 0 } = this.getGeometryRangeAt(id) ?? {};
    const { _gone: gone, _swollen: swollen } = this.geometry.attributes;
    for (const [attribute, numbers] of [
      [gone, offsets],
      [swollen, normals],
    ] as const) {
      if (!(attribute instanceof THREE.BufferAttribute)) continue;
      (attribute.array as Float32Array).set(numbers, 3 * vertexStart);
      attribute.addUpdateRange(3 * vertexStart, numbers.length);
      attribute.needsUpdate = true;
    }
  }

  /** Balls around all letters of each recipe, in their own space; null for letters that are as they rest. */
  within(balls: ReadonlyMap<string, THREE.Sphere> | null) {
    this.balls = balls;
  }

  override getBoundingSphereAt(id: number, target: THREE.Sphere): THREE.Sphere | null {
    const own = this.balls?.get(this.recipes.get(id) ?? '');
    return own ? target.copy(own) : super.getBoundingSphereAt(id, target);
  }
}

/** A geometry with room for how far its vertices have gone and for their normals there; at rest for now. */
function swelling(geometry: THREE.BufferGeometry): THREE.BufferGeometry {
  const { position, normal } = geometry.attributes;
  const made = new THREE.BufferGeometry();
  for (const [name, attribute] of Object.entries(geometry.attributes)) made.setAttribute(name, attribute);
  made.setAttribute('_gone', new THREE.BufferAttribute(new Float32Array(3 * (position?.count ?? 0)), 3));
  if (normal) made.setAttribute('_swollen', normal.clone());
  made.setIndex(geometry.index);
  return made;
}
