import * as THREE from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { Seen } from '../draft';
import type { View } from '../open/state';

const NEAR = 0.05;
const FAR = 400;
const WALK_ANGLE = 32;

/** The shot's camera, and one to walk around with. */
export class Cameras {
  private readonly shot = new THREE.PerspectiveCamera();
  private readonly walk = new THREE.PerspectiveCamera(WALK_ANGLE, 1, NEAR, FAR);
  private readonly controls: OrbitControls;
  private view: View = 'shot';

  constructor(canvas: HTMLCanvasElement, turned: () => void) {
    this.shot.matrixAutoUpdate = false;
    this.controls = new OrbitControls(this.walk, canvas);
    this.controls.enabled = false;
    this.controls.addEventListener('change', turned);
  }

  /** See through the shot's camera, or walk around what is in a box. */
  setView(view: View, box: THREE.Box3) {
    this.view = view;
    this.controls.enabled = view !== 'shot';
    if (view !== 'shot') this.place(view, box);
  }

  setAspect(aspect: number) {
    this.walk.aspect = aspect;
    this.walk.updateProjectionMatrix();
  }

  /** The camera that is seen through at a frame. */
  at(draft: Seen | null, frame: number): THREE.PerspectiveCamera {
    const walks = this.view !== 'shot';
    if (!walks && draft) this.aim(draft, frame - draft.first);
    const camera = walks ? this.walk : this.shot;
    camera.updateMatrixWorld();
    return camera;
  }

  private aim(draft: Seen, index: number) {
    const lens = draft.lenses[Math.min(index, draft.lenses.length - 1)];
    if (!lens) return;
    const { shot } = this;
    const [across, up] = lens.half;
    const [shiftX, shiftY] = lens.shift;
    shot.projectionMatrix.makePerspective(
      (-1 - shiftX) * across * NEAR,
      (1 - shiftX) * across * NEAR,
      (1 - shiftY) * up * NEAR,
      (-1 - shiftY) * up * NEAR,
      NEAR,
      FAR,
    );
    shot.projectionMatrixInverse.copy(shot.projectionMatrix).invert();
    shot.matrix.fromArray(draft.camera, index * 16);
    shot.matrixWorldNeedsUpdate = true;
  }

  /** Put the free camera where it sees the title from a side. */
  private place(view: View, box: THREE.Box3) {
    if (box.isEmpty()) box.set(new THREE.Vector3(-3, 0, -1), new THREE.Vector3(3, 1, 1));
    const centre = box.getCenter(new THREE.Vector3());
    const size = box.getSize(new THREE.Vector3());
    const half = Math.tan((WALK_ANGLE * Math.PI) / 360);
    const away = (across: number, high: number) =>
      Math.max(across / this.walk.aspect, high, 0.5) / 2 / half / 0.72;
    const to = {
      front: new THREE.Vector3(0, 0.001, away(size.x, size.y) + size.z / 2),
      side: new THREE.Vector3(away(size.z, size.y) * 2.2 + size.x / 2, 0.001, 0),
      top: new THREE.Vector3(0, away(size.x, size.z) + size.y / 2, 0.001),
    }[view as 'front' | 'side' | 'top'];
    this.controls.target.copy(centre);
    this.walk.position
      .copy(centre)
      .add(to ?? new THREE.Vector3(0.5, 0.28, 0.9).multiplyScalar(away(size.x, size.y)));
    this.controls.update();
  }

  dispose() {
    this.controls.dispose();
  }
}
