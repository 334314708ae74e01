import * as THREE from 'three';

/** Letters that are drawn at once. Those that are bent lie where their solids at rest do not: what is outside of a
 *  picture is told by balls around them as they are bent. */
export class LetterBatch extends THREE.BatchedMesh {
  private readonly recipes = new Map<number, string>();
  private balls: ReadonlyMap<string, THREE.Sphere> | null = null;

  addSolid(recipe: string, geometry: THREE.BufferGeometry): number {
    const id = this.addGeometry(geometry);
    this.recipes.set(id, recipe);
    return id;
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
