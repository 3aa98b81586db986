/**
 * Stepping of motion blur: n instants of the open shutter leave n copies of a moving edge, spacing |motion| · open / n
 * apart, where a continuous shutter leaves a ramp. A shutter that is open evenly over a trail of length T passes nothing
 * of the spatial frequencies k / T along the motion (its transfer is sinc(f T)); one of n instants passes all of n / T.
 * So whatever a single frame shows at n / T along its own motion is stepping, of edges and of textures alike. What stands
 * still or is broad-band shows as much at (n ± 1) / T, where a comb has its zeros: half the sum of these two is taken off.
 */
import { cos, sin } from '../math/exact';
import { cubicAt } from './stability/sample';

export interface SteppingInput {
  width: number;
  height: number;
  /** Display-linear luminance, 0 black … 1 white. */
  luminance: Float32Array;
  /** Pixels right and down to the next frame, two a pixel; NaN where unknown. */
  motion: Float32Array;
  /** Share of the time between frames for which the shutter is open, 0…1. */
  open: number;
  /** Instants of the open shutter. */
  instants: number;
}

export interface SteppingFigures {
  /** Amplitude of the comb at the worst place, as a share of the light around it. */
  contrast: number;
  /** Distance of the copies there, pixels. */
  spacing: number;
  /** The worst place. */
  x: number;
  y: number;
  /** Share of the picture that moves far enough to be measured. */
  coverage: number;
}

/** Copies closer than this are one: the pixel does not tell them apart. */
const CLOSEST = 2;
/** Trails shorter than this are no blur to speak of, pixels. */
const TRAIL = 3;
/** Trails longer than this are looked at in their middle only, pixels. */
const LONGEST = 128;
/** Every so many pixels across and down is looked at; more sparsely where most of the picture moves. */
const FINE = 2;
const COARSE = 4;
const MOST_POINTS = 30_000;
/** Looked-at points on either side that a value is the mean of. */
const BESIDE = 4;
const turning = new Float64Array(16);
const sums = new Float64Array(6);
/** Light of a black display, as a share of white. */
const BLACK = 0.005;
/** Contrast of a comb that is seen: the eye's best for gratings at rest, doubled since it moves. */
export const VISIBLE_STEPPING = 0.01;

/** @returns null where nothing leaves a trail, or where one instant leaves no copies of it */
export function measureStepping(input: SteppingInput): SteppingFigures | null {
  const { width, height, motion, open, instants } = input;
  if (instants < 2 || open <= 0) return null;
  const every = movingPixels(motion, (CLOSEST * instants) / open) > MOST_POINTS * FINE ** 2 ? COARSE : FINE;
  const across = Math.floor(width / every);
  const down = Math.floor(height / every);
  const map = new Float32Array(across * down).fill(NaN);
  let count = 0;
  let longest: { trail: number; x: number; y: number } | null = null;
  const trailAt = (gx: number, gy: number): [number, number, number] => {
    const i = (gy * width + gx) * every * 2;
    const speed = Math.sqrt(motion[i] ** 2 + motion[i + 1] ** 2);
    return [motion[i] / speed, motion[i + 1] / speed, speed * open];
  };
  for (let gy = 1; gy < down; gy++)
    for (let gx = 1; gx < across; gx++) {
      const [ux, uy, trail] = trailAt(gx, gy);
      // copies that close are one: there is a trail, and it is even
      if (trail >= TRAIL && !(trail <= (longest?.trail ?? 0))) longest = { trail, x: gx * every, y: gy * every };
      if (!(trail / instants >= CLOSEST)) continue;
      const contrast = comb(input, gx * every, gy * every, ux, uy, trail);
      map[gy * across + gx] = contrast;
      if (!Number.isNaN(contrast)) count++;
    }
  if (count === 0 && !longest) return null;
  if (count === 0)
    return { contrast: 0, spacing: longest!.trail / instants, x: longest!.x, y: longest!.y, coverage: 0 };
  let worst: SteppingFigures = {
    contrast: -1,
    spacing: 0,
    x: 0,
    y: 0,
    coverage: (count * every ** 2) / (width * height),
  };
  for (let gy = 1; gy < down; gy++)
    for (let gx = 1; gx < across; gx++) {
      if (Number.isNaN(map[gy * across + gx])) continue;
      const [ux, uy, trail] = trailAt(gx, gy);
      const contrast = besideMean(map, across, down, gx, gy, ux, uy);
      if (contrast > worst.contrast)
        worst = { ...worst, contrast, spacing: trail / instants, x: gx * every, y: gy * every };
    }
  return worst;
}

/** @param least pixels to the next frame */
function movingPixels(motion: Float32Array, least: number): number {
  let count = 0;
  for (let i = 0; i < motion.length; i += 2) if (motion[i] ** 2 + motion[i + 1] ** 2 >= least * least) count++;
  return count;
}

