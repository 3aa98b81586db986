/**
 * False contours inside soft shadows: even plateaus with steps between them, where light should fall off steadily
 * (the idea of Tandon et al. 2021, CAMBI: Contrast-aware Multiscale Banding Index, on the share of light).
 */
import { touchedPixels, type Rect } from './rect';

export interface Banding {
  /** Mean height of the steps between plateaus, share of the light 0…1. */
  step: number;
  /** Part of the soft shadow that lies in plateaus beside such a step, 0…1. */
  plateaus: number;
  /** Soft pixels that were judged. */
  pixels: number;
}

/** Neighbours that differ by less are even. */
const EVEN = 0.004;
/** Plateaus with fewer pixels than this between them are parted by a step. */
const SUDDEN = 3;
/** Pixels that must be even in a row to be a plateau. */
const LEAST_RUN = 3;

/**
 * @param lit share of light per pixel, 0…1
 * @param objects number of the object per pixel: what changes from one to another is no shadow
 */
export function shadowBands(
  lit: Float32Array,
  objects: Uint32Array,
  width: number,
  height: number,
  rect: Rect,
): Banding {
  const { x0, y0, x1, y1 } = touchedPixels(rect, width, height);
  const sums = { soft: 0, even: 0, steps: 0, stepSum: 0 };
  for (let y = y0; y < y1; y++) scan(lit, objects, y * width, 1, x0, x1, sums);
  for (let x = x0; x < x1; x++) scan(lit, objects, x, width, y0, y1, sums);
  return {
    step: sums.steps > 0 ? sums.stepSum / sums.steps : 0,
    plateaus: sums.soft > 0 ? sums.even / sums.soft : 0,
    pixels: sums.soft,
  };
}

/** One line of pixels: soft stretches that fall or rise steadily from dark to light. */
function scan(
  lit: Float32Array,
  objects: Uint32Array,
  base: number,
  stride: number,
  from: number,
  to: number,
  sums: { soft: number; even: number; steps: number; stepSum: number },
): void {
  const at = (i: number): number => lit[base + i * stride];
  const object = (i: number): number => objects[base + i * stride];
  let i = from;
  while (i < to) {
    while (i < to && !isSoft(at(i))) i++;
    const start = i;
    while (i < to && isSoft(at(i)) && object(i) === object(start)) i++;
    if (i - start < LEAST_RUN * 2 || Math.abs(at(i - 1) - at(start)) < 0.2) continue;
    sums.soft += i - start;
    let runStart = start;
    let last = { end: -Infinity, level: 0, length: 0, counted: false };
    for (let k = start + 1; k <= i; k++) {
      if (k < i && Math.abs(at(k) - at(k - 1)) < EVEN) continue;
      const length = k - runStart;
      if (length >= LEAST_RUN) {
        const run = { end: k, level: at(runStart), length, counted: false };
        // a smooth slope between two even places is a shadow's shape; a sudden one is a band
        if (runStart - last.end < SUDDEN) {
          sums.steps++;
          sums.stepSum += Math.abs(run.level - last.level);
          if (!last.counted) sums.even += last.length;
          sums.even += length;
          run.counted = true;
        }
        last = run;
      }
      runStart = k;
    }
  }
}

/** Between full shadow and full light. */
export function isSoft(v: number): boolean {
  return v > 0.02 && v < 0.98;
}
