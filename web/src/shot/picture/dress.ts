import * as THREE from 'three';
import type { Surface } from '../draft';

const WHITE = new THREE.Color(1, 1, 1);

/** Give one of three's materials what it knows of a surface; textures and surroundings are grown on it. */
export function dress(material: THREE.MeshPhysicalMaterial, surface: Surface): THREE.MeshPhysicalMaterial {
  material.color.setRGB(...surface.colour, THREE.LinearSRGBColorSpace);
  material.metalness = surface.metal;
  material.roughness = Math.max(0.04, surface.roughness);
  material.ior = Math.min(surface.ior, 2.333);
  material.specularIntensity = surface.grazing;
  material.clearcoat = surface.coat;
  material.clearcoatRoughness = Math.max(0.04, surface.coat_roughness);
  material.sheen = surface.sheen;
  material.sheenColor.setRGB(1, 1, 1);
  material.sheenRoughness = 0.6;
  material.emissive.setRGB(...surface.glow, THREE.LinearSRGBColorSpace);
  material.anisotropy = surface.brushed; // see ROUGHNESSES
  material.anisotropyRotation = (surface.brush_turn * Math.PI) / 180;
  material.transmission = surface.transmission;
  material.thickness = surface.thin ? 0 : 0.2;
  material.attenuationColor.setRGB(...surface.colour, THREE.LinearSRGBColorSpace);
  material.attenuationDistance = surface.thin ? Number.POSITIVE_INFINITY : surface.tint_depth;
  if (surface.transmission > 0 && !surface.thin) material.color.lerp(WHITE, surface.transmission);
  material.opacity = surface.opacity;
  if (material.transparent !== surface.opacity < 1) {
    material.transparent = surface.opacity < 1;
    material.needsUpdate = true;
  }
  return material;
}
