import * as THREE from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { bytes } from '../../api/client';
import {
  type Ground,
  type Lamp,
  type LetterAtRest,
  type Look,
  poseAt,
  type Seen,
  type SeenSpan,
  type Surface,
  spanAt,
  type Wear,
  wearAt,
} from '../draft';
import type { View } from '../store';
import { Backdrop } from './backdrop';
import { DisplayPass } from './display';
import { Gathering, gathered, placeInDisc, placeInPixel, placeInSquareOfFour, shineFrom } from './gather';
import { type Facets, Glows } from './glow';
import { grow, setRest } from './grain';
import { Hiding, type HidingUniforms } from './hiding';
import { type HorizonUniforms, noHorizon, setHorizon } from './horizon';
import { FloorMirror, type MirrorUniforms } from './mirror';
import { narrowed } from './narrow';
import { Room, type RoomUniforms } from './room';
import { lightTarget } from './screen';
import { Softening, seenBy } from './softening';
import { evenly, surroundings } from './surround';
import { TOUCHING_HEAD, TOUCHING_SHADOWS, Touching, type TouchUniforms } from './touching';

const SETTLE_MS = 450;
const FOLLOW_MS = 300;
/** In shares of the picture. */
const SAME_PLACE = 0.002;
const DRAG_MS = 32;
const SMALLEST_SCALE = 0.3;
const SCALES = [1, 0.75, 0.5, SMALLEST_SCALE];
/** What stands still is drawn in strips that take about so long, at most so many; all of it is taken for so long at
 *  first. */
const STRIP_MS = 20;
const MOST_STRIPS = 48;
const FIRST_MS = 480;
/** What is soft is spread by this share in each gathered picture, and they stand so far apart that the whole is right:
 *  squares of radii add up. */
const OF_EACH = 0.5;
const APART = Math.sqrt(1 - OF_EACH * OF_EACH);
const SHADOW_MAP = 1024;
const MOST_CASTING = 8;
const SHADOW_BLUR = 5;
const COARSE_BELOW = 0.6;
const WALK_ANGLE = 32;
/** Where the ball stands in the picture's lower left corner, in pixels of the page. */
export const BALL = { size: 84, margin: 12 };
const POINTER = ['pointerdown', 'pointerup', 'pointercancel'] as const;
const SUN_REACH = 12;

