/**
 * Contour layers in soft shadows as an eye sees them: light that rises in waves where it should rise steadily, at several
 * scales, weighted by the eye's sensitivity to them (the idea of Tandon et al. 2021, CAMBI: Contrast-aware Multiscale
 * Banding Index, on the share of light; sensitivity after Mannos & Sakrison 1974, The Effects of a Visual Fidelity
 * Criterion on the Encoding of Images).
 */
import { exp, log } from '../math/exact';
import { isSoft } from './banding';
import { PIXELS_PER_DEGREE } from './flip';
import { touchedPixels, type Rect } from './rect';

/** Pixels from one layer to the next that are looked for. */
const PERIODS = [4, 6, 8, 12, 16, 24, 32];
/** Every so many pixels across and down are judged. */
const STEP = 2;
/** Pixels to each side along a layer over which a wave must hold. */
const ALONG = 8;
/** Standard errors by which it must stand out of the grain. */
const SURE = 3;
/** Radius of the blur from which the way across the layers is told. */
const BLUR = 5;
/** Steepness below which light does not change: share of it a pixel. */
const FLAT = 0.0008;
/** Share of light by which it may fall where it rises on the whole. */
const FALL = 0.005;
/** Added to the light that a contrast is told by: surroundings light every shadow a little. */
const AROUND = 0.05;

export interface Contours {
  /** Contrast of the layers, weighted by sensitivity, as a mean over the soft shadow: 0.01 is seen. */
  contrast: number;
  /** Share of the rectangle that could be judged: soft shadow wide enough for waves. */
  share: number;
}

/**
 * @param lit share of light per pixel, 0…1
 * @param objects number of the object per pixel: what changes from one to another is no shadow
 */
export function shadowContours(
  lit: Float32Array,
  objects: Uint32Array,
  width: number,
  height: number,
  rect: Rect,
  pixelsPerDegree = PIXELS_PER_DEGREE,
): Contours {
  const { x0, y0, x1, y1 } = touchedPixels(rect, width, height);
  const weights = PERIODS.map((p) => sensitivity(pixelsPerDegree / p));
  const plane: Plane = { lit, objects, width, height };
  let sum = 0;
  let [pixels, judged, looked] = [0, 0, 0];
  for (let y = y0; y < y1; y += STEP)
    for (let x = x0; x < x1; x += STEP) {
      looked++;
      if (!isSoft(lit[y * width + x])) continue;
      const slope = slopeAt(plane, x, y);
      if (!slope) continue;
      pixels++;
      // null at all scales where the soft shadow is too narrow for any
      const waves = PERIODS.map((period) => waveAt(plane, x, y, slope, period));
      if (waves.some((wave) => wave !== null)) judged++;
      sum += Math.max(...waves.map((wave, k) => weights[k] * (wave ?? 0)));
    }
  return { contrast: pixels > 0 ? sum / pixels : 0, share: looked > 0 ? judged / looked : 0 };
}

interface Plane {
  lit: Float32Array;
  objects: Uint32Array;
  width: number;
  height: number;
}

/** Unit vector across the layers, from a blurred picture; null where light does not change. */
function slopeAt({ lit, width, height }: Plane, x: number, y: number): { x: number; y: number } | null {
  if (x < BLUR || y < BLUR || x >= width - BLUR || y >= height - BLUR) return null;
  let [sx, sy, all] = [0, 0, 0];
  for (let j = -BLUR; j <= BLUR; j++)
    for (let i = -BLUR; i <= BLUR; i++) {
      const v = lit[(y + j) * width + x + i];
      sx += i * v;
      sy += j * v;
      all += i * i;
    }
  const length = Math.sqrt(sx * sx + sy * sy);
  return length / all < FLAT ? null : { x: sx / length, y: sy / length };
}

/**
 * Contrast of waves of a period: the fourth difference across the layers, which any steady rise leaves at nothing, as a mean
 * along the layer; 0 where the grain alone could make it, null where the window leaves the soft shadow.
 */
function waveAt(plane: Plane, x: number, y: number, slope: { x: number; y: number }, period: number): number | null {
  const h = period / 2;
  const along = Math.min(ALONG, period);
  let [n, sum, squares, light] = [0, 0, 0, 0];
  profile.fill(0);
  for (let t = -along; t <= along; t++) {
    const [px, py] = [x - slope.y * t, y + slope.x * t];
    let wave = 0;
    for (let k = -2; k <= 2; k++) {
      const v = sampleAt(plane, px + slope.x * h * k, py + slope.y * h * k, x, y);
      if (v === null) return null;
      wave += BINOMIAL[k + 2] * v;
      light += v / 5;
      profile[k + 2] += v;
    }
    sum += wave / 16;
    squares += (wave / 16) ** 2;
    n++;
  }
  const mean = sum / n;
  const error = Math.sqrt(Math.max(0, squares / n - mean * mean) / (n - 1));
  if (Math.abs(mean) <= SURE * error) return 0;
  // layers lie in light that rises; what rises and falls is the shadow of a fence
  for (let k = 1; k < 5; k++) if (profile[k] - profile[k - 1] < -FALL * n) return 0;
  return Math.abs(mean) / (light / n + AROUND);
}
const BINOMIAL = [1, -4, 6, -4, 1];
const profile = new Float64Array(5);

/** Light between four pixels; null outside of the soft shadow on the object of pixel (x, y). */
function sampleAt({ lit, objects, width, height }: Plane, px: number, py: number, x: number, y: number): number | null {
  const [i, j] = [Math.floor(px), Math.floor(py)];
  if (i < 0 || j < 0 || i >= width - 1 || j >= height - 1) return null;
  const at = j * width + i;
  const object = objects[y * width + x];
  if (objects[at] !== object || objects[at + width + 1] !== object) return null;
  const [fx, fy] = [px - i, py - j];
  const top = lit[at] * (1 - fx) + lit[at + 1] * fx;
  const v = top * (1 - fy) + (lit[at + width] * (1 - fx) + lit[at + width + 1] * fx) * fy;
  return isSoft(v) ? v : null;
}

/** How well the eye sees waves of so many cycles a degree, 1 at best. */
function sensitivity(cycles: number): number {
  const f = 0.114 * cycles;
  return (2.6 * (0.0192 + f) * exp(-exp(1.1 * log(f)))) / 0.98;
}
