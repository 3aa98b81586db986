/**
 * Images with their mip chains in one array of 8-bit rgba texels, and the trilinear look-up.
 *
 * A texture is TEXTURE_STRIDE integers: level count, wrap s, wrap t, is-sRGB, then offset, width, height a level.
 * Coarse levels of all textures lie before the fine ones, so that a scene can be sketched before all of it is there.
 * Mips are box-filtered in linear light. A normal map's mips are renormalised and the lost length is kept in alpha,
 * from where shading widens the roughness (Toksvig 2005, Mipmapping Normal Maps).
 */
import { linearToSrgb, SRGB8_TO_LINEAR, UNIT8 } from '../math/color';
import type { ImageSource, Wrap } from './source';

const MAX_LEVELS = 15;
export const TEXTURE_STRIDE = 4 + MAX_LEVELS * 3;
const WRAPS: Wrap[] = ['repeat', 'mirror', 'clamp'];
export type TextureKind = 'color' | 'data' | 'normal';

/** Levels of at most so many texels are coarse. */
const COARSE_TEXELS = 256 * 256;

/** Bytes of the coarse and of the fine levels of some textures, or places among them. */
export interface TexelBytes {
  coarse: number;
  fine: number;
}

function isCoarse(width: number, height: number): boolean {
  return width * height <= COARSE_TEXELS;
}

/** Bytes of an image and all its mips. */
export function mipChainBytes(width: number, height: number): number {
  const { coarse, fine } = texelBytes(width, height);
  return coarse + fine;
}

export function texelBytes(width: number, height: number): TexelBytes {
  const bytes = { coarse: 0, fine: 0 };
  for (;;) {
    bytes[isCoarse(width, height) ? 'coarse' : 'fine'] += width * height * 4;
    if (width === 1 && height === 1) return bytes;
    width = Math.max(1, width >> 1);
    height = Math.max(1, height >> 1);
  }
}

/** Bytes at the beginning of the texels that hold all coarse levels. @param table of textures */
export function coarseBytes(table: Int32Array): number {
  let end = 0;
  for (let at = 0; at < table.length; at += TEXTURE_STRIDE)
    for (let k = at + 4; k < at + 4 + table[at] * 3; k += 3) {
      const [offset, width, height] = table.subarray(k, k + 3);
      if (isCoarse(width, height)) end = Math.max(end, offset + width * height * 4);
    }
  return end;
}

/** The same textures without their fine levels: their coarse ones are read wherever those would be. */
export function coarseTextures(table: Int32Array): Int32Array {
  const out = table.slice();
  for (let at = 0; at < table.length; at += TEXTURE_STRIDE) {
    let fine = 0;
    while (!isCoarse(table[at + 5 + fine * 3], table[at + 6 + fine * 3])) fine++;
    out[at] = table[at] - fine;
    out.copyWithin(at + 4, at + 4 + fine * 3, at + 4 + table[at] * 3);
  }
  return out;
}

/** How a picture becomes a texture. */
export interface TextureWay {
  kind: TextureKind;
  wrapS: Wrap;
  wrapT: Wrap;
  /**
   * Of an alpha mask, 0…1: the alpha of each mip is scaled so that as much of it passes as of the full image; null when
   * alpha is no mask.
   */
  cutoff: number | null;
  /** So many of its finest levels are left out. */
  halvings: number;
}

/** A picture's side after so many halvings. */
export function halved(side: number, times: number): number {
  return Math.max(1, side >> times);
}

/**
 * Writes an image's mip chain into `texels` and its record at `index` of `table`.
 * @param places in `texels` of the next coarse and the next fine level, moved on
 */
