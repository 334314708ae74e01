import type * as THREE from 'three';
import { Gathering, gathered, placeInPixel, placeInSquareOfFour } from './gather';
import { narrowed } from './narrow';

/** What stands still is drawn in strips that take about so long, at most so many; all of it is taken for so long at
 *  first. */
const STRIP_MS = 20;
const MOST_STRIPS = 48;
const FIRST_MS = 480;

/** What is refined: a picture that can be drawn again and again. */
export interface Refined {
  readonly target: THREE.WebGLRenderTarget;
  camera(): THREE.PerspectiveCamera;
  /** How many pictures it takes for each lamp to throw its shadow once. */
  turns(): number;
  soft(): boolean;
  /** Whether what is seen through letters would be drawn anew for each strip. */
  glassy(): boolean;
  /** Set everything up for the k-th of so many pictures, 0 while that is not known. */
  prepare(k: number, count: number): void;
  reflect(camera: THREE.PerspectiveCamera): void;
  /** Draw into the target's viewport. */
  draw(camera: THREE.PerspectiveCamera): void;
  /** What lies over the picture; once it is whole. */
  over(): void;
  /** The target's picture with what is soft spread: in full, or by the share of each of many. */
  spread(camera: THREE.PerspectiveCamera, whole: boolean): THREE.WebGLRenderTarget;
  show(picture: THREE.Texture): void;
  /** The first picture was seen after so long. */
  seen(ms: number): void;
  /** Somebody holds a button down: it goes on later. */
  held(): boolean;
  later(): void;
  fine(): void;
}

/** Where a picture is drawn from: in pixels from the middle of each, moved by so many, in so many strips. */
interface Within {
  at: [number, number];
  moved: [number, number];
  strips: number;
}

/** What stands still is drawn in full and gets finer: the same picture again and again, each time from within its
 *  pixels, with the lamps shining from other places of their surfaces, and the mean of all. Edges and textures get
 *  smooth, shadows soft, rough metals mirror what they should. */
export class Refining {
  private readonly gathering = new Gathering();
  private next = 0; // 0 when nothing is being gathered

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly of: Refined,
  ) {}

  get running(): boolean {
    return this.next !== 0;
  }

  start() {
    this.stop();
    this.gather(0, null, this.stripsOf(FIRST_MS));
  }

  stop() {
    cancelAnimationFrame(this.next);
    this.next = 0;
  }

  private gather(k: number, known: number | null, strips: number) {
    const { of } = this;
    const soft = of.soft();
    const turns = of.turns();
    const begun = performance.now();
    const moved = placeInSquareOfFour(k);
    this.stop();
    of.prepare(k, known ?? gathered(0, turns, soft));
    const from = { at: placeInPixel(k), moved, strips };
    this.fromWithin(from, (camera) => of.reflect(camera));
    this.inStrips(from, () => {
      of.over();
      // Where lamps throw their shadows in turn, the first picture has only one's: it is seen, and not counted.
      const counted = turns > 1 ? Math.max(k - 1, 0) : k;
      this.fromWithin(from, (camera) => {
        this.gathering.add(this.renderer, of.spread(camera, false), counted, moved);
      });
      // Of what is soft single places of its disc would be seen before the last.
      if (k === 0 || (soft ? k + 1 === known : k % turns === 0)) {
        of.show((k === 0 ? of.spread(of.camera(), true) : this.gathering.target).texture);
      }
      const ms = performance.now() - begun;
      if (k === 0) of.seen(ms);
      // The second tells how long one takes: the first waits for programs that are made for it.
      const wanted = known ?? (k ? gathered(ms, turns, soft) : null);
      if (wanted === null || k + 1 < wanted)
        this.onceDrawn(() => this.gather(k + 1, wanted, this.stripsOf(ms)));
      else {
        this.next = 0;
        of.fine();
      }
    });
  }

  /** So many strips that none keeps an edit waiting. */
  private stripsOf(ms: number): number {
    return this.of.glassy() ? 1 : Math.max(1, Math.min(MOST_STRIPS, Math.round(ms / STRIP_MS)));
  }

  /** Draw the picture strip by strip, from left to right. The camera is narrowed to each, so that only letters that
   *  are in it are drawn. */
  private inStrips(from: Within, then: () => void, strip = 0) {
    const { of, renderer } = this;
    const { target } = of;
    if (renderer.getContext().isContextLost()) return;
    if (of.held()) return of.later();
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
      narrowed(camera, first / target.width, last / target.width, () => of.draw(camera));
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
    const { width, height } = this.of.target;
    const camera = this.of.camera();
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

  dispose() {
    this.stop();
    this.gathering.dispose();
  }
}
