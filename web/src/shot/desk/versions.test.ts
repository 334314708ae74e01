import { expect, it } from 'vitest';
import type { Step } from '../open/state';
import { swapped } from './versions';

const step = (more: object) => ({ kind: 'follow', id: 'f', name: 'Follow', on: true, ...more }) as Step;

it('begins a second version like the first, under the same id', () => {
  const second = swapped(step({ version: 'A', aside: null, tempo: 2 }));
  expect(second).toEqual(
    step({ version: 'B', tempo: 2, aside: { kind: 'follow', name: 'Follow', on: true, tempo: 2 } }),
  );
});

it('puts each version aside as it was, there and back', () => {
  const first = step({ version: 'A', aside: null, tempo: 2 });
  const second = { ...swapped(first), tempo: 5 } as Step;
  const again = swapped(second);
  expect(again).toMatchObject({ id: 'f', version: 'A', tempo: 2 });
  expect(swapped(again)).toEqual(second);
});
