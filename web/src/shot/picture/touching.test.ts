import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import type { Lamp } from '../draft';
import { TOUCHING_LIGHTS, TOUCHING_SHADOWS, Touching } from './touching';

const ALL: Lamp['touches'] = { face: null, edge: null, stage: true, mirrored: [true, true] };
const standing = (lamp: THREE.Light, touches: Lamp['touches'], dark: [number, number] = [1, 1]) => ({
  lamp,
  light: { touches, dark } as Lamp,
});
/** The bits of four lamps. */
const four = (bits: number | undefined) => [0, 1, 2, 3].map((k) => ((bits ?? 0) >> k) & 1);

describe('what lamps touch', () => {
  it('has a bit for each lamp of a kind, in the order in which they are drawn', () => {
    const touching = new Touching();
    const lamps = [
      standing(new THREE.SpotLight(), { ...ALL, stage: false }),
      standing(new THREE.PointLight(), ALL),
      standing(new THREE.SpotLight(), { ...ALL, face: [1] }, [0.25, 0.5]),
    ];
    const stage = touching.stage();
    touching.take(
      lamps,
      lamps.map((s) => s.light),
    );
    const face = touching.letters(0, false);
    const other = touching.letters(1, false);
    expect(four(face.litBy.value.y)).toEqual([1, 0, 1, 1]);
    expect(four(other.litBy.value.y)).toEqual([1, 1, 1, 1]);
    expect(four(stage.litBy.value.y)).toEqual([0, 1, 1, 1]);
    expect(four(stage.litBy.value.x)).toEqual([1, 1, 1, 1]);
    expect(four(stage.litBy.value.w)).toEqual([0, 1, 1, 1]);
    // The one that throws a shadow is drawn first.
    (lamps[2] as { lamp: THREE.Light }).lamp.castShadow = true;
    touching.tell();
    expect(four(face.litBy.value.y)).toEqual([0, 1, 1, 1]);
    expect(four(stage.litBy.value.y)).toEqual([1, 0, 1, 1]);
    expect(four(face.litBy.value.w)).toEqual([1, 1, 0, 1]);
    expect([face.dark.value, stage.dark.value]).toEqual([0.25, 0.5]);
    expect(touching.letters(0, true).litBy.value.toArray()).toEqual([-1, -1, -1, -1]);
  });

  it('has no highlight of what it does not mirror, and is lit by it', () => {
    const touching = new Touching();
    const lamps = [
      standing(new THREE.DirectionalLight(), { ...ALL, mirrored: [true, false] }),
      standing(new THREE.SpotLight(), { ...ALL, mirrored: [false, true] }),
      standing(new THREE.DirectionalLight(), { ...ALL, mirrored: [false, true] }),
    ];
    const [face, stage] = [touching.letters(0, false), touching.stage()];
    touching.take(
      lamps,
      [lamps[1] as { light: Lamp }].map((s) => s.light),
    );
    expect(four(face.sunsIn.value)).toEqual([1, 0, 1, 1]);
    expect(four(stage.sunsIn.value)).toEqual([0, 1, 1, 1]);
    expect(four(face.litBy.value.w)).toEqual([0, 1, 1, 1]);
    expect(four(stage.litBy.value.w)).toEqual([1, 1, 1, 1]);
    expect(face.litBy.value.toArray().slice(0, 3)).toEqual([-1, -1, -1]);
  });

  it('tells every lamp from those that are too many to be told apart', () => {
    const touching = new Touching();
    const many = Array.from({ length: 40 }, () => standing(new THREE.SpotLight(), { ...ALL, stage: false }));
    touching.take(many, []);
    expect(touching.stage().litBy.value.y).toBe(1 << 31);
  });

  it('stands in every loop of three over lamps', () => {
    expect(TOUCHING_LIGHTS.match(/LIT_BY\(\d, UNROLLED_LOOP_INDEX\)/g)).toEqual(
      [0, 1, 2].map((k) => `LIT_BY(${k}, UNROLLED_LOOP_INDEX)`),
    );
    expect(TOUCHING_SHADOWS.match(/LIT_BY\(\d/g)?.sort()).toEqual(['LIT_BY(0', 'LIT_BY(1', 'LIT_BY(2']);
    for (const text of [TOUCHING_LIGHTS, TOUCHING_SHADOWS])
      expect(text).not.toMatch(/(point|spot|directional)Light\w*\.shadowIntensity/);
  });
});