export function writeTexture(
  texels: Uint8Array,
  places: TexelBytes,
  table: Int32Array,
  index: number,
  image: Pick<ImageSource, 'width' | 'height' | 'pixels'>,
  { kind, wrapS, wrapT, cutoff, halvings }: TextureWay,
): void {
  const at = index * TEXTURE_STRIDE;
  table[at + 1] = WRAPS.indexOf(wrapS);
  table[at + 2] = WRAPS.indexOf(wrapT);
  table[at + 3] = kind === 'color' ? 1 : 0;
  const { pixels } = image;
  let { width, height } = image;
  const room = (w: number, h: number): [number, Uint8Array] => {
    const part = isCoarse(w, h) ? 'coarse' : 'fine';
    const from = places[part];
    places[part] += w * h * 4;
    return [from, texels.subarray(from, places[part])];
  };
  let [offset, level] = halvings === 0 ? room(width, height) : [0, pixels];
  if (halvings === 0) level.set(pixels);
  if (halvings === 0 && kind === 'normal') for (let i = 3; i < level.length; i += 4) level[i] = FULL;
  const coverage = cutoff === null ? 0 : maskCoverage(level, cutoff * 255, 1);
  let count = 0;
  for (let left = halvings; ; left--) {
    if (left <= 0) {
      table[at + 4 + count * 3] = offset;
      table[at + 5 + count * 3] = width;
      table[at + 6 + count * 3] = height;
      count++;
    }
    if ((width === 1 && height === 1) || count === MAX_LEVELS) break;
    const [w, h] = [halved(width, 1), halved(height, 1)];
    const [from, next] = left > 1 ? [0, new Uint8Array(w * h * 4)] : room(w, h);
    halve(level, width, height, next, w, h, kind, level === pixels);
    if (cutoff !== null) keepCoverage(next, cutoff * 255, coverage);
    [offset, level, width, height] = [from, next, w, h];
  }
  table[at] = count;
}

/** Share of texels whose alpha, times a factor, reaches the cutoff. */
function maskCoverage(level: Uint8Array, cutoff: number, factor: number): number {
  let passed = 0;
  for (let i = 3; i < level.length; i += 4) if (level[i] * factor >= cutoff) passed++;
  return passed / (level.length / 4);
}

/** Castaño 2010, Computing Alpha Mipmaps: averaged alphas fall under the cutoff, and far leaves would thin out. */
function keepCoverage(level: Uint8Array, cutoff: number, coverage: number): void {
  let low = 0;
  let high = 8;
  for (let step = 0; step < 12; step++) {
    const middle = (low + high) / 2;
    if (maskCoverage(level, cutoff, middle) < coverage) low = middle;
    else high = middle;
  }
  for (let i = 3; i < level.length; i += 4) level[i] = Math.min(255, Math.round(level[i] * high));
}

const SRGB_CODES = 4096;
const LINEAR_TO_SRGB8 = Uint8Array.from({ length: SRGB_CODES + 1 }, (_, i) =>
  Math.round(linearToSrgb(i / SRGB_CODES) * 255),
);

/** Length of a normal as it comes in a picture, whatever alpha that has. */
const FULL = 255;

/**
 * One mip level by averaging blocks of 2×2 (1×2, 2×1 at the thin end; the last row of an odd size is dropped).
 * @param first `from` is a picture as it came
 */
function halve(
  from: Uint8Array,
  fromWidth: number,
  fromHeight: number,
  to: Uint8Array,
  width: number,
  height: number,
  kind: TextureKind,
  first: boolean,
): void {
  const dx = fromWidth > 1 ? 4 : 0;
  const dy = fromHeight > 1 ? fromWidth * 4 : 0;
  const words = kind === 'color' && dx > 0 && dy > 0 && from.byteOffset % 4 === 0 ? wordsOf(from) : null;
  for (let y = 0; y < height; y++) {
    const row = y * (fromHeight > 1 ? 2 : 1) * fromWidth * 4;
    for (let x = 0; x < width; x++) {
      const a = row + x * (fromWidth > 1 ? 2 : 1) * 4;
      const b = a + dx;
      const c = a + dy;
      const d = a + dx + dy;
      const o = (y * width + x) * 4;
      if (kind === 'color') {
        if (!words || !meanOfOpaque(words, a >> 2, fromWidth, to, o)) meanColor(from, a, b, c, d, to, o);
      } else if (kind === 'data') {
        for (let k = 0; k < 4; k++) to[o + k] = (from[a + k] + from[b + k] + from[c + k] + from[d + k] + 2) >> 2;
      } else {
        halveNormal(from, a, b, c, d, to, o, first);
      }
    }
  }
}

