import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { evenly, surroundings } from './surround';

const SIZES = [128, 64, 32, 16, 8, 4];
const LENGTH = SIZES.reduce((sum, size) => sum + 6 * size * size * 4, 0);

interface Face {
  mipmaps: { data: Uint16Array; width: number; height: number }[];
}

describe('what surrounds the title', () => {
  it('comes as six faces a level, one level after the other, and is not copied', () => {
    const floats = new Uint16Array(LENGTH).map((_, k) => k);
    const faces = surroundings(floats.buffer).image as unknown as Face[];
    expect(faces).toHaveLength(6);
    let at = 0;
    SIZES.forEach((size, level) => {
      for (const face of faces) {
        const part = face.mipmaps[level];
        expect([part?.width, part?.height]).toEqual([size, size]);
        expect(part?.data.buffer).toBe(floats.buffer);
        expect(part?.data.byteOffset).toBe(at * 2);
        expect(part?.data).toHaveLength(size * size * 4);
        at += size * size * 4;
      }
    });
    expect(at).toBe(LENGTH);
  });

  it('is taken for prepared, so that nothing is worked out in the page', () => {
    const even = evenly(0.5);
    expect(even.isPMREMTexture).toBe(true);
    const [face] = even.image as unknown as Face[];
    expect(THREE.DataUtils.fromHalfFloat(face?.mipmaps[5]?.data[7] ?? 0)).toBe(0.5);
  });
});
