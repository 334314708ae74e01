import * as THREE from 'three';
import { type HandlesDrawn, poseAt, type Seen, type SeenSpan, spanAt } from '../draft';
import { placeIn } from './bending';
import type { Cameras } from './cameras';
import type { Letters } from './letters';

export type Place = [number, number];
/** In shares of the picture. */
const SAME_PLACE = 0.002;

/** Where things of a draft are in its picture, and what is at a place of it. Places are shares of the picture's width
 *  and height, from its upper left corner. */
export class Picking {
  private draft: Seen | null = null;
  private frame = 0;

  constructor(
    private readonly cameras: Cameras,
    private readonly letters: Letters,
    private readonly size: () => Place,
  ) {}

  /** Another draft, or another frame of it. */
  take(draft: Seen, frame: number) {
    this.draft = draft;
    this.frame = frame;
  }

  private span(): SeenSpan | undefined {
    return this.draft ? spanAt(this.draft, this.frame) : undefined;
  }

  private camera() {
    return this.cameras.at(this.draft, this.frame);
  }

  /** The front of a letter's box on the picture: four corners; null behind the eye. */
  outline(letter: number, frame = this.frame): Place[] | null {
    const span = this.span();
    if (!span || frame < span.first || frame > span.last) return null;
    const corners = cornersOf(span, frame, letter).map((at) => placeOf(at.project(this.camera())));
    return corners.length && corners.every((at) => at !== null) ? corners : null;
  }

  /** Places of the world in the picture; null behind the eye. */
  see(points: number[][]): (Place | null)[] {
    const camera = this.camera();
    return points.map(([x = 0, y = 0, z = 0]) => {
      const at = new THREE.Vector3(x, y, z).project(camera);
      return at.z < -1 ? null : placeOf(at);
    });
  }

  /** Where a place is seen, in pixels; null out of the picture. */
  spot(place: number[]): Place | null {
    const [seen] = this.see([place]);
    return seen && seen[0] > 0 && seen[0] < 1 && seen[1] > 0 && seen[1] < 1 ? this.pixels(seen) : null;
  }

  /** A place of the picture in pixels. */
  pixels = (seen: Place | null): Place | null => {
    const [width, height] = this.size();
    return seen && [seen[0] * width, seen[1] * height];
  };

  /** How much of the way from a place to another a drag goes along it; 0 for a way that is seen from its end. */
  along(from: number[], to: number[], across: number, down: number): number {
    const [a, b] = this.see([from, to]);
    if (!a || !b) return 0;
    const [width, height] = this.size();
    const [x, y] = [(b[0] - a[0]) * width, (b[1] - a[1]) * height];
    const square = x * x + y * y;
    return square < 0.01 ? 0 : (across * x + down * y) / square;
  }

  /** How far a place goes in the world that is dragged by so many pixels, without coming nearer. */
  acrossTo([x = 0, y = 0, z = 0]: number[], across: number, down: number): number[] {
    const camera = this.camera();
    const [width, height] = this.size();
    const at = new THREE.Vector3(x, y, z).project(camera);
    const to = new THREE.Vector3(at.x + (2 * across) / width, at.y - (2 * down) / height, at.z);
    return to
      .unproject(camera)
      .sub(new THREE.Vector3(x, y, z))
      .toArray();
  }

  /** The middle of a letter at every frame of the span at the playhead, seen as the picture is seen now. */
  wayOf(letter: number): (Place | null)[] {
    const span = this.span();
    const box = span?.letters[letter]?.box;
    if (!span || !box) return [];
    const [left, bottom, right, top] = box;
    const middle = new THREE.Vector3((left + right) / 2, (bottom + top) / 2, 0);
    const places = Array.from({ length: span.last - span.first + 1 }, (_, k) =>
      placeIn(span, span.first + k, letter, middle.clone()).toArray(),
    );
    return this.see(places);
  }

  /** The way from a letter's own space at rest to the world at the playhead; the world's own without a letter. */
  standing(letter: number): THREE.Matrix4 {
    const span = this.span();
    return span && letter >= 0 ? poseOf(span, this.frame, letter) : new THREE.Matrix4();
  }