/** Texels as numbers of 32 bits, alpha uppermost: most pictures are opaque, and four bytes at once take half of the time. */
function wordsOf(texels: Uint8Array): Uint32Array {
  return new Uint32Array(texels.buffer, texels.byteOffset, texels.length >> 2);
}
const SRGB8_TO_LINEAR64 = Float64Array.from(SRGB8_TO_LINEAR);

/** Mean of a texel, its neighbours to the right and below, and the one between these. @returns false where not all are opaque */
function meanOfOpaque(words: Uint32Array, at: number, width: number, to: Uint8Array, o: number): boolean {
  const a = words[at];
  const b = words[at + 1];
  const c = words[at + width];
  const d = words[at + width + 1];
  if ((a & b & c & d) >>> 24 !== 255) return false;
  const lut = SRGB8_TO_LINEAR64;
  // the same to the bit as by weights: a quarter of a sum is the sum of quarters
  const code = SRGB_CODES / 4;
  const red = lut[a & 255] + lut[b & 255] + lut[c & 255] + lut[d & 255];
  const green = lut[(a >>> 8) & 255] + lut[(b >>> 8) & 255] + lut[(c >>> 8) & 255] + lut[(d >>> 8) & 255];
  const blue = lut[(a >>> 16) & 255] + lut[(b >>> 16) & 255] + lut[(c >>> 16) & 255] + lut[(d >>> 16) & 255];
  to[o] = LINEAR_TO_SRGB8[(red * code + 0.5) | 0];
  to[o + 1] = LINEAR_TO_SRGB8[(green * code + 0.5) | 0];
  to[o + 2] = LINEAR_TO_SRGB8[(blue * code + 0.5) | 0];
  to[o + 3] = 255;
  return true;
}

/** Mean of four texels: what is cut away or clear has no say in the colour, or leaves would get dark rims. */
function meanColor(from: Uint8Array, a: number, b: number, c: number, d: number, to: Uint8Array, o: number): void {
  const lut = SRGB8_TO_LINEAR;
  const alpha = from[a + 3] + from[b + 3] + from[c + 3] + from[d + 3];
  const wa = alpha > 0 ? from[a + 3] / alpha : 0.25;
  const wb = alpha > 0 ? from[b + 3] / alpha : 0.25;
  const wc = alpha > 0 ? from[c + 3] / alpha : 0.25;
  const wd = alpha > 0 ? from[d + 3] / alpha : 0.25;
  to[o + 3] = (alpha + 2) >> 2;
  for (let k = 0; k < 3; k++) {
    const mean = lut[from[a + k]] * wa + lut[from[b + k]] * wb + lut[from[c + k]] * wc + lut[from[d + k]] * wd;
    to[o + k] = LINEAR_TO_SRGB8[Math.round(mean * SRGB_CODES)];
  }
}

function halveNormal(
  from: Uint8Array,
  a: number,
  b: number,
  c: number,
  d: number,
  to: Uint8Array,
  o: number,
  first: boolean,
): void {
  let x = 0;
  let y = 0;
  let z = 0;
  for (const p of [a, b, c, d]) {
    const nx = from[p] - 127.5;
    const ny = from[p + 1] - 127.5;
    const nz = from[p + 2] - 127.5;
    const s = (first ? FULL : from[p + 3]) / (Math.sqrt(nx * nx + ny * ny + nz * nz) || 1);
    x += nx * s;
    y += ny * s;
    z += nz * s;
  }
  const l = Math.sqrt(x * x + y * y + z * z) || 1;
  to[o] = Math.round(127.5 + (127.5 * x) / l);
  to[o + 1] = Math.round(127.5 + (127.5 * y) / l);
  to[o + 2] = Math.round(127.5 + (127.5 * z) / l);
  to[o + 3] = Math.min(255, Math.round(l / 4));
}