/**
 * Mean along the edge, which lies across the motion: copies at whole pixels alias with the pixels' own raster by an amount
 * that depends on where in the pixel they fall, and along an edge that is not quite upright all places occur (as in the
 * slanted-edge method, ISO 12233).
 */
function besideMean(
  map: Float32Array,
  across: number,
  down: number,
  gx: number,
  gy: number,
  ux: number,
  uy: number,
): number {
  let sum = 0;
  for (let k = -BESIDE; k <= BESIDE; k++) {
    const x = Math.round(gx - uy * k);
    const y = Math.round(gy + ux * k);
    if (x < 0 || y < 0 || x >= across || y >= down) continue;
    const v = map[y * across + x];
    if (!Number.isNaN(v)) sum += v;
  }
  // what is smaller than that counts for less, as it does to the eye
  return sum / (2 * BESIDE + 1);
}

/**
 * Amplitude of the comb of one point's trail over the light around it.
 * @param ux @param uy unit vector of the motion @param trail its length, pixels
 * @returns NaN where the trail leaves the picture
 */
function comb(input: SteppingInput, x: number, y: number, ux: number, uy: number, trail: number): number {
  const { width, height, luminance, instants } = input;
  const spacing = trail / instants;
  // a whole number of copies on either side of the middle
  const reach = Math.min(trail, Math.floor(LONGEST / spacing) * spacing);
  const half = Math.ceil(reach);
  for (const end of [-half, half]) {
    const [px, py] = [x + ux * end, y + uy * end];
    if (px < 2 || py < 2 || px > width - 4 || py > height - 4) return NaN;
  }
  const at = (j: number): number => cubicAt(luminance, width, x + ux * j, y + uy * j);
  // angles advance by even steps: turned on from sample to sample, three waves and the window
  const rates = [instants - 1, instants, instants + 1].map((m) => (2 * Math.PI * m) / trail);
  rates.push(Math.PI / reach);
  rates.forEach((rate, m) => {
    turning[m * 4] = cos(rate * (0.5 - half));
    turning[m * 4 + 1] = sin(rate * (0.5 - half));
    turning[m * 4 + 2] = cos(rate);
    turning[m * 4 + 3] = sin(rate);
  });
  sums.fill(0);
  let before = at(-half);
  let mean = before / 2;
  for (let j = -half; j < half; j++) {
    const value = at(j + 1);
    // Hann's window: 1 in the middle and 0 at `reach`
    const slope = Math.abs(j + 0.5) < reach ? (value - before) * (0.5 + 0.5 * turning[12]) : 0;
    mean += j + 1 < half ? value : value / 2;
    before = value;
    for (let m = 0; m < 16; m += 4) {
      const [c, s] = [turning[m], turning[m + 1]];
      if (m < 12) {
        sums[m >> 1] += slope * c;
        sums[(m >> 1) + 1] += slope * s;
      }
      turning[m] = c * turning[m + 2] - s * turning[m + 3];
      turning[m + 1] = s * turning[m + 2] + c * turning[m + 3];
    }
  }
  mean /= 2 * half;
  const power = [0, 1, 2].map((m) => Math.sqrt(sums[m * 2] ** 2 + sums[m * 2 + 1] ** 2));
  const over = Math.max(0, power[1] - (power[0] + power[2]) / 2);
  // a step of height 1 would leave this much, after a pixel's width and the difference of two neighbours
  // where the window holds the whole trail it depends on their number alone
  const gain = reach === trail ? wholeGain(instants) : edgeGain(instants, spacing, reach);
  const filter = sinc(1 / spacing);
  const step = over / (gain * filter * filter);
  return (step * filter) / (Math.PI * instants) / (mean + BLACK);
}

const gains = new Map<number, number>();
function wholeGain(instants: number): number {
  let gain = gains.get(instants);
  if (gain === undefined) gains.set(instants, (gain = edgeGain(instants, 1, instants)));
  return gain;
}

/** What n copies of an edge of height 1 in the middle of the window come to, beyond their two neighbours in frequency. */
function edgeGain(instants: number, spacing: number, reach: number): number {
  const at = (m: number): number => {
    let [re, im] = [0, 0];
    for (let k = 0; k < instants; k++) {
      const place = (k + 0.5 - instants / 2) * spacing;
      const phase = (2 * Math.PI * m * place) / (instants * spacing);
      const w = window(place, reach) / instants;
      re += w * cos(phase);
      im += w * sin(phase);
    }
    return Math.sqrt(re * re + im * im);
  };
  return at(instants) - (at(instants - 1) + at(instants + 1)) / 2;
}

/** Hann's, 1 in the middle and 0 at `reach`. */
function window(place: number, reach: number): number {
  if (Math.abs(place) >= reach) return 0;
  const c = cos((Math.PI * place) / (2 * reach));
  return c * c;
}

function sinc(x: number): number {
  return x === 0 ? 1 : sin(Math.PI * x) / (Math.PI * x);
}
