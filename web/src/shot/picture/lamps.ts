import * as THREE from 'three';
import type { Lamp } from '../draft';
import { shineFrom } from './gather';

const SHADOW_MAP = 1024;
const MOST_CASTING = 8;
const SHADOW_BLUR = 5;
const SUN_REACH = 12;

type Drawn = THREE.SpotLight | THREE.PointLight | THREE.DirectionalLight;

/** The lamps of a look, and the shadows that they throw. */
export class Lamps {
  readonly group = new THREE.Group();
  /** In the order of the look. */
  standing: { lamp: Drawn; light: Lamp; strength: number }[] = [];
  /** Lamps that throw shadows: the first where things move, each in its turn where pictures are gathered. */
  private casting: Drawn[] = [];
  private coarse = false;
  private shining = 0;

  /** Other lamps. */
  arrange(lights: Lamp[]) {
    this.group.clear();
    this.standing = [];
    this.casting = [];
    for (const light of lights) {
      const lamp = lampOf(light);
      if (Math.max(...light.dark) > 0 && this.casting.length < MOST_CASTING) {
        this.castBy(lamp, !this.casting.length);
        this.casting.push(lamp);
      }
      this.group.add(lamp);
      this.standing.push({ lamp, light, strength: lamp.intensity });
      if (!(lamp instanceof THREE.PointLight)) this.group.add(lamp.target);
    }
  }

  /** How many pictures it takes for each lamp to throw its shadow once. */
  get turns(): number {
    return Math.max(1, this.casting.length);
  }

  /** Shine from the k-th place of their surface, from their middle with 0. Answers whether that is another place. */
  shineFrom(k: number): boolean {
    if (k === 0 && this.shining === 0) return false;
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
    return true;
  }

  /** Shadows as fine as a coarse or a fine picture that they fall in; their blur stays as wide. Answers whether they
   *  are others than before. */
  coarsen(coarse: boolean): boolean {
    if (this.coarse === coarse) return false;
    this.coarse = coarse;
    for (const lamp of this.casting) this.fineness(lamp.shadow);
    return true;
  }

  private castBy(lamp: Drawn, now: boolean) {
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

  private fineness(shadow: THREE.LightShadow) {
    const share = this.coarse ? 0.5 : 1;
    shadow.mapSize.setScalar(SHADOW_MAP * share);
    shadow.radius = SHADOW_BLUR * share;
    shadow.map?.dispose();
    shadow.map = null;
  }
}

/** A lamp by its kind: its strength is what arrives a metre away, or for a sun everywhere. */
function lampOf(light: Lamp): Drawn {
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
