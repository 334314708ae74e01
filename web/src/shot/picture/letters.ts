import * as THREE from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { bytes } from '../../api/client';
import {
  isApart,
  isBent,
  type LetterAtRest,
  type Look,
  poseAt,
  rowsAt,
  type SeenSpan,
  type Wear,
  waysAt,
  wearAt,
} from '../draft';
import { LetterBatch } from './batch';
import {
  type Bend,
  bendOf,
  bentBox,
  bentGeometry,
  looseBox,
  pieceBoxes,
  shadowsOf,
  tellRows,
  UNBENT,
} from './bending';
import { dress } from './dress';
import { placeInDisc } from './gather';
import type { Facets } from './glow';
import { bendsOf, grow, setGlow, setRest } from './grain';
import type { Room } from './room';
import { Softening, seenBy } from './softening';
import { Swell, swollenAt, swollenBox, swollenGeometry } from './swelling';
import type { Touching } from './touching';
import type { Waiting } from './waiting';

/** So many solids are kept at most that no letter needs any more. */
const MOST_KEPT = 400;
/** What is soft is spread by this share in each gathered picture, and they stand so far apart that the whole is right:
 *  squares of radii add up. */
export const OF_EACH = 0.5;
const APART = Math.sqrt(1 - OF_EACH * OF_EACH);
const NOTHING = new THREE.BufferGeometry();
/** What is left of a letter's opacity where it is not drawn any more. */
const UNSEEN = 0.002;
/** Bent letters lie within boxes around a grid of theirs that are so much larger. */
const BETWEEN = 1.1;
const BOTH_SIDES = new THREE.MeshBasicMaterial({ side: THREE.DoubleSide });
const TINT = new THREE.Color();
const FACTORS = new THREE.Vector4();
const PLAIN: Wear = { red: 0, green: 0, blue: 0, share: 0, opacity: 1, glow: 1, softness: 0 };

/** The box around all facets of a solid. */
function boxOf(facets: Facets): THREE.Box3 {
  const box = new THREE.Box3();
  for (const part of facets.values()) {
    part.computeBoundingBox();
    if (part.boundingBox) box.union(part.boundingBox);
  }
  return box;
}

/** The boxes around a solid, and around the pieces that it is in. */
export interface Boxes {
  whole: THREE.Box3;
  pieces: THREE.Box3[] | null;
  parts?: Facets;
}

/** The box around a letter at a frame, bent or in pieces, in its own space. */
function boxAt(span: SeenSpan, frame: number, letter: number, { whole, pieces, parts }: Boxes): THREE.Box3 {
  const ways = waysAt(span, frame, letter);
  if (pieces && isApart(ways)) return looseBox(pieces, ways);
  const rows = rowsAt(span, frame, letter);
  const swollen = parts && span.swellings?.length ? swollenAt(span, frame, letter) : null;
  const box = swollen && parts ? swollenBox(parts.values(), swollen) : whole;
  return isBent(rows) ? bentBox(box, rows) : box;
}

/** What the solid of a letter is called where it is drawn: by its recipe, or, where it swells as no other does, its
 *  own. */
function drawnAs(span: SeenSpan, letter: number): string {
  const recipe = span.letters[letter]?.recipe ?? '';
  const own = span.swellings?.some(({ letters }) => letters.some(([k]) => k === letter));
  return own ? `${letter} ${recipe}` : recipe;
}

/** Balls around all letters of each recipe as they are bent, or in pieces, at a frame, in their own space. */
export function ballsAround(
  span: SeenSpan,
  frame: number,
  boxes: ReadonlyMap<string, Boxes>,
): Map<string, THREE.Sphere> {
  const all = new Map<string, THREE.Box3>();
  span.letters.forEach((_, letter) => {
    const recipe = drawnAs(span, letter);
    const own = boxes.get(span.letters[letter]?.recipe ?? '');
    if (!own || own.whole.isEmpty()) return;
    all.set(recipe, (all.get(recipe) ?? new THREE.Box3()).union(boxAt(span, frame, letter, own)));
  });
  const balls = new Map<string, THREE.Sphere>();
  for (const [recipe, box] of all) {
    const ball = box.getBoundingSphere(new THREE.Sphere());
    ball.radius *= BETWEEN;
    balls.set(recipe, ball);
  }
  return balls;
}