/** Draws a draft with three. It draws what the core computed and knows no rule of the job. */
export class DraftStage {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly title = new THREE.Group();
  private readonly setting = new THREE.Group();
  private readonly lamps = new THREE.Group();
  private readonly shotCamera = new THREE.PerspectiveCamera();
  private readonly walkCamera = new THREE.PerspectiveCamera(WALK_ANGLE, 1, 0.05, 400);
  private readonly controls: OrbitControls;
  private readonly solids = new Map<string, Promise<Facets>>();
  private readonly built = new Map<string, Facets>();
  private readonly environments = new Map<string, Promise<THREE.Texture>>();
  private readonly gatherTarget = lightTarget();
  private readonly movingTarget = lightTarget();
  private display: DisplayPass | null = null;
  private draft: Seen | null = null;
  private lettersKey = '';
  private readonly mirror = new FloorMirror();
  private floor: { height: number; roughness: number } | null = null; // which mirrors the letters
  private readonly plain = evenly(0.3); // until the environment has come
  private readonly room = new Room();
  private readonly touching = new Touching();
  private readonly glows = new Glows();
  private readonly gathering = new Gathering();
  private readonly softening = new Softening();
  private readonly backdrop = new Backdrop();
  private readonly behind = new THREE.Group(); // all that is seen and is no letter
  private standing: { lamp: ReturnType<typeof lampOf>; light: Lamp; strength: number }[] = [];
  /** Lamps that throw shadows: the first where things move, each in its turn where pictures are gathered. */
  private casting: ReturnType<typeof lampOf>[] = [];
  private grounds: { mesh: THREE.Mesh; quick: THREE.Material; full: THREE.Material }[] = [];
  private readonly shadows = new THREE.ShadowMaterial({ opacity: 0.75, fog: false });
  private readonly horizon = noHorizon();
  private readonly hiding = new Hiding();
  private readonly floors: { quick: THREE.MeshLambertMaterial; full: THREE.MeshPhysicalMaterial }[] = [];
  private places: { batch: THREE.BatchedMesh; instance: number; letter: number }[] = [];
  private readonly pose = new THREE.Matrix4();
  private frame = 0;
  private view: View = 'shot';
  private look: Look | null = null;
  private lookKey = '';
  private size = [1, 1] as [number, number];
  private asked = 0;
  private settling = 0;
  private scale = 1;
  private lost = false;
  /** Called after each picture with the draft and the frame it shows and how long it took, in milliseconds. */
  onShown: (draft: Seen, frame: number, ms: number) => void = () => {};
  /** Called when the picture is as fine as it gets, and with false when it is no longer. */
  onFine: (fine: boolean) => void = () => {};

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({
      canvas,
      antialias: false,
      powerPreference: 'high-performance',
    });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.toneMapping = THREE.NoToneMapping;
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.type = THREE.PCFShadowMap;
    this.renderer.shadowMap.autoUpdate = false;
    this.scene.environment = this.plain;
    this.scene.background = new THREE.Color(0, 0, 0);
    this.shadows.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, this.touching.stage());
      shader.fragmentShader = shader.fragmentShader
        .replace('#include <common>', `#include <common>\n${TOUCHING_HEAD}`)
        .replace('#include <shadowmask_pars_fragment>', TOUCHING_SHADOWS);
    };
    this.behind.add(this.setting, this.backdrop.sheet);
    this.scene.add(this.title, this.behind, this.lamps, this.glows.lights);
    this.ball.visible = false;
    this.ballScene.add(this.ball);
    this.ballCamera.position.z = 3;
    this.shotCamera.matrixAutoUpdate = false;
    this.controls = new OrbitControls(this.walkCamera, canvas);
    this.controls.enabled = false;
    this.controls.addEventListener('change', () => this.ask());
    canvas.addEventListener('webglcontextlost', this.onLost);
    for (const kind of POINTER) window.addEventListener(kind, this.onPointer, true);
    void bytes('/api/display-table').then(({ body }) => {
      this.display = new DisplayPass(body);
      this.ask();
    });
  }

  private readonly onLost = (event: Event) => {
    event.preventDefault();
    this.lost = true;
  };

  /** Draw a frame of a draft at once. */
  show(draft: Seen, frame: number) {
    if (draft === this.draft && frame === this.frame) return;
    this.draft = draft;
    this.frame = frame;
    this.lay();
    this.paint();
  }

  /** Put everything where it is at the frame. */
  private lay() {
    const { draft, frame } = this;
    if (!draft) return;
    const span = spanAt(draft, frame);
    if (!span) return;
    const look = draft.looks[draft.look_of[frame - draft.first] ?? 0];
    // A new draft is a new object each time: only what really differs is made anew.
    const other = look && JSON.stringify(look) !== this.lookKey;
    if (other) this.arrange(look);
    const lettersKey = `${this.keyOf(span)} ${this.wearsKey}`;
    if (lettersKey !== this.lettersKey) this.fill(span, lettersKey);
    if (lettersKey === this.lettersKey) {
      if (look && (other || this.restOf !== span)) {
        this.glows.take(span, look, this.built);
        this.hiding.take(span, look, this.built);
      }
      if (this.restOf !== span) this.rest(span);
      this.glows.place(span, frame);
      for (const { batch, instance, letter } of this.places) {
        batch.setMatrixAt(instance, this.pose.fromArray(poseAt(span, frame, letter)));
      }
      this.wear(span, frame);
    }
    // Of small moving pictures, shadows follow every other one, and what stands still for a moment.
    clearTimeout(this.lagging);
    this.follows = !(this.scale < COARSE_BELOW && this.follows);
    if (this.follows) this.renderer.shadowMap.needsUpdate = true;
    else if (!this.playing) this.lagging = window.setTimeout(() => this.follow(), FOLLOW_MS);
  }
  private follows = true;
  private lagging = 0;

  private follow() {
    this.follows = true;
    this.renderer.shadowMap.needsUpdate = true;
    this.ask();
  }

  private wornLast = false;

  /** Tints and opacity of the letters at the frame: factors on the colours of their materials. */
  private wear(span: SeenSpan, frame: number) {
    if (!span.wear && !this.wornLast) return;
    this.wornLast = span.wear !== null;
    for (const { batch, instance, letter } of this.places) {
      const material = batch.material as THREE.MeshPhysicalMaterial;
      const { tint, share, opacity: left } = wearAt(span, frame, letter) ?? PLAIN;
      const own = span.letters[letter]?.tint ?? [1, 1, 1];
      const base = material.color;
      const factor = (own: number, tint: number, under: number) =>
        own * (1 - share) + (share * tint) / Math.max(under, 0.02);
      FACTORS.set(
        factor(own[0], tint[0], base.r),
        factor(own[1], tint[1], base.g),
        factor(own[2], tint[2], base.b),
        left,
      );
      batch.setColorAt(instance, FACTORS);
      batch.setVisibleAt(instance, left > 0.002);
    }
    for (const batch of new Set(this.places.map((p) => p.batch))) {
      const material = batch.material as THREE.MeshPhysicalMaterial;
      const transparent = span.fades || material.opacity < 1;
      if (material.transparent !== transparent) {
        material.transparent = transparent;
        material.needsUpdate = true;
      }
    }
  }

  private readonly keys = new WeakMap<SeenSpan, string>();

  /** What decides which solids are shown; worked out once for each span, since every frame asks. */
  private keyOf(span: SeenSpan): string {
    const known = this.keys.get(span);
    if (known !== undefined) return known;
    const key = span.letters.map((l) => `${l.block} ${l.recipe} ${l.tint}`).join();
    this.keys.set(span, key);
    return key;
  }

  private restOf: SeenSpan | null = null;

  /** Tell textures where the letters stand at rest. Letters that only moved keep their batches. */
  private rest(span: SeenSpan) {
    this.restOf = span;
    for (const batch of this.title.children as THREE.BatchedMesh[]) {
      const own = this.places.filter((p) => p.batch === batch);
      setRest(
        batch.material as THREE.Material,
        own.map((p) => span.letters[p.letter] as LetterAtRest),
      );
    }
  }

  setView(view: View) {
    this.view = view;
    const free = view !== 'shot';
    this.controls.enabled = free;
    if (free) this.place(view);
    this.ask();
  }

  resize(width: number, height: number) {
    this.size = [Math.max(1, Math.round(width)), Math.max(1, Math.round(height))];
    this.ask();
  }

  private camera(): THREE.PerspectiveCamera {
    if (this.view === 'shot') this.aimShot();
    const camera = this.view === 'shot' ? this.shotCamera : this.walkCamera;
    camera.updateMatrixWorld();
    return camera;
  }

  /** The front of a letter's box on the picture: four corners as shares of its width and height; null behind the eye. */
  outline(letter: number, frame = this.frame): [number, number][] | null {
    const span = this.draft && spanAt(this.draft, this.frame);
    const box = span?.letters[letter]?.box;
    if (!span || !box || frame < span.first || frame > span.last) return null;
    const camera = this.camera();
    const pose = new THREE.Matrix4().fromArray(poseAt(span, frame, letter));
    const [left, bottom, right, top] = box;
    const corners: [number, number][] = [];
    for (const [x, y] of [
      [left, bottom],
      [right, bottom],
      [right, top],
      [left, top],
    ] as const) {
      const at = new THREE.Vector3(x, y, 0).applyMatrix4(pose).project(camera);
      if (at.z > 1) return null;
      corners.push([(at.x + 1) / 2, (1 - at.y) / 2]);
    }
    return corners;
  }

  /** Places of the world in the picture, as shares of its width and height; null behind the eye. */
  see(points: number[][]): ([number, number] | null)[] {
    const camera = this.camera();
    return points.map(([x = 0, y = 0, z = 0]) => {
      const at = new THREE.Vector3(x, y, z).project(camera);
      return Math.abs(at.z) > 1 ? null : [(at.x + 1) / 2, (1 - at.y) / 2];
    });
  }

  /** How far a place goes in the world that is dragged by so many pixels, without coming nearer. */
  acrossTo([x = 0, y = 0, z = 0]: number[], across: number, down: number): number[] {
    const camera = this.camera();
    const at = new THREE.Vector3(x, y, z).project(camera);
    const to = new THREE.Vector3(at.x + (2 * across) / this.size[0], at.y - (2 * down) / this.size[1], at.z);
    return to
      .unproject(camera)
      .sub(new THREE.Vector3(x, y, z))
      .toArray();
  }

  /** The middle of a letter at every frame of the span at the playhead, seen as the picture is seen now. */
  wayOf(letter: number): ([number, number] | null)[] {
    const span = this.draft && spanAt(this.draft, this.frame);
    const box = span?.letters[letter]?.box;
    if (!span || !box) return [];
    const [left, bottom, right, top] = box;
    const middle = new THREE.Vector3((left + right) / 2, (bottom + top) / 2, 0);
    const places = Array.from({ length: span.last - span.first + 1 }, (_, k) =>
      middle
        .clone()
        .applyMatrix4(new THREE.Matrix4().fromArray(poseAt(span, span.first + k, letter)))
        .toArray(),
    );
    return this.see(places);
  }

  /** The pivots of a step at the playhead, each place of the picture once. */
  pivotsOf(step: string): [number, number][] {
    const span = this.draft && spanAt(this.draft, this.frame);
    const places = (span?.pivots[step] ?? []).flatMap((place, letter) => {
      if (!span || !place) return [];
      const pose = new THREE.Matrix4().fromArray(poseAt(span, this.frame, letter));
      return [new THREE.Vector3(...place).applyMatrix4(pose).toArray()];
    });
    const centre = this.draft?.centres[step];
    const seen = this.see(centre ? [centre] : places).filter((p) => p !== null);
    return seen.filter(
      ([x, y], k) => seen.findIndex(([a, b]) => Math.hypot(x - a, y - b) < SAME_PLACE) === k,
    );
  }

  /** Baselines and cap lines under every letter: ends of each as shares of the picture. */
  lines(): [number, number, number, number][] {
    const span = this.draft && spanAt(this.draft, this.frame);
    if (!span) return [];
    const camera = this.camera();
    return span.letters.flatMap((letter, k) => {
      const pose = new THREE.Matrix4().fromArray(poseAt(span, this.frame, k));
      const [left, , right] = letter.box;
      const cap = span.blocks[letter.block]?.size ?? 1;
      return [0, cap].flatMap((y) => {
        const ends = [left, right].map((x) => new THREE.Vector3(x, y, 0).applyMatrix4(pose).project(camera));
        const [a, b] = ends as [THREE.Vector3, THREE.Vector3];
        if (a.z > 1 || b.z > 1) return [];
        return [
          [(a.x + 1) / 2, (1 - a.y) / 2, (b.x + 1) / 2, (1 - b.y) / 2] as [number, number, number, number],
        ];
      });
    });
  }

  /** The line that reaches furthest across the picture: its ends and its foot, in shares of the picture. */
  widest(): { left: number; right: number; foot: number } | null {
    const span = this.draft && spanAt(this.draft, this.frame);
    if (!span) return null;
    const camera = this.camera();
    const found = new Map<string, { left: number; right: number; foot: number }>();
    span.letters.forEach((letter, k) => {
      const pose = new THREE.Matrix4().fromArray(poseAt(span, this.frame, k));
      const [left, bottom, right, top] = letter.box;
      for (const [x, y] of [
        [left, bottom],
        [right, bottom],
        [left, top],
        [right, top],
      ] as const) {
        const at = new THREE.Vector3(x, y, 0).applyMatrix4(pose).project(camera);
        if (at.z > 1) return;
        const [across, down] = [(at.x + 1) / 2, (1 - at.y) / 2];
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

  /** The letter at a place of the picture (shares of its width and height), by what is really drawn there; -1 for none. */
  letterAt(x: number, y: number): number {
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(x * 2 - 1, 1 - y * 2), this.camera());
    this.title.updateMatrixWorld(true);
    const hit = ray.intersectObjects(this.title.children, false)[0];
    return this.places.find((p) => p.batch === hit?.object && p.instance === hit?.batchId)?.letter ?? -1;
  }

  /** Letters whose middle lies within a rectangle of the picture, in shares. */
  lettersWithin(x0: number, y0: number, x1: number, y1: number): number[] {
    const span = this.draft && spanAt(this.draft, this.frame);
    return (span?.letters ?? []).flatMap((_, k) => {
      const corners = this.outline(k);
      if (!corners) return [];
      const x = corners.reduce((sum, c) => sum + c[0], 0) / 4;
      const y = corners.reduce((sum, c) => sum + c[1], 0) / 4;
      return x >= x0 && x <= x1 && y >= y0 && y <= y1 ? [k] : [];
    });
  }

  /** How long a moving picture may take to draw, in milliseconds; still pictures only follow when nothing plays. */
  setPlaying(frameMs: number | null) {
    this.playing = frameMs !== null;
    this.budget = frameMs === null ? DRAG_MS : frameMs * 0.75;
    this.follow();
  }
  private playing = false;
  private budget = DRAG_MS;

  dispose() {
    cancelAnimationFrame(this.asked);
    clearTimeout(this.settling);
    clearTimeout(this.lagging);
    this.stopGathering();
    this.controls.dispose();
    this.canvas.removeEventListener('webglcontextlost', this.onLost);
    for (const kind of POINTER) window.removeEventListener(kind, this.onPointer, true);
    for (const facets of this.built.values()) {
      for (const part of facets.values()) part.dispose();
    }
    this.gatherTarget.dispose();
    this.movingTarget.dispose();
    this.mirror.dispose();
    this.gathering.dispose();
    this.softening.dispose();
    this.backdrop.dispose();
    this.shadows.dispose();
    for (const { quick, full } of this.floors) {
      quick.dispose();
      full.dispose();
    }
    this.room.dispose();
    this.display?.dispose();
    this.clearTitle();
    this.plain.dispose();
    this.ball.geometry.dispose();
    this.ball.material.dispose();
    this.renderer.dispose();
  }

  private fill(span: SeenSpan, key: string) {
    const recipes = span.letters.map((l) => l.recipe);
    const missing = [...new Set(recipes)].filter((r) => !this.built.has(r));
    if (missing.length) {
      // Keep what is shown until the new letters are there: no flicker while a value is dragged.
      this.await(Promise.all(missing.map((r) => this.solid(r))), () => {
        if (this.draft && spanAt(this.draft, this.frame) === span) {
          this.lay();
          this.ask();
        }
      });
      return;
    }
    this.lettersKey = key;
    this.restOf = null;
    this.clearTitle();
    this.places = [];
    for (const [block, { dresses, wears }] of (this.look?.blocks ?? []).entries()) {
      const letters = span.letters
        .map((letter, k) => ({ letter, k }))
        .filter(({ letter }) => letter.block === block);
      dresses.forEach((_, dress) => {
        const own = letters.filter((_, place) => (wears[place] ?? 0) === dress);
        if (!own.length) return;
        for (const [part, material] of this.materials(block, dress))
          this.title.add(this.batch(own, part, material));
      });
    }
    this.trim(new Set(recipes));
  }

  /** One draw for a part of all letters of a block that wear the same: in software a draw costs more than its triangles. */
  private batch(own: { letter: LetterAtRest; k: number }[], part: string, material: THREE.Material) {
    const geometries = new Map(
      own.map(({ letter }) => [letter.recipe, this.built.get(letter.recipe)?.get(part) ?? NOTHING]),
    );
    let vertices = 0;
    let indices = 0;
    for (const geometry of geometries.values()) {
      vertices += geometry.attributes.position?.count ?? 0;
      indices += geometry.index?.count ?? 0;
    }
    const batch = new THREE.BatchedMesh(own.length, Math.max(3, vertices), Math.max(3, indices), material);
    batch.sortObjects = false;
    batch.frustumCulled = false;
    batch.castShadow = batch.receiveShadow = true;
    const ids = new Map<string, number>();
    for (const [recipe, geometry] of geometries) {
      if (geometry.index) ids.set(recipe, batch.addGeometry(geometry));
    }
    for (const { letter, k } of own) {
      const id = ids.get(letter.recipe);
      if (id === undefined) continue;
      const instance = batch.addInstance(id);
      if (letter.tint) batch.setColorAt(instance, TINT.setRGB(...letter.tint, THREE.LinearSRGBColorSpace));
      this.places.push({ batch, instance, letter: k });
    }
    return batch;
  }

  private clearTitle() {
    for (const child of this.title.children) if (child instanceof THREE.BatchedMesh) child.dispose();
    this.title.clear();
  }

  private trim(kept: Set<string>) {
    for (const [recipe, facets] of this.built) {
      if (this.built.size <= 400) break;
      if (kept.has(recipe)) continue;
      for (const part of facets.values()) part.dispose();
      this.built.delete(recipe);
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
        return facets;
      });
      made.catch(() => this.solids.delete(recipe));
      this.solids.set(recipe, made);
    }
    return made;
  }

  private readonly wardrobe = new Map<string, Map<string, THREE.MeshPhysicalMaterial>>();
  private wearsKey = '';

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
      this.grow(material, surface, edge, this.room.at(0), this.touching.letters(block, edge));
      worn.set(surface.part, material);
    }
    return worn;
  }

  private arrange(look: Look) {
    this.look = look;
    this.lookKey = JSON.stringify(look);
    look.blocks.forEach(({ dresses }, k) => {
      for (const dressed of dresses.keys()) this.materials(k, dressed);
    });
    this.wearsKey = JSON.stringify(look.blocks.map((b) => b.wears));
    if (!this.shown) this.lookAround();
    for (const { mesh } of this.grounds) if (mesh.geometry !== PLANE) mesh.geometry.dispose();
    this.grounds = [];
    this.floor = null;
    this.setting.clear();
    const { haze } = look;
    this.scene.fog = haze
      ? new THREE.FogExp2(new THREE.Color().setRGB(...haze.colour, THREE.LinearSRGBColorSpace), haze.density)
      : null;
    setHorizon(this.horizon, look.horizon);
    let place = 0;
    for (const ground of look.grounds) {
      if (ground.catches) {
        const mesh = groundMesh(this.shadows, ground);
        this.setting.add(mesh);
        this.grounds.push({ mesh, quick: this.shadows, full: this.shadows });
        continue;
      }
      place++;
      // The gloss of a floor or wall is left to pictures that there is time for.
      const worn = this.floors[place - 1] ?? {
        quick: new THREE.MeshLambertMaterial(),
        full: new THREE.MeshPhysicalMaterial(),
      };
      this.floors[place - 1] = worn;
      const { quick, full } = worn;
      quick.color.setRGB(...ground.surface.colour, THREE.LinearSRGBColorSpace);
      dress(full, ground.surface);
      const mirrors = level(ground);
      if (mirrors) this.floor = { height: mirrors.centre[1], roughness: ground.surface.roughness };
      const around = this.room.at(place);
      const touch = this.touching.stage();
      const behind = { ...this.horizon, ...this.hiding.uniforms };
      this.grow(quick, ground.surface, false, around, touch, behind);
      this.grow(full, ground.surface, false, around, touch, behind, mirrors ? this.mirror.uniforms : null);
      const mesh = groundMesh(quick, ground);
      this.setting.add(mesh);
      this.grounds.push({ mesh, quick, full });
    }
    this.lamps.clear();
    this.standing = [];
    this.casting = [];
    for (const light of look.lights) {
      const lamp = lampOf(light);
      if (Math.max(...light.dark) > 0 && this.casting.length < MOST_CASTING) {
        this.castBy(lamp, !this.casting.length);
        this.casting.push(lamp);
      }
      this.lamps.add(lamp);
      this.standing.push({ lamp, light, strength: lamp.intensity });
      if (!(lamp instanceof THREE.PointLight)) this.lamps.add(lamp.target);
    }
    this.touching.take(this.standing, this.room.light(look.lights));
    const { preset, strength, behind } = look.environment;
    const rotation = environmentRotation(look.environment);
    this.scene.background = behind === 'environment' ? this.scene.environment : null;
    const coming = this.backdrop.show(typeof behind === 'string' ? null : behind);
    if (coming)
      this.await(
        coming.catch(() => {}),
        () => this.ask(),
      );
    this.scene.backgroundIntensity = strength;
    this.scene.backgroundRotation.copy(rotation);
    this.scene.environmentIntensity = strength;
    this.scene.environmentRotation.copy(rotation);
    this.await(this.environment(preset), (texture) => {
      if (this.look?.environment.preset !== preset || this.scene.environment === texture) return;
      this.scene.environment = texture;
      if (this.look.environment.behind === 'environment') this.scene.background = texture;
      this.ask();
    });
  }

  private castBy(lamp: ReturnType<typeof lampOf>, now: boolean) {
    lamp.castShadow = now;
    const { shadow } = lamp;
    this.fineness(shadow);
    shadow.bias = -0.0006;
    shadow.normalBias = 0.02;
    const { camera } = shadow;
    if (camera instanceof THREE.OrthographicCamera) {
      camera.left = camera.bottom = -SUN_REACH;
      camera.right = camera.top = SUN_REACH;
      camera.far = 120;
    } else if (camera instanceof THREE.PerspectiveCamera) {
      camera.near = 0.5;
      camera.far = 60;
    }
    if (lamp instanceof THREE.SpotLight) lamp.shadow.focus = 0.5;
  }

  private environment(preset: string): Promise<THREE.Texture> {
    let made = this.environments.get(preset);
    if (!made) {
      made = bytes(`/api/environments/${preset}`).then(({ body }) => surroundings(body));
      made.catch(() => this.environments.delete(preset));
      this.environments.set(preset, made);
    }
    return made;
  }

  /** The camera's exposure and white balance; the same while one walks around. */
  private grade(): number[] {
    const { draft, frame } = this;
    if (!draft) return [1, 0, 0, 0, 1, 0, 0, 0, 1];
    return draft.lenses[Math.min(frame - draft.first, draft.lenses.length - 1)]?.grade ?? [];
  }

  private aimShot() {
    const { draft, shotCamera, frame } = this;
    if (!draft) return;
    const index = frame - draft.first;
    const lens = draft.lenses[Math.min(index, draft.lenses.length - 1)];
    if (!lens) return;
    const [across, up] = lens.half;
    const [shiftX, shiftY] = lens.shift;
    const near = 0.05;
    shotCamera.projectionMatrix.makePerspective(
      (-1 - shiftX) * across * near,
      (1 - shiftX) * across * near,
      (1 - shiftY) * up * near,
      (-1 - shiftY) * up * near,
      near,
      400,
    );
    shotCamera.projectionMatrixInverse.copy(shotCamera.projectionMatrix).invert();
    shotCamera.matrix.fromArray(draft.camera, index * 16);
    shotCamera.matrixWorldNeedsUpdate = true;
  }

  /** Put the free camera where it sees the title from a side. */
  private place(view: View) {
    const box = new THREE.Box3().setFromObject(this.title);
    if (box.isEmpty()) box.set(new THREE.Vector3(-3, 0, -1), new THREE.Vector3(3, 1, 1));
    const centre = box.getCenter(new THREE.Vector3());
    const size = box.getSize(new THREE.Vector3());
    const half = Math.tan((WALK_ANGLE * Math.PI) / 360);
    const aspect = this.size[0] / this.size[1];
    const away = (across: number, high: number) => Math.max(across / aspect, high, 0.5) / 2 / half / 0.72;
    const to = {
      front: new THREE.Vector3(0, 0.001, away(size.x, size.y) + size.z / 2),
      side: new THREE.Vector3(away(size.z, size.y) * 2.2 + size.x / 2, 0.001, 0),
      top: new THREE.Vector3(0, away(size.x, size.z) + size.y / 2, 0.001),
    }[view as 'front' | 'side' | 'top'];
    this.controls.target.copy(centre);
    this.walkCamera.position
      .copy(centre)
      .add(to ?? new THREE.Vector3(0.5, 0.28, 0.9).multiplyScalar(away(size.x, size.y)));
    this.controls.update();
  }

  private grow(
    material: THREE.Material,
    surface: Surface,
    edge: boolean,
    room: RoomUniforms,
    touch: TouchUniforms,
    ground: (HorizonUniforms & HidingUniforms) | null = null,
    mirror: MirrorUniforms | null = null,
  ) {
    const grown = grow(material, surface, edge, () => this.ask(), room, touch, ground, mirror);
    if (grown) this.await(grown, () => this.ask());
  }

  /** Go on with something once it has come. The first picture is drawn when all has come that belongs to it: what
   *  would be drawn before is never seen for long, and costs programs of its own. */
  private await<T>(promise: Promise<T>, then: (value: T) => void) {
    this.awaited++;
    promise
      .then(then)
      .catch(() => {}) // the page says by itself that the server does not answer
      .finally(() => {
        this.awaited--;
        if (!this.shown) this.ask();
      });
  }
  private awaited = 0;
  private shown = false;

  private ask() {
    if (!this.asked) this.asked = requestAnimationFrame(() => this.paint());
  }

  /** Draw what may move, as large as there is time for. */
  private paint() {
    cancelAnimationFrame(this.asked);
    this.asked = 0;
    clearTimeout(this.settling);
    this.shineFrom(0);
    this.soften(0, 0);
    this.room.setFine();
    if (this.lost || !this.display || !this.draft) return;
    if (this.awaited && !this.shown) return;
    this.shown = true;
    const begun = performance.now();
    const scale = SCALES.find((step) => step <= this.scale) ?? SMALLEST_SCALE;
    const { movingTarget: target } = this;
    const ratio = this.setUp(scale, target);
    const camera = this.camera();
    if (scale >= COARSE_BELOW) this.reflect(camera, target.width, target.height);
    this.fit(target.width, target.height);
    this.renderer.setRenderTarget(target);
    this.renderer.render(this.scene, camera);
    if (this.ball.visible) this.paintBall(target, ratio);
    this.display.show(this.renderer, this.spread(target, camera, 1).texture, this.grade());
    const ms = this.finished(begun);
    this.onShown(this.draft, this.frame, ms);
    this.onFine(false);
    this.adapt(ms);
    this.settle();
  }

  /** Make a target as large as the picture by a scale, with what is as fine as that: its pixels for one of the page. */
  private setUp(scale: number, target: THREE.WebGLRenderTarget): number {
    const ratio = Math.min(window.devicePixelRatio, 2) * scale;
    const [width, height] = this.size.map((side) => Math.max(2, Math.round(side * ratio))) as [
      number,
      number,
    ];
    target.setSize(width, height);
    if (this.view !== 'shot') {
      this.walkCamera.aspect = width / height;
      this.walkCamera.updateProjectionMatrix();
    }
    this.coarsen(scale < COARSE_BELOW);
    for (const ground of this.grounds)
      ground.mesh.material = scale < COARSE_BELOW ? ground.quick : ground.full;
    return ratio;
  }

  /** The canvas itself is as large as what is drawn: showing a large one costs as much as drawing it. */
  private fit(width: number, height: number) {
    if (this.canvas.width !== width || this.canvas.height !== height)
      this.renderer.setSize(width, height, false);
  }

  /** What stands still is drawn in full and gets finer: the same picture again and again, each time from within its
   *  pixels, with the lamps shining from other places of their surfaces, and the mean of all. Edges and textures get
   *  smooth, shadows soft, rough metals mirror what they should. */
  private refine() {
    if (this.lost || !this.display || !this.draft) return;
    this.stopGathering();
    const span = spanAt(this.draft, this.frame);
    if (span) this.hiding.place(span, this.frame);
    this.gather(0, null, this.stripsOf(FIRST_MS), this.setUp(1, this.gatherTarget));
  }
  private next = 0; // 0 when nothing is being gathered

  private stopGathering() {
    cancelAnimationFrame(this.next);
    this.next = 0;
  }

  /** Leave the machine to an edit that is being worked out. What was gathered of the old picture is not shown. */
  makeWay() {
    if (!this.next) return;
    this.stopGathering();
    this.settle();
  }

  private gather(k: number, known: number | null, strips: number, ratio: number) {
    const soft = this.soft().length > 0;
    const turns = Math.max(1, this.casting.length);
    const count = known ?? gathered(0, turns, soft);
    const begun = performance.now();
    const { gatherTarget: target } = this;
    const moved = placeInSquareOfFour(k);
    this.shineFrom(k);
    this.soften(k, count);
    this.room.setFine(k, count);
    const from = { at: placeInPixel(k), moved, strips };
    this.fromWithin(from, (camera) => this.reflect(camera, target.width, target.height));
    this.inStrips(from, () => {
      if (this.ball.visible) this.paintBall(target, ratio);
      // Where lamps throw their shadows in turn, the first picture has only one's: it is seen, and not counted.
      const counted = turns > 1 ? Math.max(k - 1, 0) : k;
      this.fromWithin(from, (camera) => {
        this.gathering.add(this.renderer, this.spread(target, camera, OF_EACH), counted, moved);
      });
      // Of what is soft single places of its disc would be seen before the last.
      if (k === 0 || (soft ? k + 1 === known : k % turns === 0)) {
        this.fit(target.width, target.height);
        const seen = k === 0 ? this.spread(target, this.camera(), 1) : this.gathering.target;
        this.display?.show(this.renderer, seen.texture, this.grade());
      }
      const ms = performance.now() - begun;
      if (k === 0 && this.draft) this.onShown(this.draft, this.frame, ms);
      // The second tells how long one takes: the first waits for programs that are made for it.
      const wanted = known ?? (k ? gathered(ms, turns, soft) : null);
      if (wanted === null || k + 1 < wanted)
        this.onceDrawn(() => this.gather(k + 1, wanted, this.stripsOf(ms), ratio));
      else {
        this.next = 0;
        this.onFine(true);
      }
    });
  }

  /** So many strips that none keeps an edit waiting. What is seen through glass is drawn anew for each of them. */
  private stripsOf(ms: number): number {
    const glass = this.look?.blocks.some((b) =>
      b.dresses.some((d) => d.some((part) => part.transmission > 0)),
    );
    return glass ? 1 : Math.max(1, Math.min(MOST_STRIPS, Math.round(ms / STRIP_MS)));
  }

  /** Draw the picture strip by strip, from left to right. The camera is narrowed to each, so that only letters that
   *  are in it are drawn. */
  private inStrips(from: Within, then: () => void, strip = 0) {
    if (this.lost) return;
    if (this.held) return this.settle();
    const { gatherTarget: target } = this;
    const [first, last] = [strip, strip + 1].map((k) => Math.round((k * target.width) / from.strips)) as [
      number,
      number,
    ];
    const next = () =>
      strip + 1 < from.strips ? this.onceDrawn(() => this.inStrips(from, then, strip + 1)) : then();
    if (first === last) return next(); // a picture of fewer pixels than strips: no camera is that narrow
    target.scissorTest = true;
    target.scissor.set(first, 0, last - first, target.height);
    target.viewport.copy(target.scissor);
    this.fromWithin(from, (camera) => {
      narrowed(camera, first / target.width, last / target.width, () => {
        this.renderer.setRenderTarget(target);
        this.renderer.render(this.scene, camera);
      });
    });
    target.scissorTest = false;
    target.viewport.set(0, 0, target.width, target.height);
    next();
  }

  /** Draw something from a place within the pixels of the picture, moved by whole pixels. */
  private fromWithin(
    { at: [x, y], moved: [right, up] }: Within,
    draw: (camera: THREE.PerspectiveCamera) => void,
  ) {
    const { width, height } = this.gatherTarget;
    const camera = this.camera();
    const projection = camera.projectionMatrix.elements;
    const [eighth, ninth] = [projection[8], projection[9]];
    projection[8] = eighth + (2 * (x - right)) / width;
    projection[9] = ninth + (2 * (y - up)) / height;
    draw(camera);
    [projection[8], projection[9]] = [eighth, ninth];
  }

  /** Go on when the picture is drawn, without keeping the page waiting: whoever edits meanwhile comes first. */
  private onceDrawn(next: () => void) {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    const look = () => {
      if (!fence || gl.getSyncParameter(fence, gl.SYNC_STATUS) === gl.SIGNALED) {
        gl.deleteSync(fence);
        next();
      } else this.next = requestAnimationFrame(look);
    };
    gl.flush();
    this.next = requestAnimationFrame(look);
  }

  /** Lamps shine from the k-th place of their surface, from their middle with 0. That ends the gathering. */
  private shineFrom(k: number) {
    this.stopGathering();
    if (k === 0 && this.shining === 0) return;
    this.shining = k;
    const { casting } = this;
    this.standing.forEach(({ lamp, light, strength }, number) => {
      shineFrom(lamp, light, k, number * 0.37);
      const turn = casting.indexOf(lamp);
      if (turn < 0) return;
      const own = turn === k % casting.length;
      lamp.castShadow = k ? own : turn === 0;
      lamp.intensity = strength * (k ? (own ? casting.length : 0) : 1);
    });
    this.touching.tell();
    this.renderer.shadowMap.needsUpdate = true;
  }
  private shining = 0;

  /** Letters that are soft at the frame, with how much, in metres. */
  private soft(): { batch: THREE.BatchedMesh; instance: number; pose: Float32Array; radius: number }[] {
    const span = this.draft && spanAt(this.draft, this.frame);
    if (!span?.wear) return [];
    return this.places.flatMap(({ batch, instance, letter }) => {
      const radius = wearAt(span, this.frame, letter)?.softness ?? 0;
      return radius > 0 ? [{ batch, instance, pose: poseAt(span, this.frame, letter), radius }] : [];
    });
  }

  /** A picture with its soft letters spread, by a share of how soft they are. */
  private spread(
    picture: THREE.WebGLRenderTarget,
    camera: THREE.PerspectiveCamera,
    share: number,
  ): THREE.WebGLRenderTarget {
    const span = this.draft && spanAt(this.draft, this.frame);
    if (!span || !this.soft().length) return picture;
    const letters = this.places.map(({ batch, instance, letter }) => {
      const radius = (wearAt(span, this.frame, letter)?.softness ?? 0) * share;
      const pose = this.pose.fromArray(poseAt(span, this.frame, letter));
      return { batch, instance, ...seenBy(camera, pose, span.letters[letter]?.box, radius, picture) };
    });
    return this.softening.draw(this.renderer, this.scene, camera, picture, letters, this.behind, () =>
      this.wear(span, this.frame),
    );
  }

  /** Soft letters stand in the k-th of so many places of their disc, which faces the camera; of none, where they are. */
  private soften(k: number, count: number) {
    if (!count && !this.softened) return;
    this.softened = count > 0;
    const [across, up] = count ? (placeInDisc(k, count).map((at) => at * APART) as [number, number]) : [0, 0];
    const [right, above] = [new THREE.Vector3(), new THREE.Vector3()];
    this.camera().matrixWorld.extractBasis(right, above, new THREE.Vector3());
    const aside = right.multiplyScalar(across).addScaledVector(above, up);
    for (const { batch, instance, pose, radius } of this.soft()) {
      this.pose.fromArray(pose);
      const at = this.pose.elements;
      at[12] = (at[12] ?? 0) + aside.x * radius;
      at[13] = (at[13] ?? 0) + aside.y * radius;
      at[14] = (at[14] ?? 0) + aside.z * radius;
      batch.setMatrixAt(instance, this.pose);
    }
  }
  private softened = false;

  /** The letters in the floor, where it lies level and is seen from above. */
  private reflect(camera: THREE.PerspectiveCamera, width: number, height: number) {
    const span = this.draft && spanAt(this.draft, this.frame);
    const { mirror, floor, frame } = this;
    mirror.uniforms.mirrorOn.value = 0;
    if (!span || !floor || !span.letters.length || camera.matrixWorld.elements[13] <= floor.height) return;
    const depths = span.letters.map((_, k) => poseAt(span, frame, k)[14] ?? 0);
    const front = depths.reduce((sum, z) => sum + z, 0) / depths.length;
    this.behind.visible = false;
    this.room.inFloor(floor.roughness, () =>
      mirror.draw(this.renderer, this.scene, camera, floor.height, front, [width, height]),
    );
    this.behind.visible = true;
  }

  private readonly ball = new THREE.Mesh(
    new THREE.SphereGeometry(1, 48, 32),
    new THREE.MeshPhysicalMaterial(),
  );
  private readonly ballScene = new THREE.Scene();
  private readonly ballCamera = new THREE.OrthographicCamera(-1.02, 1.02, 1.02, -1.02, 0.1, 10);

  /** Show the ball in which the title's own material mirrors the environment. */
  setBall(shown: boolean) {
    if (this.ball.visible === shown) return;
    this.ball.visible = shown;
    this.ask();
  }

  private paintBall(target: THREE.WebGLRenderTarget, ratio: number) {
    const surface = this.look?.blocks[0]?.dresses[0]?.find((part) => part.part === 'face');
    if (surface) dress(this.ball.material, { ...surface, transmission: 0, opacity: 1 });
    const scene = this.ballScene;
    scene.environment = this.scene.environment;
    scene.environmentIntensity = this.scene.environmentIntensity;
    scene.environmentRotation.copy(this.scene.environmentRotation);
    const [margin, size] = [BALL.margin * ratio, BALL.size * ratio];
    target.viewport.set(margin, margin, size, size);
    target.scissor.set(margin, margin, size, size);
    this.renderer.autoClear = false;
    this.renderer.setRenderTarget(target);
    this.renderer.clearDepth();
    this.renderer.render(scene, this.ballCamera);
    this.renderer.autoClear = true;
    target.viewport.set(0, 0, target.width, target.height);
    target.scissor.set(0, 0, target.width, target.height);
  }

  private coarse = false;

  /** A shadow as fine as the picture it falls in; its blur stays as wide. */
  private coarsen(coarse: boolean) {
    if (this.coarse === coarse) return;
    this.coarse = coarse;
    for (const lamp of this.casting) this.fineness(lamp.shadow);
    this.renderer.shadowMap.needsUpdate = true;
  }

  private fineness(shadow: THREE.LightShadow) {
    const share = this.coarse ? 0.5 : 1;
    shadow.mapSize.setScalar(SHADOW_MAP * share);
    shadow.radius = SHADOW_BLUR * share;
    shadow.map?.dispose();
    shadow.map = null;
  }

  private readonly pixel = new Uint8Array(4);

  /** Milliseconds until the picture was really drawn: drawing runs on elsewhere until someone asks for its result. A
   *  fence would not hold this thread up, but is heard of late where the picture is drawn in software. */
  private finished(begun: number): number {
    const gl = this.renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, this.pixel);
    return performance.now() - begun;
  }

  /** Draw in full once nothing moves. Not while a button is held down: that picture would keep the next one waiting. */
  private settle() {
    clearTimeout(this.settling);
    if (this.playing) return;
    this.settling = window.setTimeout(() => {
      if (this.held) this.settle();
      else if (!this.lookAround()) this.refine();
    }, SETTLE_MS);
  }

  /** Ask for what stands around in the look at hand; the picture is drawn anew when it has come. Answers whether there
   *  is anything to wait for. */
  private lookAround(): boolean {
    const asked = this.look && this.draft && this.room.ask(this.look, this.draft.middle);
    // Drawn even if none comes: nothing else would draw what stands still.
    if (asked)
      this.await(
        asked.catch(() => {}),
        () => this.ask(),
      );
    return asked !== null;
  }
  private held = false;
  private readonly onPointer = (event: PointerEvent) => {
    this.held = event.buttons !== 0;
  };

  /** Moving pictures are drawn as large as the machine can in time; what stands still is drawn in full. */
  private adapt(ms: number) {
    if (ms > this.budget)
      this.scale = Math.max(SMALLEST_SCALE, this.scale * Math.max(0.6, Math.sqrt(this.budget / ms)));
    else if (ms < this.budget * 0.7) this.scale = Math.min(1, this.scale * 1.06);
  }
}

