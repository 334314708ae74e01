import { describe, expect, it } from 'vitest';
import { nearestSide, type Point } from './board';
import { movedInProfile } from './section';

const INWARD: Point[] = [
  [0, 0],
  [0.4, 0.8],
  [0.7, 0.3],
  [1, 1],
];

describe('a drawn profile', () => {
  it('keeps a point between its neighbours while it runs inward and falls somewhere', () => {
    expect(movedInProfile(INWARD, 1, [0.9, 0.9])[1]).toEqual([0.7, 0.9]);
    expect(movedInProfile(INWARD, 3, [0.2, 1])[3]).toEqual([1, 1]);
    expect(movedInProfile(INWARD, 0, [0.3, 0.1])[0]).toEqual([0, 0.1]);
  });
  it('lets a point go outward where the profile always rises', () => {
    const rising: Point[] = [
      [0, 0],
      [0.8, 0.4],
      [1, 1],
    ];
    expect(movedInProfile(rising, 2, [0.3, 1])[2]).toEqual([0.3, 1]);
    expect(movedInProfile([...rising.slice(0, 2), [0.3, 1]], 1, [0.9, 2])[1]).toEqual([0.9, 1]);
  });
  it('keeps an undercut profile rising', () => {
    const undercut: Point[] = [
      [0, 0],
      [0.8, 0.4],
      [0.3, 1],
    ];
    expect(movedInProfile(undercut, 1, [0.5, -1])[1]).toEqual([0.5, 0]);
  });
});

it('a new point goes into the nearest side, as it is seen', () => {
  const square: Point[] = [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 1],
  ];
  expect(nearestSide(square, [0.5, -0.1], [1, 1], false)).toBe(0);
  expect(nearestSide(square, [0.05, 0.5], [1, 1], true)).toBe(3);
  expect(nearestSide(square, [0.05, 0.5], [1, 1], false)).not.toBe(3);
});
