// Reads a GLB: the Khronos validator's messages, and the volume that three's loader finds in it.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';

const require = createRequire(new URL('../../../web/package.json', import.meta.url));
const bytes = readFileSync(process.argv[2]);
const report = await require('gltf-validator').validateBytes(new Uint8Array(bytes));
const { GLTFLoader } = await import(require.resolve('three/addons/loaders/GLTFLoader.js'));
const { Vector3 } = await import(require.resolve('three').replace('three.cjs', 'three.module.js'));
globalThis.self = globalThis;
const gltf = await new GLTFLoader().parseAsync(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength), '');
gltf.scene.updateMatrixWorld(true);
let volume = 0;
let meshes = 0;
let textured = 0;
gltf.scene.traverse((node) => {
  if (!node.isMesh) return;
  const { position } = node.geometry.attributes;
  const { index } = node.geometry;
  meshes += 1;
  textured += node.geometry.attributes.uv ? 1 : 0;
  const at = (k) => new Vector3().fromBufferAttribute(position, index.getX(k)).applyMatrix4(node.matrixWorld);
  for (let k = 0; k < index.count; k += 3) volume += at(k).dot(at(k + 1).cross(at(k + 2))) / 6;
});
const names = gltf.scene.children.map((node) => node.name);
console.log(JSON.stringify({ issues: report.issues, volume, names, meshes, textured }));