/** Where a picture is drawn from: in pixels from the middle of each, moved by so many, in so many strips. */
interface Within {
  at: [number, number];
  moved: [number, number];
  strips: number;
}

/** The environment's turn as three wants it: where what stood level is seen. */
function environmentRotation({ turn, tilt: [forward, right] }: Look['environment']): THREE.Euler {
  const degrees = Math.PI / 180;
  const about = (axis: 'X' | 'Y' | 'Z', angle: number) =>
    new THREE.Matrix4()[`makeRotation${axis}`](angle * degrees);
  const sky = about('Y', turn).multiply(about('X', forward)).multiply(about('Z', -right));
  return new THREE.Euler().setFromRotationMatrix(sky);
}

/** A lamp by its kind: its strength is what arrives a metre away, or for a sun everywhere. */
function lampOf(light: Lamp): THREE.SpotLight | THREE.PointLight | THREE.DirectionalLight {
  const strongest = Math.max(...light.radiance, 1e-9);
  const colour = new THREE.Color(...(light.radiance.map((c) => c / strongest) as [number, number, number]));
  const aim = light.centre.map((c, i) => c + (light.normal[i] ?? 0)) as [number, number, number];
  if (light.kind === 'sun') {
    const sun = new THREE.DirectionalLight(colour, strongest);
    sun.position.set(...light.centre);
    sun.target.position.set(...aim);
    return sun;
  }
  if (light.kind === 'around' && !light.spot) {
    const ball = new THREE.PointLight(colour, (strongest * light.area) / 4, light.limit);
    ball.position.set(...light.centre);
    return ball;
  }
  const shown = light.kind === 'around' ? light.area / 4 : light.area;
  const lamp = new THREE.SpotLight(colour, strongest * shown, light.limit);
  lamp.angle = light.spot || 1.4;
  lamp.penumbra = light.spot ? light.soft : 1;
  lamp.position.set(...light.centre);
  lamp.target.position.set(...aim);
  return lamp;
}

