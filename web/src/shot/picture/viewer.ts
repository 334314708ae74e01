import * as THREE from 'three';
import { bytes } from '../../api/client';
import { type Look, type Seen, type SeenSpan, spanAt } from '../draft';
import type { View } from '../open/state';
import { Cameras } from './cameras';
import { Environment } from './environment';
import { Finish } from './finish';
import { Glows } from './glow';
import { Grounds } from './grounds';
import { Hiding } from './hiding';
import { Lamps } from './lamps';
import { Letters, OF_EACH } from './letters';
import { Picking } from './picking';
import { Probe } from './probe';
import { type Refined, Refining } from './refining';
import { Room } from './room';
import { lightTarget } from './screen';
import { Touching } from './touching';
import { Waiting } from './waiting';

const SETTLE_MS = 450;
const FOLLOW_MS = 300;
const DRAG_MS = 32;
const SMALLEST_SCALE = 0.3;
const SCALES = [1, 0.75, 0.5, SMALLEST_SCALE];
const COARSE_BELOW = 0.6;
const POINTER = ['pointerdown', 'pointerup', 'pointercancel'] as const;

/** Draws a draft with three, as fast as it moves, and finer once it stands still. It draws what the core computed and
 *  knows no rule of the job. */
export class Viewer {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly behind = new THREE.Group(); // all that is seen and is no letter
  private readonly waiting = new Waiting(() => this.ask());
  private readonly room = new Room();
  private readonly touching = new Touching();
  private readonly hiding = new Hiding();
  private readonly glows = new Glows();
  private readonly lamps = new Lamps();
  private readonly letters = new Letters(this.room, this.touching, this.waiting);
  private readonly grounds = new Grounds(this.room, this.touching, this.hiding, this.waiting);
  private readonly environment: Environment;
  private readonly cameras: Cameras;
  private readonly probe = new Probe();
  private readonly moving = lightTarget();
  private readonly still = lightTarget();
  private readonly refining: Refining;
  private finish: Finish | null = null;
  /** Where things are in the picture. */
  readonly picking: Picking;