/** Where a letter is drawn: which of a batch, and its number in the span. */
interface Place {
  batch: LetterBatch;
  instance: number;
  letter: number;
}

/** The letters of a draft: their solids, what they wear, and where they are. */
export class Letters {
  readonly title = new THREE.Group();
  /** Solids that have come, by recipe. */
  readonly built = new Map<string, Facets>();
  private readonly boxes = new Map<string, Boxes>();
  private readonly solids = new Map<string, Promise<Facets>>();
  private readonly wardrobe = new Map<string, Map<string, THREE.MeshPhysicalMaterial>>();
  private readonly softening = new Softening();
  private readonly keys = new WeakMap<SeenSpan, string>();
  private readonly pose = new THREE.Matrix4();
  private places: Place[] = [];
  private readonly swells = new Map<number, Swell>();
  private readonly within = new Map<LetterBatch, number[]>(); // the letters of a batch, in its order
  private look: Look | null = null;
  private wearsKey = '';
  private shownKey = '';
  private restOf: SeenSpan | null = null;
  private wornLast = false;
  private softened = false;
  private bend: Bend = UNBENT;

  constructor(
    private readonly room: Room,
    private readonly touching: Touching,
    private readonly waiting: Waiting,
  ) {}

  /** Other looks. */
  arrange(look: Look) {
    this.look = look;
    look.blocks.forEach(({ dresses }, k) => {
      for (const dressed of dresses.keys()) this.materials(k, dressed);
    });
    this.wearsKey = JSON.stringify(look.blocks.map((b) => b.wears));
  }

  /** Show the letters of a span. Answers whether they are there, and tells whether they are others than before; where
   *  solids are on their way, `come` is called when they are there, and what was shown stays: no flicker while a value
   *  is dragged. */
  show(span: SeenSpan, come: () => void): 'coming' | 'same' | 'other' {
    const bend = bendOf(span);
    if (bend instanceof Promise) {
      this.waiting.for(bend, come);
      return 'coming';
    }
    const key = `${this.keyOf(span)} ${this.wearsKey} ${bend.key}`;
    if (key !== this.shownKey) {
      const recipes = new Set(span.letters.map((l) => l.recipe));
      const missing = [...recipes].filter((r) => !this.built.has(r));
      if (missing.length) {
        this.waiting.for(Promise.all(missing.map((r) => this.solid(r))), come);
        return 'coming';
      }
      this.shownKey = key;
      this.bend = bend;
      this.fill(span);
      this.trim(recipes);
    } else if (this.restOf === span) return 'same';
    this.rest(span);
    return 'other';
  }

  /** Put the letters where they are at a frame, and give them what they wear there. */
  place(span: SeenSpan, frame: number) {
    for (const { batch, instance, letter } of this.places) {
      batch.setMatrixAt(instance, this.pose.fromArray(poseAt(span, frame, letter)));
    }
    this.swell(span, frame);
    if (span.bends || span.pieces || this.swells.size) {
      const balls = ballsAround(span, frame, this.boxes);
      for (const batch of this.batches()) {
        batch.within(balls);
        const uniforms = bendsOf(batch.material as THREE.Material);
        if (uniforms) tellRows(uniforms, span, frame, this.within.get(batch) ?? []);
      }
    }
    this.wear(span, frame);
  }

  /** Letters that swell are as they are at a frame. */
  private swell(span: SeenSpan, frame: number) {
    for (const [letter, swell] of this.swells) {
      if (!swell.take(swollenAt(span, frame, letter))) continue;
      for (const batch of this.batches()) batch.tell(drawnAs(span, letter), swell);
    }
  }