/** A sheet of the stage, spanned by two half edges. */
function groundMesh(material: THREE.Material, ground: Ground) {
  const mesh = new THREE.Mesh<THREE.BufferGeometry>(PLANE, material);
  mesh.matrixAutoUpdate = false;
  mesh.receiveShadow = true;
  if ('u' in ground) {
    const [across, up] = [new THREE.Vector3(...ground.u), new THREE.Vector3(...ground.v)];
    mesh.matrix.makeBasis(across, up, across.clone().cross(up).normalize());
  } else if ('radius' in ground) mesh.geometry = new THREE.SphereGeometry(ground.radius, 96, 48);
  else mesh.geometry = drawnOut(ground.line, ground.normals, ground.half);
  if ('centre' in ground) mesh.matrix.setPosition(...ground.centre);
  return mesh;
}

/** The sheet of a ground that is flat, faces up, and is seen. */
function level(ground: Ground): Extract<Ground, { u: unknown }> | null {
  if (!('u' in ground) || ground.catches) return null;
  const up = new THREE.Vector3(...ground.u).cross(new THREE.Vector3(...ground.v)).normalize().y;
  return up > 0.999 ? ground : null;
}

/** A line of heights and depths, drawn out across. */
function drawnOut(
  line: [number, number][],
  normals: [[number, number], [number, number]][],
  half: number,
): THREE.BufferGeometry {
  const places: number[] = [];
  const facing: number[] = [];
  const index: number[] = [];
  normals.forEach(([begin, end], k) => {
    const [first, last] = [line[k] ?? [0, 0], line[k + 1] ?? [0, 0]];
    places.push(-half, ...first, half, ...first, half, ...last, -half, ...last);
    facing.push(0, ...begin, 0, ...begin, 0, ...end, 0, ...end);
    index.push(...[0, 1, 2, 0, 2, 3].map((i) => 4 * k + i));
  });
  const made = new THREE.BufferGeometry();
  made.setAttribute('position', new THREE.Float32BufferAttribute(places, 3));
  made.setAttribute('normal', new THREE.Float32BufferAttribute(facing, 3));
  made.setIndex(index);
  return made;
}

