/** Shapes that a title may be shown in besides its own, as they are usually named. */
export const ASPECTS: [string, number][] = [
  ['9:16', 9 / 16],
  ['4:5', 4 / 5],
  ['1:1', 1],
  ['4:3', 4 / 3],
  ['16:9', 16 / 9],
  ['1.85:1', 1.85],
  ['2.39:1', 2.39],
];

/** Where a frame of another shape lies in the middle of a frame, as large as it can: left, top, width and height in
 *  shares. */
export function within(other: number, aspect: number): [number, number, number, number] {
  const width = Math.min(1, other / aspect);
  const height = Math.min(1, aspect / other);
  return [(1 - width) / 2, (1 - height) / 2, width, height];
}
