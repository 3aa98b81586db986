/**
 * What surfaces receive from the environment, worked out once per environment: irradiance as spherical harmonics, and
 * reflections blurred by roughness. Rows are independent, so threads share the work.
 */
import { cos, log2, sin } from '../math/exact';
import { octahedralDecode, squareToSphere } from '../math/octahedron';
import { projectIrradiance, SH_TERMS } from '../math/sh';
import { ENVIRONMENT_LEVELS, ENVIRONMENT_SIDE } from '../scene/compiled';
import type { EnvironmentPicture } from '../scene/source';
import type { EnvironmentSource } from './surroundings/document';
import { perpendiculars } from './sampleLight';
import { useStrength, type BlurredRadiance, type RadianceFunction } from './surroundings/kind';
import { kindOf } from './surroundings/kinds';

/** Two directions across another. */
const across = new Float64Array(6);

export const ENVIRONMENT_SH = SH_TERMS * 3;
export const ENVIRONMENT_MAP = ENVIRONMENT_LEVELS * ENVIRONMENT_SIDE * ENVIRONMENT_SIDE * 3;
/** One item more than there are rows: the irradiance. */
export const ENVIRONMENT_ITEMS = ENVIRONMENT_LEVELS * ENVIRONMENT_SIDE + 1;
const LOBE_SAMPLES = 48;

/** Does item `item` of ENVIRONMENT_ITEMS. @param sh ENVIRONMENT_SH numbers @param map ENVIRONMENT_MAP numbers */
export function createEnvironmentFiller(
  environment: EnvironmentSource,
  picture: EnvironmentPicture | null,
): (item: number, sh: Float32Array, map: Float32Array) => void {
  const light = useStrength(environment, 'light');
  const mirror = useStrength(environment, 'reflection');
  const kind = kindOf(environment);
  const reflected = kind.blurred(environment, picture, mirror);
  return (item, sh, map) => {
    if (item === ENVIRONMENT_ITEMS - 1) {
      if (light === 0) sh.fill(0);
      else sh.set(irradiance(kind.blurred(environment, picture, light)));
      return;
    }
    const level = Math.floor(item / ENVIRONMENT_SIDE);
    const from = item * ENVIRONMENT_SIDE * 3;
    if (mirror === 0) map.fill(0, from, from + ENVIRONMENT_SIDE * 3);
    else fillRow(reflected, level, item % ENVIRONMENT_SIDE, map, from);
  };
}

function irradiance({ at, harmonics }: BlurredRadiance): Float32Array {
  const seen: RadianceFunction = (x, y, z, out) => at(x, y, z, harmonics.lod, out);
  return projectIrradiance(seen, harmonics.side, squareToSphere);
}

/**
 * Radiance blurred by the GGX lobe of a level's roughness about the mirror direction (the split sum of Karis
 * 2013, SIGGRAPH course Physically Based Shading in Theory and Practice, with the view along the normal); samples read the picture blurred to their own width
 * (Křivánek & Colbert 2008, Real-time Shading with Filtered Importance Sampling).
 */
function fillRow(
  { at, pixelAngle }: BlurredRadiance,
  level: number,
  row: number,
  map: Float32Array,
  from: number,
): void {
  const side = ENVIRONMENT_SIDE;
  const roughness = level / (ENVIRONMENT_LEVELS - 1);
  const lobe = ggxLobe(roughness, level === 0 ? 1 : LOBE_SAMPLES, pixelAngle);
  for (let x = 0; x < side; x++) {
    octahedralDecode((x + 0.5) / side, (row + 0.5) / side, d);
    perpendiculars(d[0], d[1], d[2], across);
    const tx = across[0];
    const ty = across[1];
    const tz = across[2];
    const bx = across[3];
    const by = across[4];
    const bz = across[5];
    let [r, g, b, weight] = [0, 0, 0, 0];
    for (let s = 0; s < lobe.length; s += 4) {
      const lx = lobe[s];
      const ly = lobe[s + 1];
      const lz = lobe[s + 2];
      at(lx * tx + ly * bx + lz * d[0], lx * ty + ly * by + lz * d[1], lx * tz + ly * bz + lz * d[2], lobe[s + 3], rgb);
      r += rgb[0] * lz;
      g += rgb[1] * lz;
      b += rgb[2] * lz;
      weight += lz;
    }
    map[from + x * 3] = r / weight;
    map[from + x * 3 + 1] = g / weight;
    map[from + x * 3 + 2] = b / weight;
  }
}

const rgb = new Float64Array(3);
const d = new Float64Array(3);

/** Directions about +Z reflected at half vectors drawn from GGX (Walter et al. 2007), and the level each one reads. */
function ggxLobe(roughness: number, samples: number, pixelAngle: number): number[] {
  const alpha = Math.max(roughness * roughness, 1e-4);
  const a2 = alpha * alpha;
  // a texel of the table is itself this wide
  const texelAngle = (4 * Math.PI) / (ENVIRONMENT_SIDE * ENVIRONMENT_SIDE);
  const lobe: number[] = [];
  for (let s = 0; s < samples; s++) {
    const u = samples === 1 ? 0 : (s + 0.5) / samples;
    const phi = 2 * Math.PI * ((s * 0.6180339887498949) % 1);
    const c2 = (1 - u) / (1 + (a2 - 1) * u);
    const c = Math.sqrt(c2);
    const si = Math.sqrt(1 - c2);
    const lz = 2 * c * c - 1;
    if (lz <= 0) continue;
    const f = c2 * (a2 - 1) + 1;
    const density = a2 / (Math.PI * f * f) / 4;
    const angle = Math.max(texelAngle, samples === 1 ? 0 : 1 / (samples * density));
    lobe.push(2 * c * si * cos(phi), 2 * c * si * sin(phi), lz, Math.max(0, 0.5 * log2(angle / pixelAngle)));
  }
  return lobe;
}