/** How much narrower than long a highlight is on what is wholly brushed; as in the renderer. */
const NARROWEST = 0.9;
const NOTHING = new THREE.BufferGeometry();
const TINT = new THREE.Color();
const PLANE = new THREE.PlaneGeometry(2, 2);

function dress(material: THREE.MeshPhysicalMaterial, surface: Surface): THREE.MeshPhysicalMaterial {
  material.color.setRGB(...surface.colour, THREE.LinearSRGBColorSpace);
  material.metalness = surface.metal;
  material.roughness = Math.max(0.04, surface.roughness);
  material.ior = Math.min(surface.ior, 2.333);
  material.specularIntensity = surface.grazing;
  material.clearcoat = surface.coat;
  material.clearcoatRoughness = Math.max(0.04, surface.coat_roughness);
  material.sheen = surface.sheen;
  material.sheenColor.setRGB(1, 1, 1);
  material.sheenRoughness = 0.6;
  material.emissive.setRGB(...surface.glow, THREE.LinearSRGBColorSpace);
  material.anisotropy = NARROWEST * surface.brushed; // see ROUGHNESSES
  material.anisotropyRotation = (surface.brush_turn * Math.PI) / 180;
  material.transmission = surface.transmission;
  material.thickness = surface.thin ? 0 : 0.2;
  material.attenuationColor.setRGB(...surface.colour, THREE.LinearSRGBColorSpace);
  material.attenuationDistance = surface.thin ? Number.POSITIVE_INFINITY : surface.tint_depth;
  if (surface.transmission > 0 && !surface.thin) material.color.lerp(WHITE, surface.transmission);
  material.opacity = surface.opacity;
  if (material.transparent !== surface.opacity < 1) {
    material.transparent = surface.opacity < 1;
    material.needsUpdate = true;
  }
  return material;
}

const WHITE = new THREE.Color(1, 1, 1);
const FACTORS = new THREE.Vector4();
const PLAIN: Wear = { tint: [0, 0, 0], share: 0, opacity: 1, softness: 0 };