  private draft: Seen | null = null;
  private frame = 0;
  private look: Look | null = null;
  private lookKey = '';
  private size: [number, number] = [1, 1];
  private asked = 0;
  private settling = 0;
  private scale = 1;
  private budget = DRAG_MS;
  private playing = false;
  private held = false;
  private lost = false;
  private follows = true; // shadows follow what moves
  private lagging = 0;
  private readonly pixel = new Uint8Array(4);
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
    this.environment = new Environment(this.scene, this.waiting);
    this.behind.add(this.grounds.group, this.environment.backdrop.sheet);
    this.scene.add(this.letters.title, this.behind, this.lamps.group, this.glows.lights);
    this.cameras = new Cameras(canvas, () => this.ask());
    this.picking = new Picking(this.cameras, this.letters, () => this.size);
    this.refining = new Refining(this.renderer, this.refined());
    canvas.addEventListener('webglcontextlost', this.onLost);
    for (const kind of POINTER) window.addEventListener(kind, this.onPointer, true);
    void bytes('/api/display-table').then(({ body }) => {
      this.finish = new Finish(body);
      this.ask();
    });
  }

  private readonly onLost = (event: Event) => {
    event.preventDefault();
    this.lost = true;
  };

  private readonly onPointer = (event: PointerEvent) => {
    this.held = event.buttons !== 0;
  };

  /** Draw a frame of a draft at once. */
  show(draft: Seen, frame: number) {
    if (draft === this.draft && frame === this.frame) return;
    this.draft = draft;
    this.frame = frame;
    this.picking.take(draft, frame);
    this.lay();
    this.paint();
  }

  setView(view: View) {
    this.cameras.setView(view, new THREE.Box3().setFromObject(this.letters.title));
    this.ask();
  }

  resize(width: number, height: number) {
    this.size = [Math.max(1, Math.round(width)), Math.max(1, Math.round(height))];
    this.cameras.setAspect(this.size[0] / this.size[1]);
    this.ask();
  }

  /** How long a moving picture may take to draw, in milliseconds; still pictures only follow when nothing plays. */
  setPlaying(frameMs: number | null) {
    this.playing = frameMs !== null;
    this.budget = frameMs === null ? DRAG_MS : frameMs * 0.75;
    this.follow();
  }

  /** Show the ball in which the title's own material mirrors the environment. */
  setBall(shown: boolean) {
    if (this.probe.shown === shown) return;
    this.probe.shown = shown;
    this.ask();
  }

  /** Leave the machine to an edit that is being worked out. What was gathered of the old picture is not shown. */
  makeWay() {
    if (!this.refining.running) return;
    this.refining.stop();
    this.settle();
  }

  dispose() {
    cancelAnimationFrame(this.asked);
    clearTimeout(this.settling);
    clearTimeout(this.lagging);
    this.canvas.removeEventListener('webglcontextlost', this.onLost);
    for (const kind of POINTER) window.removeEventListener(kind, this.onPointer, true);
    const { refining, cameras, letters, grounds, environment, room, probe, moving, still } = this;
    for (const part of [refining, cameras, letters, grounds, environment, room, probe, moving, still]) {
      part.dispose();
    }
    this.finish?.dispose();
    this.renderer.dispose();
  }

  private span(): SeenSpan | undefined {
    return this.draft ? spanAt(this.draft, this.frame) : undefined;
  }

  /** How many triangles are drawn of each block, by the id of its step; copies count too. */
  triangles(): Record<string, number> {
    const span = this.span();
    const found: Record<string, number> = {};
    if (!span) return found;
    this.letters.triangles(span).forEach((count, k) => {
      const step = span.blocks[k]?.step ?? '';
      found[step] = (found[step] ?? 0) + count;
    });
    return found;
  }

  private camera(): THREE.PerspectiveCamera {
    return this.cameras.at(this.draft, this.frame);
  }

  /** Put everything where it is at the frame. */
  private lay() {
    const { draft, frame } = this;
    const span = this.span();
    if (!draft || !span) return;
    const look = draft.looks[draft.look_of[frame - draft.first] ?? 0];
    // A new draft is a new object each time: only what really differs is made anew.
    const other = look && JSON.stringify(look) !== this.lookKey;
    if (other) this.arrange(look);
    const letters = this.letters.show(span, () => {
      if (this.span() !== span) return;
      this.lay();
      this.ask();
    });
    if (letters !== 'coming') {
      if (look && (other || letters === 'other')) {
        this.glows.take(span, look, this.letters.built);
        this.hiding.take(span, look, this.letters.built);
      }
      this.glows.place(span, frame);
      this.letters.place(span, frame);
      this.lamps.fit(this.letters.around(span, frame));
    }
    // Of small moving pictures, shadows follow every other one, and what stands still for a moment.
    clearTimeout(this.lagging);
    this.follows = !(this.scale < COARSE_BELOW && this.follows);
    if (this.follows) this.renderer.shadowMap.needsUpdate = true;
    else if (!this.playing) this.lagging = window.setTimeout(() => this.follow(), FOLLOW_MS);
  }

  private follow() {
    this.follows = true;
    this.renderer.shadowMap.needsUpdate = true;
    this.ask();
  }

  private arrange(look: Look) {
    this.look = look;
    this.lookKey = JSON.stringify(look);
    this.letters.arrange(look);
    if (!this.waiting.begun) this.lookAround();
    this.grounds.arrange(look);
    this.lamps.arrange(look.lights);
    this.touching.take(this.lamps.standing, this.room.light(look.lights));
    this.environment.arrange(look);
  }

  private ask() {
    if (!this.asked) this.asked = requestAnimationFrame(() => this.paint());
  }

  /** Draw what may move, as large as there is time for. */
  private paint() {
    cancelAnimationFrame(this.asked);
    this.asked = 0;
    clearTimeout(this.settling);
    this.refining.stop();
    this.prepare(0, 0);
    if (this.lost || !this.finish || !this.draft || !this.waiting.mayShow()) return;
    const begun = performance.now();
    const scale = SCALES.find((step) => step <= this.scale) ?? SMALLEST_SCALE;
    const { moving: target } = this;
    this.setUp(scale, target);
    const camera = this.camera();
    if (scale >= COARSE_BELOW) this.reflect(target, camera);
    this.fit(target);
    this.draw(target, camera);
    this.drawBall(target);
    this.finish.show(this.renderer, this.spread(target, camera, 1).texture, this.grade());
    const ms = this.finished(begun);
    this.onShown(this.draft, this.frame, ms);
    this.onFine(false);
    this.adapt(ms);
    this.settle();
  }

  /** Set everything up for the k-th of so many pictures that are gathered; for none with a count of 0. */
  private prepare(k: number, count: number) {
    if (this.lamps.shineFrom(k)) {
      this.touching.tell();
      this.renderer.shadowMap.needsUpdate = true;
    }
    this.letters.soften(this.span(), this.frame, this.camera(), k, count);
    this.room.setFine(k, count);
  }

  /** Make a target as large as the picture by a scale, with what is as fine as that. */
  private setUp(scale: number, target: THREE.WebGLRenderTarget) {
    const ratio = Math.min(window.devicePixelRatio, 2) * scale;
    const [width, height] = this.size.map((side) => Math.max(2, Math.round(side * ratio)));
    target.setSize(width ?? 2, height ?? 2);
    if (this.lamps.coarsen(scale < COARSE_BELOW)) this.renderer.shadowMap.needsUpdate = true;
    this.grounds.setFull(scale >= COARSE_BELOW);
  }

  /** The canvas itself is as large as what is drawn: showing a large one costs as much as drawing it. */
  private fit({ width, height }: THREE.WebGLRenderTarget) {
    if (this.canvas.width !== width || this.canvas.height !== height)
      this.renderer.setSize(width, height, false);
  }

  private draw(target: THREE.WebGLRenderTarget, camera: THREE.Camera) {
    this.renderer.setRenderTarget(target);
    this.renderer.render(this.scene, camera);
  }

  private drawBall(target: THREE.WebGLRenderTarget) {
    const surface = this.look?.blocks[0]?.dresses[0]?.find(({ part }) => part === 'face');
    this.probe.draw(this.renderer, target, target.width / this.size[0], surface, this.scene);
  }

  private reflect({ width, height }: THREE.WebGLRenderTarget, camera: THREE.PerspectiveCamera) {
    const { renderer, scene, frame, behind } = this;
    this.grounds.reflect(renderer, scene, camera, [width, height], { span: this.span(), frame, behind });
  }

  /** A picture with its soft letters spread, by a share of how soft they are. */
  private spread(target: THREE.WebGLRenderTarget, camera: THREE.PerspectiveCamera, share: number) {
    const { renderer, scene, behind, frame } = this;
    return this.letters.spread(renderer, scene, behind, target, camera, { span: this.span(), frame, share });
  }

  /** The camera's exposure and white balance; the same while one walks around. */
  private grade(): number[] {
    const { draft, frame } = this;
    if (!draft) return [1, 0, 0, 0, 1, 0, 0, 0, 1];
    return draft.lenses[Math.min(frame - draft.first, draft.lenses.length - 1)]?.grade ?? [];
  }

  /** What stands still, to be refined. */
  private refined(): Refined {
    const { still } = this;
    return {
      target: still,
      camera: () => this.camera(),
      turns: () => this.lamps.turns,
      soft: () => this.letters.areSoft(this.span(), this.frame),
      glassy: () =>
        this.look?.blocks.some((b) => b.dresses.some((d) => d.some((part) => part.transmission > 0))) ??
        false,
      prepare: (k, count) => this.prepare(k, count),
      reflect: (camera) => this.reflect(still, camera),
      draw: (camera) => this.draw(still, camera),
      over: () => this.drawBall(still),
      spread: (camera, whole) => this.spread(still, camera, whole ? 1 : OF_EACH),
      show: (picture) => {
        this.fit(still);
        this.finish?.show(this.renderer, picture, this.grade());
      },
      seen: (ms) => this.draft && this.onShown(this.draft, this.frame, ms),
      held: () => this.held,
      later: () => this.settle(),
      fine: () => this.onFine(true),
    };
  }

  private refine() {
    if (this.lost || !this.finish || !this.draft) return;
    const span = this.span();
    if (span) this.hiding.place(span, this.frame);
    this.setUp(1, this.still);
    this.refining.start();
  }

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
    if (asked) this.waiting.drawAfter(asked);
    return asked !== null;
  }

  /** Moving pictures are drawn as large as the machine can in time; what stands still is drawn in full. */
  private adapt(ms: number) {
    if (ms > this.budget)
      this.scale = Math.max(SMALLEST_SCALE, this.scale * Math.max(0.6, Math.sqrt(this.budget / ms)));
    else if (ms < this.budget * 0.7) this.scale = Math.min(1, this.scale * 1.06);
  }
}
