import * as THREE from 'three';

const SHARPEST = 128;
const ROUGHEST = 4;
const FACES = 6;

/** What surrounds the title as the core sends it: a cube for each roughness, from a mirror down to the roughest, each
 *  half the size of the one before (six faces of half floats: red, green, blue and one). */
export function surroundings(body: ArrayBuffer): THREE.CubeTexture {
  const floats = new Uint16Array(body);
  let at = 0;
  return cubes((length) => {
    const part = floats.subarray(at, at + length);
    at += length;
    return part;
  });
}

/** The same light from everywhere. */
export function evenly(light: number): THREE.CubeTexture {
  const half = THREE.DataUtils.toHalfFloat(light);
  return cubes((length) => new Uint16Array(length).fill(half));
}

function cubes(take: (length: number) => Uint16Array): THREE.CubeTexture {
  const faces = Array.from({ length: FACES }, () => ({
    width: SHARPEST,
    height: SHARPEST,
    mipmaps: [] as { data: Uint16Array; width: number; height: number }[],
  }));
  for (let size = SHARPEST; size >= ROUGHEST; size /= 2) {
    for (const face of faces) {
      face.mipmaps.push({ data: take(size * size * 4), width: size, height: size });
    }
  }
  // The one kind of cube that takes its levels from outside; nothing in it is compressed.
  const made = new THREE.CompressedCubeTexture(
    faces as unknown as ConstructorParameters<typeof THREE.CompressedCubeTexture>[0],
    THREE.RGBAFormat as unknown as THREE.CompressedPixelFormat,
    THREE.HalfFloatType,
  );
  made.isPMREMTexture = true;
  made.minFilter = THREE.LinearMipmapLinearFilter;
  made.magFilter = THREE.LinearFilter;
  made.needsUpdate = true;
  return made as unknown as THREE.CubeTexture;
}
