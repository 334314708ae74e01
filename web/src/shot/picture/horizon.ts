import * as THREE from 'three';
import type { Haze } from '../draft';

/** What grounds go over into around the middle of the stage: its colour, and its density. */
export interface HorizonUniforms {
  [name: string]: THREE.IUniform;
  horizon: THREE.IUniform<THREE.Vector4>;
}

export const noHorizon = (): HorizonUniforms => ({ horizon: { value: new THREE.Vector4() } });

export function setHorizon({ horizon }: HorizonUniforms, of: Haze | null) {
  horizon.value.set(...(of?.colour ?? [0, 0, 0]), of?.density ?? 0);
}

export const HORIZON_VERTEX_HEAD = `
varying vec2 vGroundAt;
`;
export const HORIZON_VERTEX = `
  vGroundAt = (modelMatrix * vec4(position, 1.0)).xz;
`;
export const HORIZON_HEAD = `
varying vec2 vGroundAt;
uniform vec4 horizon;
`;
/** As in the renderer: before the haze, which lies between. */
export const HORIZON = `
  gl_FragColor.rgb = mix(horizon.rgb, gl_FragColor.rgb, exp(-horizon.a * horizon.a * dot(vGroundAt, vGroundAt)));
`;
