import { expect, test } from 'vitest';
import { inOrder, put } from './slate';

const card = (title: string, seconds: number, updated_at: string, texts: string[] = []) =>
  ({ title, seconds, updated_at, texts }) as Parameters<typeof inOrder>[0][number];
const CARDS = [
  card('Salt Roads 10', 3, '2026-01-02T00:00:00Z'),
  card('Salt Roads 2', 5, '2026-01-03T00:00:00Z'),
  card('Kestrel Tide', 4, '2026-01-01T00:00:00Z', ['Six Crossings']),
];
const titles = (wanted: string, order: Parameters<typeof inOrder>[2]) =>
  inOrder(CARDS, wanted, order).map(({ title }) => title);

test('shots are found by all words of what is looked for, in any case and order', () => {
  expect(titles('', 'own')).toEqual(['Salt Roads 10', 'Salt Roads 2', 'Kestrel Tide']);
  expect(titles('roads SALT', 'own')).toEqual(['Salt Roads 10', 'Salt Roads 2']);
  expect(titles('salt tide', 'own')).toEqual([]);
  expect(titles('kestrel CROSS', 'own')).toEqual(['Kestrel Tide']);
});

test('shots are sorted by name as numbers count, by length and by the last edit', () => {
  expect(titles('', 'name')).toEqual(['Kestrel Tide', 'Salt Roads 2', 'Salt Roads 10']);
  expect(titles('', 'length')).toEqual(['Salt Roads 2', 'Kestrel Tide', 'Salt Roads 10']);
  expect(titles('', 'edited')).toEqual(['Salt Roads 2', 'Salt Roads 10', 'Kestrel Tide']);
  expect(CARDS[0]?.title).toBe('Salt Roads 10');
});

test('a shot is put before another, or at the end', () => {
  expect(put(['a', 'b', 'c'], 'c', 'a')).toEqual(['c', 'a', 'b']);
  expect(put(['a', 'b', 'c'], 'a', null)).toEqual(['b', 'c', 'a']);
  expect(put(['a', 'b', 'c'], 'a', 'c')).toEqual(['b', 'a', 'c']);
  expect(put(['a', 'b', 'c'], 'b', 'gone')).toEqual(['a', 'b', 'c']);
});
