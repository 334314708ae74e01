import * as THREE from 'three';
import { expect, test } from 'vitest';
import type { Surface } from '../draft';
import { grow } from './grain';
import { Hiding } from './hiding';
import { noHorizon } from './horizon';
import { FloorMirror } from './mirror';
import { after, instead, replaced } from './patching';
import { Room } from './room';
import { Touching } from './touching';

test('what is looked for has to be there', () => {
  expect(replaced('a b a', 'a', 'c')).toBe('c b a');
  expect(replaced('a b a', 'a', 'c', true)).toBe('c b c');
  expect(replaced('one two', /(\w+) (\w+)/, '$2 $1')).toBe('two one');
  expect(() => replaced('a b', 'd', 'c')).toThrow('three');
  expect(() => replaced('a b', /d/, 'c')).toThrow('three');
  expect(after('#include <common>', 'common', 'more')).toBe('#include <common>\nmore');
  expect(after('nothing', 'common', '')).toBe('nothing');
  expect(() => after('nothing', 'common', 'more')).toThrow('common');
  expect(instead('#include <common>', 'common', 'other')).toBe('other');
  expect(() => instead('nothing', 'common', 'other')).toThrow('common');
});

const surface = {
  part: 'face',
  brushed: 0.5,
  grain: null,
  images: {
    colour: 'a',
    roughness: 'a',
    bump: 'a',
    tiling: 'repeat',
    mix: 1,
    rough: 1,
    height: 1,
    width: 1,
    tall: 1,
    tint: [1, 1, 1],
    to: [],
    by_letter: false,
  },
} as unknown as Surface;

test.each([
  [new THREE.MeshPhysicalMaterial(), THREE.ShaderLib.physical],
  [new THREE.MeshLambertMaterial(), THREE.ShaderLib.lambert],
])('all that is put into the shaders of %o finds its place', (material, { vertexShader, fragmentShader }) => {
  const ground = { ...noHorizon(), ...new Hiding().uniforms };
  const mirror = new FloorMirror().uniforms;
  const { room, touch } = { room: new Room().at(0), touch: new Touching().stage() };
  grow(material, surface, false, () => {}, room, touch, ground, mirror);
  const shader = { uniforms: {}, vertexShader, fragmentShader };
  material.onBeforeCompile(shader as never, null as never);
  for (const told of ['vGrainAt', 'grainRest', 'vGroundAt']) expect(shader.vertexShader).toContain(told);
  for (const told of ['LIT_BY(', 'lightAround(', 'hiderCount', 'pictureAt', 'reliefSlope', 'mirrorOn']) {
    expect(shader.fragmentShader).toContain(told);
  }
  const glossy = material instanceof THREE.MeshPhysicalMaterial;
  expect(shader.fragmentShader.includes('brushedApart')).toBe(glossy);
  expect(shader.fragmentShader.includes('pictureDull')).toBe(glossy);
});
