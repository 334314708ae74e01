import * as THREE from 'three';
import { bytes } from '../../api/client';
import type { Look } from '../draft';
import { Backdrop } from './backdrop';
import { evenly, surroundings } from './surround';
import type { Waiting } from './waiting';

/** What lights a scene from around and fills its frame behind everything: environment, backdrop, haze. */
export class Environment {
  readonly backdrop = new Backdrop();
  private readonly plain = evenly(0.3); // until the environment has come
  private readonly known = new Map<string, Promise<THREE.Texture>>();
  private look: Look | null = null;

  constructor(
    private readonly scene: THREE.Scene,
    private readonly waiting: Waiting,
  ) {
    scene.environment = this.plain;
    scene.background = new THREE.Color(0, 0, 0);
  }

  arrange(look: Look) {
    this.look = look;
    const { scene, waiting } = this;
    const { haze } = look;
    scene.fog = haze
      ? new THREE.FogExp2(new THREE.Color().setRGB(...haze.colour, THREE.LinearSRGBColorSpace), haze.density)
      : null;
    const { preset, strength, behind } = look.environment;
    const rotation = rotationOf(look.environment);
    scene.background = behind === 'environment' ? scene.environment : null;
    const coming = this.backdrop.show(typeof behind === 'string' ? null : behind);
    if (coming) waiting.drawAfter(coming);
    scene.backgroundIntensity = scene.environmentIntensity = strength;
    scene.backgroundRotation.copy(rotation);
    scene.environmentRotation.copy(rotation);
    waiting.for(this.texture(preset), (texture) => {
      if (this.look?.environment.preset !== preset || scene.environment === texture) return;
      scene.environment = texture;
      if (this.look.environment.behind === 'environment') scene.background = texture;
      waiting.ask();
    });
  }

  private texture(preset: string): Promise<THREE.Texture> {
    let made = this.known.get(preset);
    if (!made) {
      made = bytes(`/api/environments/${preset}`).then(({ body }) => surroundings(body));
      made.catch(() => this.known.delete(preset));
      this.known.set(preset, made);
    }
    return made;
  }

  dispose() {
    this.backdrop.dispose();
    this.plain.dispose();
  }
}

/** How the environment stands, as three wants it. */
function rotationOf({ standing }: Look['environment']): THREE.Euler {
  const sky = new THREE.Matrix3().fromArray(standing).transpose();
  return new THREE.Euler().setFromRotationMatrix(new THREE.Matrix4().setFromMatrix3(sky));
}
