/**
 * Glow of a lens: a share of the light is spread over ever wider, ever fainter discs.
 * Levels are halved with a 4×4 tent and doubled back bilinearly (after Jimenez 2014, Next Generation Post Processing).
 */

export interface Glow {
  width: number;
  height: number;
  /** rgb per pixel of the half-size picture; the mean of all levels. */
  rgb: Float32Array;
}

/** Share of the wider levels at each. */
export const WIDER = 0.62;
const MOST_LEVELS = 7;
/** Levels of fewer pixels a side are not halved. */
const LEAST = 5;

/** Size of each level, from the half-size one on, and where it starts when they lie one behind the other: numbers. */
export function glowLevels(width: number, height: number): { width: number; height: number; at: number }[] {
  const levels = [];
  let at = 0;
  do {
    width = Math.max(1, width >> 1);
    height = Math.max(1, height >> 1);
    levels.push({ width, height, at });
    at += width * height * 3;
  } while (levels.length < MOST_LEVELS && Math.min(width, height) >= LEAST);
  return levels;
}

/** Numbers of all levels. */
export function glowNumbers(width: number, height: number): number {
  const last = glowLevels(width, height).at(-1)!;
  return last.at + last.width * last.height * 3;
}

/**
 * @param beauty rgb per pixel
 * @returns the glow at half size; light is conserved up to the borders
 */
export function spreadGlow(beauty: Float32Array, width: number, height: number): Glow {
  let from: Glow = { width, height, rgb: beauty };
  const levels = glowLevels(width, height).map(() => (from = halve(from)));
  let wide = levels[levels.length - 1];
  for (let l = levels.length - 2; l >= 0; l--) wide = addDoubled(levels[l], wide, WIDER);
  return wide;
}

function halve(from: Glow): Glow {
  const width = Math.max(1, from.width >> 1);
  const height = Math.max(1, from.height >> 1);
  const rgb = new Float32Array(width * height * 3);
  const weights = [1 / 8, 3 / 8, 3 / 8, 1 / 8];
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const o = (y * width + x) * 3;
      for (let j = 0; j < 4; j++) {
        const sy = Math.min(from.height - 1, Math.max(0, 2 * y + j - 1));
        for (let i = 0; i < 4; i++) {
          const sx = Math.min(from.width - 1, Math.max(0, 2 * x + i - 1));
          const w = weights[i] * weights[j];
          const p = (sy * from.width + sx) * 3;
          rgb[o] += from.rgb[p] * w;
          rgb[o + 1] += from.rgb[p + 1] * w;
          rgb[o + 2] += from.rgb[p + 2] * w;
        }
      }
    }
  }
  return { width, height, rgb };
}

/** (1 − share) · sharp + share · wide, at the size of `sharp`. */
function addDoubled(sharp: Glow, wide: Glow, share: number): Glow {
  const rgb = new Float32Array(sharp.rgb.length);
  const sample = new Float64Array(3);
  for (let y = 0; y < sharp.height; y++) {
    for (let x = 0; x < sharp.width; x++) {
      glowAt(wide, (x + 0.5) / sharp.width, (y + 0.5) / sharp.height, sample);
      const o = (y * sharp.width + x) * 3;
      for (let c = 0; c < 3; c++) rgb[o + c] = sharp.rgb[o + c] * (1 - share) + sample[c] * share;
    }
  }
  return { width: sharp.width, height: sharp.height, rgb };
}

/** Bilinear look-up; u and v are 0…1 over the picture. */
export function glowAt(glow: Glow, u: number, v: number, out: Float64Array): void {
  const x = Math.min(glow.width - 1, Math.max(0, u * glow.width - 0.5));
  const y = Math.min(glow.height - 1, Math.max(0, v * glow.height - 0.5));
  const x0 = x | 0;
  const y0 = y | 0;
  const x1 = x0 + 1 < glow.width ? x0 + 1 : x0;
  const y1 = y0 + 1 < glow.height ? y0 + 1 : y0;
  const fx = x - x0;
  const fy = y - y0;
  for (let c = 0; c < 3; c++) {
    const a = glow.rgb[(y0 * glow.width + x0) * 3 + c];
    const b = glow.rgb[(y0 * glow.width + x1) * 3 + c];
    const d = glow.rgb[(y1 * glow.width + x0) * 3 + c];
    const e = glow.rgb[(y1 * glow.width + x1) * 3 + c];
    out[c] = (a + (b - a) * fx) * (1 - fy) + (d + (e - d) * fx) * fy;
  }
}
