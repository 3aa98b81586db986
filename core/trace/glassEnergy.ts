/**
 * Light that rough facets of glass pass on among themselves: what one scattering loses is given back in proportion, as
 * for mirrors (Turquin 2019, Practical Multiple Scattering Compensation for Microfacet Models), so that clear glass
 * takes nothing.
 */
import {
  discPoints,
  environmentReflectance,
  lookUpReflectance,
  MIN_ALPHA,
  schlickWeight,
  shadowedShare,
  visibleFacet,
} from '../raster/reflectance';

const SIDE = 24;
const SAMPLES = 256;
const tables = new Map<number, Float32Array>();
const pair = new Float64Array(2);

/**
 * Factor on everything that a face of glass mirrors and lets through.
 * @param entering the light is followed from outside
 */
export function glassBoost(solid: boolean, ior: number, entering: boolean, roughness: number, nv: number): number {
  if (!solid) {
    lookUpReflectance(environmentReflectance(), roughness, nv, pair);
    return 1 / (pair[0] + pair[1]);
  }
  const eta = entering ? 1 / ior : ior;
  let table = tables.get(eta);
  if (!table) {
    table = buildTable(eta);
    tables.set(eta, table);
  }
  const y = Math.min(SIDE - 1.001, roughness * (SIDE - 1));
  const x = Math.min(SIDE - 1.001, nv * (SIDE - 1));
  const [y0, x0] = [y | 0, x | 0];
  const [fy, fx] = [y - y0, x - x0];
  const p = y0 * SIDE + x0;
  const top = table[p] + (table[p + 1] - table[p]) * fx;
  const bottom = table[p + SIDE] + (table[p + SIDE + 1] - table[p + SIDE]) * fx;
  return 1 / (top + (bottom - top) * fy);
}

/** Share of light that one scattering keeps, by roughness (rows) and n·v. @param eta refractive index before over behind */
function buildTable(eta: number): Float32Array {
  const table = new Float32Array(SIDE * SIDE);
  const disc = discPoints(SAMPLES);
  const h = new Float64Array(3);
  const f0 = ((eta - 1) / (eta + 1)) ** 2;
  for (let r = 0; r < SIDE; r++) {
    const roughness = r / (SIDE - 1);
    const alpha = Math.max(MIN_ALPHA, roughness * roughness);
    for (let c = 0; c < SIDE; c++) {
      const nv = Math.max(0.02, c / (SIDE - 1));
      const vx = Math.sqrt(1 - nv * nv);
      let kept = 0;
      for (let s = 0; s < SAMPLES; s++) {
        visibleFacet(alpha, vx, 0, nv, disc[s * 3], disc[s * 3 + 1], disc[s * 3 + 2], h);
        const vh = vx * h[0] + nv * h[2];
        const cosT2 = 1 - eta * eta * (1 - vh * vh);
        // Schlick by the angle in the thinner medium, as in shading
        const f = cosT2 <= 0 ? 1 : f0 + (1 - f0) * schlickWeight(eta > 1 ? Math.sqrt(cosT2) : vh);
        const up = 2 * vh * h[2] - nv;
        if (up > 0) kept += f * shadowedShare(alpha, up, nv);
        if (cosT2 <= 0) continue;
        const below = eta * nv - (eta * vh - Math.sqrt(cosT2)) * h[2];
        if (below > 0) kept += (1 - f) * shadowedShare(alpha, below, nv);
      }
      table[r * SIDE + c] = kept / SAMPLES;
    }
  }
  return table;
}
