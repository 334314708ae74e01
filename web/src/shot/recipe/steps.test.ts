import { describe, expect, it } from 'vitest';
import { fieldsOf } from '../desk/fields';
import type { Step } from '../open/state';
import { addable, placeFor, stepAbout, stepTitle, workOf } from './steps';

const step = (kind: Step['kind'], more: object = {}) =>
  ({ id: kind, kind, name: '', on: true, ...more }) as unknown as Step;
const KINDS: Step['kind'][] = [
  'block',
  'emblem',
  'form',
  'drive',
  'follow',
  'drum',
  'swap',
  'shiver',
  'grow',
  'bend',
  'curl',
  'twist',
  'wave',
  'wrap',
  'ripple',
  'blast',
  'inflate',
  'pieces',
  'bodies',
  'become',
  'group',
  'material',
  'environment',
  'lights',
  'stage',
  'camera',
];
const all = KINDS.map((k) => step(k));

describe('the recipe', () => {
  it.each(KINDS)('knows a title, a work, a line and fields for %s', (kind) => {
    const one = step(kind, {
      text: 'SALT\nROADS',
      reaches: [{ kind: 'cadence' }],
      lights: [{ name: 'key' }],
    });
    expect(stepTitle(one).length).toBeGreaterThan(2);
    expect(workOf(one)).toMatch(/^(letter|form|look|motion|camera)$/);
    expect(stepAbout(one, null).length).toBeGreaterThan(3);
    const fields = fieldsOf(one);
    expect(fields.length).toBeGreaterThan(2);
    expect(new Set(fields.map((f) => f.path)).size).toBe(fields.length);
    for (const f of fields) expect(f.path).toMatch(/^\//);
  });

  it('tells how many triangles letters need where they are bent, and nowhere else', () => {
    expect(stepAbout(step('curl', {}), null, 17204)).toMatch(/^17,204 triangles, from/);
    expect(stepAbout(step('curl', {}), null)).toMatch(/^from/);
    expect(stepAbout(step('drive', {}), null, 17204)).not.toContain('triangles');
  });

  it('offers what may stand more than once, and one of a kind only while it is missing', () => {
    const kinds = addable(all).map((a) => a.kind);
    expect(kinds).toEqual([
      'block',
      'emblem',
      'form',
      'drive',
      'follow',
      'drum',
      'swap',
      'shiver',
      'grow',
      'bend',
      'curl',
      'twist',
      'wave',
      'wrap',
      'ripple',
      'blast',
      'inflate',
      'pieces',
      'bodies',
      'become',
      'group',
      'material',
      'lights',
    ]);
    expect(addable([]).map((a) => a.kind)).toEqual(KINDS);
  });

  it.each([
    ['block', 1],
    ['drive', 4],
    ['lights', 24],
    ['camera', 26],
  ] as const)('puts a new %s at place %i of a usual recipe', (kind, place) => {
    expect(placeFor(all, kind)).toBe(place);
  });

  it('puts anything first into an empty recipe', () => {
    expect(placeFor([], 'drive')).toBe(0);
  });

  it('names a keyed value as keyed and a switched-off stage as nothing', () => {
    const keyed = { keys: [{ frame: 0, value: 30 }] };
    expect(stepAbout(step('camera', { lens: keyed, shutter: 180 }), null)).toContain('keyed');
    expect(stepAbout(step('stage', { floor: false, wall: false }), null)).toBe('nothing');
  });
});
