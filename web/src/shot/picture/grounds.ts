import * as THREE from 'three';
import { type Ground, type Look, poseAt, type SeenSpan } from '../draft';
import { dress } from './dress';
import { grow } from './grain';
import type { Hiding } from './hiding';
import { noHorizon, setHorizon } from './horizon';
import { FloorMirror } from './mirror';
import { after, instead } from './patching';
import type { Room } from './room';
import { TOUCHING_HEAD, TOUCHING_SHADOWS, type Touching } from './touching';
import type { Waiting } from './waiting';

const PLANE = new THREE.PlaneGeometry(2, 2);

/** What the letters stand on and before: floor, wall, sweep, catchers of shadows. */
export class Grounds {
  readonly group = new THREE.Group();
  private drawn: { mesh: THREE.Mesh; quick: THREE.Material; full: THREE.Material }[] = [];
  private readonly kept: { quick: THREE.MeshLambertMaterial; full: THREE.MeshPhysicalMaterial }[] = [];
  private readonly catcher = new THREE.ShadowMaterial({ opacity: 0.75, fog: false });
  private readonly horizon = noHorizon();
  private readonly mirror = new FloorMirror();
  private floor: { height: number; roughness: number } | null = null; // which mirrors the letters

  constructor(
    private readonly room: Room,
    private readonly touching: Touching,
    private readonly hiding: Hiding,
    private readonly waiting: Waiting,
  ) {
    this.catcher.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, this.touching.stage());
      const { fragmentShader } = shader;
      shader.fragmentShader = instead(
        after(fragmentShader, 'common', TOUCHING_HEAD),
        'shadowmask_pars_fragment',
        TOUCHING_SHADOWS,
      );
    };
  }

  /** The grounds of another look. */
  arrange(look: Look) {
    this.clear();
    setHorizon(this.horizon, look.horizon);
    let place = 0;
    for (const ground of look.grounds) {
      const { quick, full } = ground.catches
        ? { quick: this.catcher, full: this.catcher }
        : this.materials(ground, ++place);
      const mesh = groundMesh(quick, ground);
      this.group.add(mesh);
      this.drawn.push({ mesh, quick, full });
    }
  }

  private materials(ground: Ground, place: number) {
    const worn = this.kept[place - 1] ?? {
      quick: new THREE.MeshLambertMaterial(),
      full: new THREE.MeshPhysicalMaterial(),
    };
    this.kept[place - 1] = worn;
    const { quick, full } = worn;
    const { surface } = ground;
    quick.color.setRGB(...surface.colour, THREE.LinearSRGBColorSpace);
    dress(full, surface);
    const mirrors = level(ground);
    if (mirrors) this.floor = { height: mirrors.centre[1], roughness: surface.roughness };
    const around = this.room.at(place);
    const touch = this.touching.stage();
    const behind = { ...this.horizon, ...this.hiding.uniforms };
    for (const [material, mirror] of [
      [quick, null],
      [full, mirrors ? this.mirror.uniforms : null],
    ] as const) {
      const grown = grow(material, surface, false, this.waiting.ask, around, touch, behind, mirror);
      if (grown) this.waiting.for(grown, this.waiting.ask);
    }
    return worn;
  }

  /** With their gloss, which is left to pictures that there is time for, or without. */
  setFull(full: boolean) {
    for (const ground of this.drawn) ground.mesh.material = full ? ground.full : ground.quick;
  }

  /** The letters in the floor, where it lies level and is seen from above; `behind` is not mirrored. */
  reflect(
    renderer: THREE.WebGLRenderer,
    scene: THREE.Scene,
    camera: THREE.PerspectiveCamera,
    size: [number, number],
    { span, frame, behind }: { span: SeenSpan | undefined; frame: number; behind: THREE.Object3D },
  ) {
    const { mirror, floor } = this;
    mirror.uniforms.mirrorOn.value = 0;
    if (!span || !floor || !span.letters.length || camera.matrixWorld.elements[13] <= floor.height) return;
    const depths = span.letters.map((_, k) => poseAt(span, frame, k)[14] ?? 0);
    const front = depths.reduce((sum, z) => sum + z, 0) / depths.length;
    behind.visible = false;
    this.room.inFloor(floor.roughness, () => mirror.draw(renderer, scene, camera, floor.height, front, size));
    behind.visible = true;
  }

  private clear() {
    for (const { mesh } of this.drawn) if (mesh.geometry !== PLANE) mesh.geometry.dispose();
    this.drawn = [];
    this.floor = null;
    this.group.clear();
  }

  dispose() {
    this.clear();
    this.mirror.dispose();
    this.catcher.dispose();
    for (const { quick, full } of this.kept) {
      quick.dispose();
      full.dispose();
    }
  }
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
