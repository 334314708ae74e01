import * as THREE from 'three';
import type { Lamp } from '../draft';
import { shineFrom } from './gather';

const SHADOW_MAP = 1024;
const MOST_CASTING = 8;
/** Metres from what casts shadows to a sun, and beyond it to what they fall on. */
const SUN_AWAY = 60;
const SUN_BEYOND = 120;
/** What is behind the letters is about so many of their half widths away: how wide a shadow's border is there. */
const BEHIND = 0.5;
/** Borders of shadows in texels: narrower would show them, wider would show the taps. */
const NARROWEST = 1.5;
const WIDEST = 5;
/** Where the letters are is rounded to so many parts of their half width: shadows do not swim while they move. */
const STEADY = 8;

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
  /** What casts shadows: all letters. */
  private readonly middle = new THREE.Vector3();
  private reach = 5;

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
    this.fitAll();
  }

  /** Fit shadows to what casts them, a ball: what lies beyond it along the light is in its shadow as well, and nothing
   *  beside it is. */
  fit({ center, radius }: THREE.Sphere) {
    const grid = Math.max(0.05, 2 ** (Math.ceil(2 * Math.log2(Math.max(radius, 1e-3))) / 2));
    const rounded = center
      .clone()
      .multiplyScalar(STEADY / grid)
      .round()
      .multiplyScalar(grid / STEADY);
    const reach = grid * (1 + 1 / STEADY);
    if (reach === this.reach && rounded.equals(this.middle)) return;
    this.middle.copy(rounded);
    this.reach = reach;
    this.fitAll();
  }

  private fitAll() {
    for (const { lamp, light } of this.standing) if (this.casting.includes(lamp)) this.frame(lamp, light);
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
      if (lamp instanceof THREE.DirectionalLight) this.turnTo(lamp);
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
    this.fitAll();
    return true;
  }

  private castBy(lamp: Drawn, now: boolean) {
    lamp.castShadow = now;
    const { shadow } = lamp;
    shadow.bias = -0.0006;
    if (lamp instanceof THREE.PointLight) {
      shadow.camera.near = 0.5;
      shadow.camera.far = 60;
    }
  }

  /** A sun stands so that what casts shadows is in the middle of its own. */
  private turnTo(sun: THREE.DirectionalLight) {
    const way = sun.target.position.clone().sub(sun.position).normalize();
    sun.position.copy(this.middle).addScaledVector(way, -SUN_AWAY);
    sun.target.position.copy(this.middle);
  }

  /** What a lamp's shadow map holds, and how wide the borders of its shadows are drawn. */
  private frame(lamp: Drawn, light: Lamp) {
    const { shadow } = lamp;
    const side = SHADOW_MAP * (this.coarse ? 0.5 : 1);
    if (shadow.mapSize.x !== side) {
      shadow.mapSize.setScalar(side);
      shadow.map?.dispose();
      shadow.map = null;
    }
    const { camera } = shadow;
    let seen = 2 * SUN_AWAY; // metres across the map where the letters are
    let border = 0; // metres, of what falls behind them
    if (lamp instanceof THREE.DirectionalLight && camera instanceof THREE.OrthographicCamera) {
      this.turnTo(lamp);
      camera.left = camera.bottom = -this.reach;
      camera.right = camera.top = this.reach;
      camera.near = SUN_AWAY - this.reach;
      camera.far = SUN_AWAY + SUN_BEYOND;
      camera.updateProjectionMatrix();
      seen = 2 * this.reach;
      border = 2 * Math.hypot(...light.u) * BEHIND * this.reach;
      shadow.bias = -0.002 / (camera.far - camera.near);
    } else if (lamp instanceof THREE.SpotLight) {
      const to = this.middle.clone().sub(new THREE.Vector3(...light.centre));
      const away = Math.max(to.length(), 1e-3);
      const beside = to.angleTo(new THREE.Vector3(...light.normal));
      const half = away > this.reach ? Math.asin(this.reach / away) : Math.PI;
      // Three's own bound: half of what a camera can see.
      const angle = Math.min(beside + half, 0.7, lamp.angle);
      lamp.shadow.focus = angle / lamp.angle;
      camera.near = Math.max(0.05, Math.min(0.5, (away - this.reach) / 2));
      camera.far = 60;
      seen = 2 * away * Math.tan(angle);
      border = (Math.sqrt(light.area) * BEHIND * this.reach) / away;
    }
    const texel = seen / side;
    shadow.radius = Math.min(Math.max(border / 2 / texel, NARROWEST), WIDEST);
    // Along the normal as far as the border is drawn wide: what is lit at a slant would else shade itself.
    shadow.normalBias = Math.min(0.02, texel * shadow.radius);
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
