/**
 * The material model, shared by every method: Lambert base under a GGX coat, metalness blend
 * (glTF 2.0 specification, appendix B).
 */
import { cos, sin } from '../math/exact';

/** Below this the GGX peak is narrower than any light or pixel can show. */
export const MIN_ALPHA = 0.0016;

/** GGX distribution times height-correlated Smith visibility (Heitz 2014), per steradian. */
export function ggx(alpha: number, nl: number, nv: number, nh: number): number {
  const a2 = alpha * alpha;
  const f = (nh * a2 - nh) * nh + 1;
  const d = a2 / (Math.PI * f * f);
  const v = 0.5 / (nl * Math.sqrt((nv - nv * a2) * nv + a2) + nv * Math.sqrt((nl - nl * a2) * nl + a2));
  return d * v;
}

/** Weight of grazing reflectance, (1 − cos)⁵ (Schlick 1994). */
export function schlickWeight(cosine: number): number {
  const m = 1 - cosine < 0 ? 0 : 1 - cosine > 1 ? 1 : 1 - cosine;
  const m2 = m * m;
  return m2 * m2 * m;
}

/** Toksvig 2005: the alpha of a surface whose normals, averaged over a texel, have this length. */
export function widenAlpha(alpha: number, normalLength: number): number {
  if (normalLength >= 1) return alpha;
  const variance = (1 - normalLength) / normalLength;
  return Math.min(1, Math.sqrt(alpha * alpha + variance));
}

const SIDE = 32;
let table: Float32Array | null = null;

/**
 * Reflected share of a white environment for F0 = 1 split in scale and offset, by roughness and cosine
 * (the second half of the split sum, Karis 2013), integrated with 128 half vectors a cell.
 * @returns SIDE × SIDE pairs (scale, offset); rows are roughness 0…1, columns n·v
 */
export function environmentReflectance(): Float32Array {
  if (table) return table;
  table = new Float32Array(SIDE * SIDE * 2);
  const samples = 128;
  for (let r = 0; r < SIDE; r++) {
    const roughness = r / (SIDE - 1);
    const alpha = Math.max(MIN_ALPHA, roughness * roughness);
    for (let c = 0; c < SIDE; c++) {
      const nv = Math.max(0.01, c / (SIDE - 1));
      const vx = Math.sqrt(1 - nv * nv);
      let scale = 0;
      let offset = 0;
      for (let s = 0; s < samples; s++) {
        const u = (s + 0.5) / samples;
        const phi = 2 * Math.PI * ((s * 0.6180339887498949) % 1);
        const ch2 = (1 - u) / (1 + (alpha * alpha - 1) * u);
        const nh = Math.sqrt(ch2);
        const hx = Math.sqrt(1 - ch2) * cos(phi);
        const hy = Math.sqrt(1 - ch2) * sin(phi);
        const vh = Math.max(1e-4, vx * hx + nv * nh);
        const lx = 2 * vh * hx - vx;
        const ly = 2 * vh * hy;
        const nl = 2 * vh * nh - nv;
        if (nl <= 0 || lx * lx + ly * ly > 4) continue;
        const a2 = alpha * alpha;
        const visible = 0.5 / (nl * Math.sqrt((nv - nv * a2) * nv + a2) + nv * Math.sqrt((nl - nl * a2) * nl + a2));
        const weight = (4 * visible * nl * vh) / nh;
        const f = schlickWeight(vh);
        scale += (1 - f) * weight;
        offset += f * weight;
      }
      table[(r * SIDE + c) * 2] = scale / samples;
      table[(r * SIDE + c) * 2 + 1] = offset / samples;
    }
  }
  return table;
}

/** Reads the table at a roughness and cosine; writes scale and offset. */
export function lookUpReflectance(from: Float32Array, roughness: number, nv: number, out: Float64Array): void {
  const y = Math.min(SIDE - 1.001, roughness * (SIDE - 1));
  const x = Math.min(SIDE - 1.001, nv * (SIDE - 1));
  const y0 = y | 0;
  const x0 = x | 0;
  const fy = y - y0;
  const fx = x - x0;
  const p = (y0 * SIDE + x0) * 2;
  const q = p + SIDE * 2;
  const scaleTop = from[p] + (from[p + 2] - from[p]) * fx;
  const scaleBottom = from[q] + (from[q + 2] - from[q]) * fx;
  const offsetTop = from[p + 1] + (from[p + 3] - from[p + 1]) * fx;
  const offsetBottom = from[q + 1] + (from[q + 3] - from[q + 1]) * fx;
  out[0] = scaleTop + (scaleBottom - scaleTop) * fy;
  out[1] = offsetTop + (offsetBottom - offsetTop) * fy;
}
