import { expect, test } from 'vitest';
import { megabytes, roughly } from './amounts';

test('bytes are said in the unit that fits', () => {
  expect([900, 1_500_000, 2_400_000_000].map(megabytes)).toEqual(['1 kB', '1.5 MB', '2.4 GB']);
});

test('lengths of time are said as roughly as they are known', () => {
  expect([0.2, 42, 600, 7_300, 200_000].map(roughly)).toEqual([
    'a few seconds',
    '40 seconds',
    '10 minutes',
    '2 hours',
    '2 days',
  ]);
});