  /** Tints, opacity and glow of the letters at a frame: factors on the colours of their materials. */
  private wear(span: SeenSpan, frame: number) {
    if (!span.wear && !this.wornLast) return;
    this.wornLast = span.wear !== null;
    for (const { batch, instance, letter } of this.places) {
      const material = batch.material as THREE.MeshPhysicalMaterial;
      const { red, green, blue, share, opacity: left, glow } = wearAt(span, frame, letter) ?? PLAIN;
      const own = span.letters[letter]?.tint ?? [1, 1, 1];
      const base = material.color;
      const factor = (own: number, tint: number, under: number) =>
        own * (1 - share) + (share * tint) / Math.max(under, 0.02);
      FACTORS.set(
        factor(own[0], red, base.r),
        factor(own[1], green, base.g),
        factor(own[2], blue, base.b),
        left,
      );
      batch.setColorAt(instance, FACTORS);
      batch.setVisibleAt(instance, left > UNSEEN);
      setGlow(material, this.within.get(batch)?.indexOf(letter) ?? 0, glow);
    }
    for (const batch of this.batches()) {
      const material = batch.material as THREE.MeshPhysicalMaterial;
      const transparent = span.fades || material.opacity < 1;
      if (material.transparent !== transparent) {
        material.transparent = transparent;
        material.needsUpdate = true;
      }
    }
  }

  private batches(): LetterBatch[] {
    return this.title.children as LetterBatch[];
  }

  /** What decides which solids are shown; worked out once for each span, since every frame asks. */
  private keyOf(span: SeenSpan): string {
    const known = this.keys.get(span);
    if (known !== undefined) return known;
    const key = span.letters.map((l) => `${l.block} ${l.recipe} ${l.tint}`).join();
    this.keys.set(span, key);
    return key;
  }

  /** Tell textures where the letters stand at rest. Letters that only moved keep their batches. */
  private rest(span: SeenSpan) {
    this.restOf = span;
    for (const batch of this.batches()) {
      const own = this.within.get(batch) ?? [];
      setRest(
        batch.material as THREE.Material,
        own.map((letter) => span.letters[letter] as LetterAtRest),
      );
    }
  }

  private fill(span: SeenSpan) {
    this.clear();
    for (const { letters } of span.swellings ?? []) {
      for (const [letter] of letters) {
        const parts = this.built.get(span.letters[letter]?.recipe ?? '');
        if (parts) this.swells.set(letter, new Swell(parts));
      }
    }
    for (const [block, { dresses, wears }] of (this.look?.blocks ?? []).entries()) {
      const letters = span.letters
        .map((letter, k) => ({ letter, k }))
        .filter(({ letter }) => letter.block === block);
      dresses.forEach((_, dress) => {
        const own = letters.filter((_, place) => (wears[place] ?? 0) === dress);
        if (!own.length) return;
        for (const [part, material] of this.materials(block, dress))
          this.title.add(this.batch(span, own, part, material));
      });
    }
  }

  /** One draw for a part of all letters of a block that wear the same: in software a draw costs more than its triangles. */
  private batch(
    span: SeenSpan,
    own: { letter: LetterAtRest; k: number }[],
    part: string,
    material: THREE.Material,
  ) {
    const geometries = new Map(
      own.map(({ letter, k }) => [drawnAs(span, k), this.built.get(letter.recipe)?.get(part) ?? NOTHING]),
    );
    let vertices = 0;
    let indices = 0;
    for (const geometry of geometries.values()) {
      vertices += geometry.attributes.position?.count ?? 0;
      indices += geometry.index?.count ?? 0;
    }
    const batch = new LetterBatch(own.length, Math.max(3, vertices), Math.max(3, indices), material);
    batch.sortObjects = false;
    batch.frustumCulled = false;
    batch.castShadow = batch.receiveShadow = true;
    const uniforms = bendsOf(material);
    if (this.bend.key && uniforms)
      [batch.customDepthMaterial, batch.customDistanceMaterial] = shadowsOf(this.bend, uniforms);
    const ids = new Map<string, number>();
    for (const [recipe, geometry] of geometries) {
      if (geometry.index) ids.set(recipe, batch.addSolid(recipe, geometry, this.bend.full));
    }
    for (const { letter, k } of own) {
      const id = ids.get(drawnAs(span, k));
      if (id === undefined) continue;
      const instance = batch.addInstance(id);
      if (letter.tint) batch.setColorAt(instance, TINT.setRGB(...letter.tint, THREE.LinearSRGBColorSpace));
      this.places.push({ batch, instance, letter: k });
    }
    this.within.set(
      batch,
      this.places.filter((p) => p.batch === batch).map((p) => p.letter),
    );
    return batch;
  }

