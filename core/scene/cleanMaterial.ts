/** Brings a material's numbers into the ranges that shading relies on (glTF 2.0 specification, section 5.19). */
import type { MaterialSource } from './source';

/** @returns a copy, and whether anything had to be changed */
export function cleanMaterial(m: MaterialSource): { material: MaterialSource; changed: boolean } {
  let changed = false;
  const within = (value: number, low: number, high: number, otherwise: number): number => {
    const kept = Number.isNaN(value) ? otherwise : Math.min(high, Math.max(low, value));
    if (kept !== value) changed = true;
    return kept;
  };
  const color = <T extends number[]>(values: T, high: number): T => values.map((v) => within(v, 0, high, 1)) as T;
  const material: MaterialSource = {
    ...m,
    baseColor: color([...m.baseColor], 1),
    metallic: within(m.metallic, 0, 1, 1),
    roughness: within(m.roughness, 0, 1, 1),
    normalScale: within(m.normalScale, -100, 100, 1),
    occlusionStrength: within(m.occlusionStrength, 0, 1, 1),
    emissive: color([...m.emissive], LARGEST_RADIANCE),
    alphaCutoff: within(m.alphaCutoff, 0, 1e6, 0.5),
    transmission: within(m.transmission, 0, 1, 0),
    ior: within(m.ior, 1, 10, 1.5),
    thickness: within(m.thickness, 0, 1e6, 0),
    attenuationColor: color([...m.attenuationColor], 1),
    attenuationDistance: within(m.attenuationDistance, 1e-6, Infinity, Infinity),
    specular: within(m.specular, 0, 1, 1),
    specularColor: color([...m.specularColor], 100),
  };
  return { material, changed };
}

/** Nit; the sun's disc has about 1.6e9. Sums of many samples stay far from the end of 32-bit floats. */
const LARGEST_RADIANCE = 1e12;