/**
 * Trilinear look-up.
 * @param lod level of detail: 0 the full image, 1 half its size …
 * @param out rgba, 0…1, linear, is written here
 */
export function sampleTexture(
  texels: Uint8Array,
  table: Int32Array,
  texture: number,
  u: number,
  v: number,
  lod: number,
  out: Float64Array,
): void {
  const at = texture * TEXTURE_STRIDE;
  const levels = table[at];
  const lut = table[at + 3] === 1 ? SRGB8_TO_LINEAR : UNIT8;
  if (!(lod > 0)) lod = 0;
  if (lod > levels - 1) lod = levels - 1;
  const base = lod | 0;
  const f = lod - base;
  out[0] = out[1] = out[2] = out[3] = 0;
  addBilinear(texels, table, at, base, u, v, lut, 1 - f, out);
  if (f > 0) addBilinear(texels, table, at, base + 1, u, v, lut, f, out);
}

function addBilinear(
  texels: Uint8Array,
  table: Int32Array,
  at: number,
  level: number,
  u: number,
  v: number,
  lut: Float32Array,
  weight: number,
  out: Float64Array,
): void {
  const offset = table[at + 4 + level * 3];
  const w = table[at + 5 + level * 3];
  const h = table[at + 6 + level * 3];
  const x = wrapCoordinate(u, table[at + 1]) * w - 0.5;
  const y = wrapCoordinate(v, table[at + 2]) * h - 0.5;
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const fx = x - x0;
  const fy = y - y0;
  const repeatS = table[at + 1] === 0;
  const repeatT = table[at + 2] === 0;
  const xa = x0 < 0 ? (repeatS ? w - 1 : 0) : x0;
  const xb = x0 + 1 >= w ? (repeatS ? 0 : w - 1) : x0 + 1;
  const ya = y0 < 0 ? (repeatT ? h - 1 : 0) : y0;
  const yb = y0 + 1 >= h ? (repeatT ? 0 : h - 1) : y0 + 1;
  const p00 = offset + (ya * w + xa) * 4;
  const p10 = offset + (ya * w + xb) * 4;
  const p01 = offset + (yb * w + xa) * 4;
  const p11 = offset + (yb * w + xb) * 4;
  const w11 = fx * fy * weight;
  const w10 = fx * weight - w11;
  const w01 = fy * weight - w11;
  const w00 = weight - w10 - w01 - w11;
  out[0] += lut[texels[p00]] * w00 + lut[texels[p10]] * w10 + lut[texels[p01]] * w01 + lut[texels[p11]] * w11;
  out[1] +=
    lut[texels[p00 + 1]] * w00 + lut[texels[p10 + 1]] * w10 + lut[texels[p01 + 1]] * w01 + lut[texels[p11 + 1]] * w11;
  out[2] +=
    lut[texels[p00 + 2]] * w00 + lut[texels[p10 + 2]] * w10 + lut[texels[p01 + 2]] * w01 + lut[texels[p11 + 2]] * w11;
  out[3] += (texels[p00 + 3] * w00 + texels[p10 + 3] * w10 + texels[p01 + 3] * w01 + texels[p11 + 3] * w11) * (1 / 255);
}

/** Brings a coordinate into [0, 1] by the wrap mode (0 repeat, 1 mirror, 2 clamp). */
function wrapCoordinate(t: number, mode: number): number {
  if (!(t - t === 0)) return 0; // NaN or infinite uvs read the first texel
  if (mode === 2) return t < 0 ? 0 : t > 1 ? 1 : t;
  const f = t - Math.floor(t);
  if (mode === 0) return f;
  return (Math.floor(t) & 1) === 0 ? f : 1 - f;
}
