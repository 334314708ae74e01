/**
 * The core's picture (row 0 up, middle column towards -Z, columns to the right) as three wants it: row 0 down, and
 * u = atan2(z, x) / 2 pi + 0.5, in which the middle column looks along +X. So rows are flipped and columns moved by a
 * quarter: towards -Z, atan2 is -90 degrees, u = 0.25.
 */
export function toEquirect(rows: Uint16Array, width: number, height: number) {
  const out = new Uint16Array(rows.length);
  const quarter = width / 4;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const from = (y * width + ((x + quarter) % width)) * 4;
      const to = ((height - 1 - y) * width + x) * 4;
      for (let c = 0; c < 4; c++) out[to + c] = rows[from + c] as number;
    }
  }
  return out;
}
