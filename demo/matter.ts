/** What several scenes of Marrow Skerry Light are made of, and the colour of their lamps. */
import { blackBody } from '@daxel/core/math/color';
import type { MaterialSource } from '@daxel/core/scene/source';

export const PRISM_GLASS: Partial<MaterialSource> = {
  baseColor: [0.93, 0.985, 0.955, 1],
  transmission: 1,
  roughness: 0.03,
  ior: 1.52,
  // a faint bottle green over the length of a prism
  thickness: 0.03,
  attenuationColor: [0.9, 0.97, 0.94],
  attenuationDistance: 0.15,
};
export const PANE: Partial<MaterialSource> = {
  baseColor: [0.97, 0.99, 0.98, 1],
  transmission: 1,
  roughness: 0,
  doubleSided: true,
};
/** With normals of waves. */
export const SEA: Partial<MaterialSource> = { baseColor: [0.012, 0.022, 0.028, 1], roughness: 0.12, ior: 1.33 };
export const ROCK: Partial<MaterialSource> = { baseColor: [0.075, 0.07, 0.068, 1], roughness: 0.9 };
export const CAST_IRON: Partial<MaterialSource> = { baseColor: [0.055, 0.062, 0.06, 1], roughness: 0.5 };

/** Colour of a lamp, its largest part 1, as light colours are kept. */
export function tint(kelvin: number): [number, number, number] {
  const rgb = blackBody(kelvin);
  const top = Math.max(...rgb);
  return [rgb[0] / top, rgb[1] / top, rgb[2] / top];
}