  private clear() {
    for (const batch of this.batches()) {
      batch.customDepthMaterial?.dispose();
      batch.customDistanceMaterial?.dispose();
      batch.dispose();
    }
    this.title.clear();
    this.places = [];
    this.swells.clear();
    this.within.clear();
  }

  private trim(kept: Set<string>) {
    for (const [recipe, facets] of this.built) {
      if (this.built.size <= MOST_KEPT) break;
      if (kept.has(recipe)) continue;
      for (const part of facets.values()) part.dispose();
      this.built.delete(recipe);
      this.boxes.delete(recipe);
      this.solids.delete(recipe);
    }
  }

  private solid(recipe: string): Promise<Facets> {
    let made = this.solids.get(recipe);
    if (!made) {
      made = bytes(`/api/solids?recipe=${encodeURIComponent(recipe)}`).then(async ({ body }) => {
        const gltf = await new GLTFLoader().parseAsync(body, '');
        const facets: Facets = new Map();
        gltf.scene.traverse((node) => {
          if (node instanceof THREE.Mesh) facets.set((node.material as THREE.Material).name, node.geometry);
        });
        this.built.set(recipe, facets);
        this.boxes.set(recipe, { whole: boxOf(facets), pieces: pieceBoxes(facets.values()), parts: facets });
        return facets;
      });
      made.catch(() => this.solids.delete(recipe));
      this.solids.set(recipe, made);
    }
    return made;
  }

  /** The materials of the parts of a block's letters that wear one of its dresses, as the look at hand has them. */
  private materials(block: number, dressed: number) {
    const key = `${block} ${dressed}`;
    const kept = this.wardrobe.get(key) ?? new Map<string, THREE.MeshPhysicalMaterial>();
    this.wardrobe.set(key, kept);
    const look = this.look?.blocks[block]?.dresses[dressed] ?? [];
    const worn = new Map<string, THREE.MeshPhysicalMaterial>();
    for (const surface of look) {
      const material = kept.get(surface.part) ?? new THREE.MeshPhysicalMaterial();
      kept.set(surface.part, material);
      dress(material, surface);
      const edge = surface.part !== 'face' && surface.part !== 'rear';
      const touch = this.touching.letters(block, edge);
      const grown = grow(
        material,
        surface,
        edge,
        this.waiting.ask,
        this.room.at(0),
        touch,
        null,
        null,
        this.bend,
      );
      if (grown) this.waiting.for(grown, this.waiting.ask);
      worn.set(surface.part, material);
    }
    return worn;
  }

  /** How many triangles the letters of each block have, in the order of the span's blocks. */
  triangles(span: SeenSpan): number[] {
    const counts = span.blocks.map(() => 0);
    for (const { block, recipe } of span.letters) {
      for (const geometry of this.built.get(recipe)?.values() ?? [])
        counts[block] = (counts[block] ?? 0) + (geometry.index?.count ?? 0) / 3;
    }
    return counts;
  }

  /** A ball around all letters at a frame. */
  around(span: SeenSpan, frame: number): THREE.Sphere {
    const all = new THREE.Box3();
    const own = new THREE.Box3();
    span.letters.forEach(({ recipe }, letter) => {
      const boxes = this.boxes.get(recipe);
      if (!boxes || boxes.whole.isEmpty()) return;
      own.copy(boxAt(span, frame, letter, boxes));
      all.union(own.applyMatrix4(this.pose.fromArray(poseAt(span, frame, letter))));
    });
    const ball = new THREE.Sphere();
    return all.isEmpty() ? ball.set(new THREE.Vector3(), 1) : all.getBoundingSphere(ball);
  }

