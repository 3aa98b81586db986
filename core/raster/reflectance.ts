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
 * (the second half of the split sum, Karis 2013), integrated with 256 visible normals (Heitz 2018) a cell.
 * @returns SIDE × SIDE pairs (scale, offset); rows are roughness 0…1, columns √(n·v)
 */
export function environmentReflectance(): Float32Array {
  if (table) return table;
  table = new Float32Array(SIDE * SIDE * 2);
  const samples = 256;
  const disc = discPoints(samples);
  const h = new Float64Array(3);
  for (let r = 0; r < SIDE; r++) {
    const roughness = r / (SIDE - 1);
    const alpha = Math.max(MIN_ALPHA, roughness * roughness);
    for (let c = 0; c < SIDE; c++) {
      const nv = Math.max(1e-4, (c / (SIDE - 1)) ** 2);
      const vx = Math.sqrt(1 - nv * nv);
      let scale = 0;
      let offset = 0;
      for (let s = 0; s < samples; s++) {
        visibleFacet(alpha, vx, 0, nv, disc[s * 3], disc[s * 3 + 1], disc[s * 3 + 2], h);
        const vh = vx * h[0] + nv * h[2];
        const nl = 2 * vh * h[2] - nv;
        if (nl <= 0) continue;
        const weight = shadowedShare(alpha, nl, nv);
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

/** Points spread evenly over a disc, for `visibleFacet`: radius, cosine and sine, three numbers a point. */
export function discPoints(count: number): Float64Array {
  const out = new Float64Array(count * 3);
  for (let s = 0; s < count; s++) {
    const phi = 2 * Math.PI * ((s * 0.6180339887498949) % 1);
    out.set([Math.sqrt((s + 0.5) / count), cos(phi), sin(phi)], s * 3);
  }
  return out;
}

/**
 * A facet's normal as seen from a direction, in the frame where the surface's normal is z
 * (Heitz 2018, Sampling the GGX Distribution of Visible Normals).
 * @param u, v numbers in [0, 1)
 */
export function visibleNormal(
  alpha: number,
  vx: number,
  vy: number,
  vz: number,
  u: number,
  v: number,
  out: Float64Array,
): void {
  const phi = 2 * Math.PI * v;
  visibleFacet(alpha, vx, vy, vz, Math.sqrt(u), cos(phi), sin(phi), out);
}

/** The same from a point of the unit disc. @param r its radius @param cosine, sine of its angle */
export function visibleFacet(
  alpha: number,
  vx: number,
  vy: number,
  vz: number,
  r: number,
  cosine: number,
  sine: number,
  out: Float64Array,
): void {
  let x = vx * alpha;
  let y = vy * alpha;
  let z = vz;
  const l = 1 / Math.sqrt(x * x + y * y + z * z);
  x *= l;
  y *= l;
  z *= l;
  const flat = x * x + y * y;
  const k = flat > 1e-14 ? 1 / Math.sqrt(flat) : 0;
  const ax = flat > 1e-14 ? -y * k : 1;
  const ay = flat > 1e-14 ? x * k : 0;
  const bx = -z * ay;
  const by = z * ax;
  const bz = x * ay - y * ax;
  const a = r * cosine;
  const s = 0.5 * (1 + z);
  const b = (1 - s) * Math.sqrt(Math.max(0, 1 - a * a)) + s * r * sine;
  const c = Math.sqrt(Math.max(0, 1 - a * a - b * b));
  const nx = (a * ax + b * bx + c * x) * alpha;
  const ny = (a * ay + b * by + c * y) * alpha;
  const nz = Math.max(1e-6, b * bz + c * z);
  const n = 1 / Math.sqrt(nx * nx + ny * ny + nz * nz);
  out[0] = nx * n;
  out[1] = ny * n;
  out[2] = nz * n;
}

/** Share of the visible facets' light that leaves unshadowed: height-correlated Smith G2 over G1 (Heitz 2014). */
export function shadowedShare(alpha: number, nl: number, nv: number): number {
  const a2 = alpha * alpha;
  const toEye = Math.sqrt((nv - nv * a2) * nv + a2);
  const toLight = Math.sqrt((nl - nl * a2) * nl + a2);
  return (nl * (nv + toEye)) / (nl * toEye + nv * toLight);
}

/** Density of directions, per steradian, that mirroring at a visible normal gives: G1 D / (4 n·v). */
export function visibleDensity(alpha: number, nv: number, nh: number): number {
  const a2 = alpha * alpha;
  const f = (nh * a2 - nh) * nh + 1;
  return a2 / (Math.PI * f * f) / (2 * (nv + Math.sqrt((nv - nv * a2) * nv + a2)));
}

/** Reads the table at a roughness and cosine; writes scale and offset. */
export function lookUpReflectance(from: Float32Array, roughness: number, nv: number, out: Float64Array): void {
  const y = Math.min(SIDE - 1.001, roughness * (SIDE - 1));
  const x = Math.min(SIDE - 1.001, Math.sqrt(nv) * (SIDE - 1));
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