  /** What can be taken hold of of a step that bends letters. */
  handlesOf(step: string): HandlesDrawn | null {
    return this.span()?.handles[step] ?? null;
  }

  /** The pivots of a step at the playhead, each place of the picture once. */
  pivotsOf(step: string): Place[] {
    const span = this.span();
    const places = (span?.pivots[step] ?? []).flatMap((place, letter) => {
      if (!span || !place) return [];
      return [new THREE.Vector3(...place).applyMatrix4(poseOf(span, this.frame, letter)).toArray()];
    });
    const centre = this.draft?.centres[step];
    const seen = this.see(centre ? [centre] : places).filter((p) => p !== null);
    return seen.filter(
      ([x, y], k) => seen.findIndex(([a, b]) => Math.hypot(x - a, y - b) < SAME_PLACE) === k,
    );
  }

  /** Baselines and cap lines under every letter: ends of each. */
  lines(): [number, number, number, number][] {
    const span = this.span();
    if (!span) return [];
    const camera = this.camera();
    return span.letters.flatMap((letter, k) => {
      const [left, , right] = letter.box;
      const cap = span.blocks[letter.block]?.size ?? 1;
      return [0, cap].flatMap((y) => {
        const [a, b] = [left, right].map((x) =>
          placeOf(placeIn(span, this.frame, k, new THREE.Vector3(x, y, 0)).project(camera)),
        );
        return a && b ? [[...a, ...b] as [number, number, number, number]] : [];
      });
    });
  }

  /** The line that reaches furthest across the picture: its ends and its foot. */
  widest(): { left: number; right: number; foot: number } | null {
    const span = this.span();
    if (!span) return null;
    const camera = this.camera();
    const found = new Map<string, { left: number; right: number; foot: number }>();
    span.letters.forEach((letter, k) => {
      for (const corner of cornersOf(span, this.frame, k)) {
        const place = placeOf(corner.project(camera));
        if (!place) continue;
        const [across, down] = place;
        const key = `${letter.block} ${letter.line}`;
        const line = found.get(key) ?? { left: across, right: across, foot: down };
        line.left = Math.min(line.left, across);
        line.right = Math.max(line.right, across);
        line.foot = Math.max(line.foot, down);
        found.set(key, line);
      }
    });
    const lines = [...found.values()].sort((a, b) => b.right - b.left - (a.right - a.left));
    return lines[0] ?? null;
  }

  /** The letter at a place of the picture, by what is really drawn there; -1 for none. */
  letterAt(x: number, y: number): number {
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(x * 2 - 1, 1 - y * 2), this.camera());
    const span = this.span();
    return span ? this.letters.hitBy(ray, span, this.frame) : -1;
  }

  /** Letters whose middle lies within a rectangle of the picture. */
  lettersWithin(x0: number, y0: number, x1: number, y1: number): number[] {
    return (this.span()?.letters ?? []).flatMap((_, k) => {
      const corners = this.outline(k);
      if (!corners) return [];
      const x = corners.reduce((sum, c) => sum + c[0], 0) / 4;
      const y = corners.reduce((sum, c) => sum + c[1], 0) / 4;
      return x >= x0 && x <= x1 && y >= y0 && y <= y1 ? [k] : [];
    });
  }
}

function poseOf(span: SeenSpan, frame: number, letter: number): THREE.Matrix4 {
  return new THREE.Matrix4().fromArray(poseAt(span, frame, letter));
}

/** The corners of a letter's box in the world, from below left, against the clock as they are seen from the front. */
function cornersOf(span: SeenSpan, frame: number, letter: number): THREE.Vector3[] {
  const box = span.letters[letter]?.box;
  if (!box) return [];
  const [left, bottom, right, top] = box;
  return [
    [left, bottom],
    [right, bottom],
    [right, top],
    [left, top],
  ].map(([x, y]) => placeIn(span, frame, letter, new THREE.Vector3(x, y, 0)));
}

/** A projected point's place in the picture; null behind the eye. */
function placeOf(at: THREE.Vector3): Place | null {
  return at.z > 1 ? null : [(at.x + 1) / 2, (1 - at.y) / 2];
}