  /** The number of the letter that is seen where a ray meets it at a frame, as it is bent there; -1 for none. */
  hitBy(ray: THREE.Raycaster, span: SeenSpan, frame: number): number {
    const mesh = new THREE.Mesh(undefined, BOTH_SIDES);
    let found = -1;
    let nearest = Number.POSITIVE_INFINITY;
    span.letters.forEach(({ recipe }, letter) => {
      if ((wearAt(span, frame, letter) ?? PLAIN).opacity <= UNSEEN) return;
      const rows = rowsAt(span, frame, letter);
      const ways = waysAt(span, frame, letter);
      const bent = isBent(rows) || isApart(ways);
      const swollen = swollenAt(span, frame, letter);
      mesh.matrixWorld.fromArray(poseAt(span, frame, letter));
      for (const part of this.built.get(recipe)?.values() ?? []) {
        const own = swollen ? swollenGeometry(part, swollen) : part;
        mesh.geometry = bent ? bentGeometry(own, isBent(rows) ? rows : null, ways) : own;
        const [hit] = ray.intersectObject(mesh, false);
        if (mesh.geometry !== part) mesh.geometry.dispose();
        if (!hit || hit.distance >= nearest) continue;
        nearest = hit.distance;
        found = letter;
      }
    });
    return found;
  }

  /** Letters that are soft at a frame, with how much, in metres. */
  private soft(span: SeenSpan | undefined, frame: number) {
    if (!span?.wear) return [];
    return this.places.flatMap(({ batch, instance, letter }) => {
      const radius = wearAt(span, frame, letter)?.softness ?? 0;
      return radius > 0 ? [{ batch, instance, pose: poseAt(span, frame, letter), radius }] : [];
    });
  }

  /** Whether any letter is soft at a frame. */
  areSoft(span: SeenSpan | undefined, frame: number): boolean {
    return this.soft(span, frame).length > 0;
  }

  /** A picture with its soft letters spread, by a share of how soft they are. */
  spread(
    renderer: THREE.WebGLRenderer,
    scene: THREE.Scene,
    hidden: THREE.Object3D,
    picture: THREE.WebGLRenderTarget,
    camera: THREE.PerspectiveCamera,
    { span, frame, share }: { span: SeenSpan | undefined; frame: number; share: number },
  ): THREE.WebGLRenderTarget {
    if (!span || !this.areSoft(span, frame)) return picture;
    const letters = this.places.map(({ batch, instance, letter }) => {
      const radius = (wearAt(span, frame, letter)?.softness ?? 0) * share;
      const pose = this.pose.fromArray(poseAt(span, frame, letter));
      return { batch, instance, ...seenBy(camera, pose, span.letters[letter]?.box, radius, picture) };
    });
    return this.softening.draw(renderer, scene, camera, picture, letters, hidden, () =>
      this.wear(span, frame),
    );
  }

  /** Soft letters stand in the k-th of so many places of their disc, which faces the camera; of none, where they are. */
  soften(span: SeenSpan | undefined, frame: number, camera: THREE.Camera, k: number, count: number) {
    if (!count && !this.softened) return;
    this.softened = count > 0;
    const [across, up] = count ? (placeInDisc(k, count).map((at) => at * APART) as [number, number]) : [0, 0];
    const [right, above] = [new THREE.Vector3(), new THREE.Vector3()];
    camera.matrixWorld.extractBasis(right, above, new THREE.Vector3());
    const aside = right.multiplyScalar(across).addScaledVector(above, up);
    for (const { batch, instance, pose, radius } of this.soft(span, frame)) {
      this.pose.fromArray(pose);
      const at = this.pose.elements;
      at[12] = (at[12] ?? 0) + aside.x * radius;
      at[13] = (at[13] ?? 0) + aside.y * radius;
      at[14] = (at[14] ?? 0) + aside.z * radius;
      batch.setMatrixAt(instance, this.pose);
    }
  }

  dispose() {
    for (const facets of this.built.values()) {
      for (const part of facets.values()) part.dispose();
    }
    this.clear();
    this.softening.dispose();
  }
}
