import { expect, test } from 'vitest';
import { inOrder } from './slate';

const card = (title: string, seconds: number, updated_at: string) =>
  ({ title, seconds, updated_at }) as Parameters<typeof inOrder>[0][number];
const CARDS = [
  card('Salt Roads 10', 3, '2026-01-02T00:00:00Z'),
  card('Salt Roads 2', 5, '2026-01-03T00:00:00Z'),
  card('Kestrel Tide', 4, '2026-01-01T00:00:00Z'),
];
const titles = (wanted: string, order: Parameters<typeof inOrder>[2]) =>
  inOrder(CARDS, wanted, order).map(({ title }) => title);

test('shots are found by all words of what is looked for, in any case and order', () => {
  expect(titles('', 'made')).toEqual(['Salt Roads 10', 'Salt Roads 2', 'Kestrel Tide']);
  expect(titles('roads SALT', 'made')).toEqual(['Salt Roads 10', 'Salt Roads 2']);
  expect(titles('salt tide', 'made')).toEqual([]);
});

test('shots are sorted by name as numbers count, by length and by the last edit', () => {
  expect(titles('', 'name')).toEqual(['Kestrel Tide', 'Salt Roads 2', 'Salt Roads 10']);
  expect(titles('', 'length')).toEqual(['Salt Roads 2', 'Kestrel Tide', 'Salt Roads 10']);
  expect(titles('', 'edited')).toEqual(['Salt Roads 2', 'Salt Roads 10', 'Kestrel Tide']);
  expect(CARDS[0]?.title).toBe('Salt Roads 10');
});
