/**
 * Temporal accumulation: what earlier frames saw of a point is carried along its motion and averaged with what this frame
 * sees. History of what was hidden is dropped; what differs from the neighbourhood is drawn towards it
 * (Salvi 2016, An Excursion in Temporal Supersampling: variance clipping), and it is read by a cubic, which does not
 * soften it further in every frame (Catmull & Rom 1974). All of that happens in light that is compressed near white
 * (after Karis 2014, High-Quality Temporal Supersampling): one glint a hundred times as bright as white would outweigh
 * all frames without it, and ring; below three quarters of white light is averaged as it is. Layer by layer, so that layers
 * still sum to the picture.
 */
import { cubicWeights } from '../measure/stability/sample';
import { luminance } from '../math/color';
import { LIGHT_NUMBERS, SUMS } from '../light/components';
import type { PointMotion } from './motion';

/** Numbers of a pixel's sums that are carried: light, coverage, lit share. */
const CARRIED = LIGHT_NUMBERS + 2;
/** Place in a record where the number of frames in it stands. */
export const H_FRAMES = CARRIED;
/** Share of the distance by which a point may lie off where it was and still be the same. */
const SAME_DEPTH = 0.03;
/** Pixels around a place in which the same thing is looked for: samples may lie one aside in either frame. */
const AROUND = 2;

export interface HistoryInput {
  width: number;
  height: number;
  /** Of this frame, and by how many samples its sums are to be divided. */
  sums: Float32Array;
  samples: number;
  depth: Float32Array;
  objectId: Uint32Array;
  /** SUMS numbers a pixel, compressed: what is carried over, and what becomes of it. */
  before: Float32Array;
  after: Float32Array;
  depthBefore: Float32Array;
  idBefore: Uint32Array;
  /** To the frame before; null for the first frame. */
  motion: PointMotion | null;
  /** Luminance that is displayed as white. */
  white: number;
  /** Frames that count at most. */
  length: number;
  /** Standard deviations of the neighbourhood that history may lie away from its mean. */
  clip: number;
  /** Cubic instead of linear reading. */
  sharp: boolean;
}

const to = new Float64Array(3);
const carried = new Float64Array(CARRIED + 1);
const now = new Float64Array(CARRIED);
const weights = new Float64Array(8);

/** Fills rows `first` … `end − 1` of `after` from this frame and `before`. */
export function accumulateRows(input: HistoryInput, first: number, end: number): void {
  const { width, after, motion, length } = input;
  for (let y = first; y < end; y++)
    for (let x = 0; x < width; x++) {
      const o = (y * width + x) * SUMS;
      compress(input, o, now);
      let frames = 0;
      if (motion && findBefore(input, motion, x, y) && read(input, to[0], to[1])) {
        frames = Math.min(length - 1, carried[CARRIED]);
        clipTo(input, x, y);
      }
      const share = 1 / (frames + 1);
      for (let k = 0; k < CARRIED; k++)
        after[o + k] = frames === 0 ? now[k] : carried[k] + (now[k] - carried[k]) * share;
      after[o + H_FRAMES] = frames + 1;
    }
}

/** Puts the result in place of the frame's sums and keeps it with its geometry for the next frame. */
export function keepRows(input: HistoryInput, first: number, end: number): void {
  const { width, samples, after, before, depth, objectId, depthBefore, idBefore } = input;
  for (let i = first * width; i < end * width; i++) {
    const o = i * SUMS;
    expand(input, o, samples);
    for (let k = 0; k <= H_FRAMES; k++) before[o + k] = after[o + k];
    depthBefore[i] = depth[i];
    idBefore[i] = objectId[i];
  }
}

/** Where the point was, into `to`, and whether the frame before saw it there. */
function findBefore(input: HistoryInput, motion: PointMotion, x: number, y: number): boolean {
  const { width, height, depth, objectId, depthBefore, idBefore } = input;
  // outlines go with what is in front, of which the pixels beside it show a part
  let nx = x;
  let ny = y;
  let nearest = depth[y * width + x] || Infinity;
  for (let j = Math.max(0, y - 1); j <= Math.min(height - 1, y + 1); j++)
    for (let i = Math.max(0, x - 1); i <= Math.min(width - 1, x + 1); i++) {
      const d = depth[j * width + i];
      if (d > 0 && d < nearest) [nearest, nx, ny] = [d, i, j];
    }
  motion(ny * width + nx, nx + 0.5, ny + 0.5, to);
  if (!Number.isFinite(to[0]) || !Number.isFinite(to[1])) return false;
  const then = to[2];
  to[0] += x;
  to[1] += y;
  const px = Math.round(to[0]);
  const py = Math.round(to[1]);
  if (px < 0 || py < 0 || px >= width || py >= height) return false;
  const id = objectId[ny * width + nx];
  const own = objectId[y * width + x];
  const ownThen = depth[y * width + x];
  // samples lie elsewhere in each frame, and miss what is thinner than a pixel: it is looked for all around
  for (let j = Math.max(0, py - AROUND); j <= Math.min(height - 1, py + AROUND); j++)
    for (let i = Math.max(0, px - AROUND); i <= Math.min(width - 1, px + AROUND); i++) {
      const at = j * width + i;
      const d = depthBefore[at];
      if (idBefore[at] === id && Math.abs(d - then) <= SAME_DEPTH * then) return true;
      // beside an outline: what the pixel itself shows, which need not move as the outline does
      if (idBefore[at] === own && Math.abs(d - ownThen) <= 2 * SAME_DEPTH * ownThen) return true;
    }
  return false;
}

/** History at a place, into `carried`, with the number of its frames. @returns false where there is none */
function read({ width, height, before, sharp }: HistoryInput, x: number, y: number): boolean {
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const [fx, fy] = [x - x0, y - y0];
  const cubic = sharp && x0 >= 1 && y0 >= 1 && x0 + 2 < width && y0 + 2 < height && (fx !== 0 || fy !== 0);
  const from = cubic ? -1 : 0;
  const taps = cubic ? 4 : 2;
  if (cubic) {
    cubicWeights(fx, weights, 0);
    cubicWeights(fy, weights, 4);
  } else {
    weights[0] = 1 - fx;
    weights[1] = fx;
    weights[4] = 1 - fy;
    weights[5] = fy;
  }
  carried.fill(0);
  for (let j = 0; j < taps; j++) {
    const row = Math.min(height - 1, Math.max(0, y0 + from + j)) * width;
    for (let i = 0; i < taps; i++) {
      const w = weights[i] * weights[4 + j];
      if (w === 0) continue;
      const o = (row + Math.min(width - 1, Math.max(0, x0 + from + i))) * SUMS;
      for (let k = 0; k < CARRIED; k++) carried[k] += before[o + k] * w;
    }
  }
  // the lobes of a cubic below zero may undershoot
  for (let k = 0; k < CARRIED; k++) if (carried[k] < 0) carried[k] = 0;
  const at = (Math.min(height - 1, Math.round(y)) * width + Math.min(width - 1, Math.round(x))) * SUMS;
  carried[CARRIED] = before[at + H_FRAMES];
  return carried[CARRIED] > 0;
}

const sum = new Float64Array(3);
const square = new Float64Array(3);
const seen = new Float64Array(3);

/** Draws the history towards what the neighbourhood shows now. */
function clipTo(input: HistoryInput, x: number, y: number): void {
  const { width, height, sums, samples, white, clip } = input;
  let count = 0;
  sum.fill(0);
  square.fill(0);
  for (let j = Math.max(0, y - 1); j <= Math.min(height - 1, y + 1); j++)
    for (let i = Math.max(0, x - 1); i <= Math.min(width - 1, x + 1); i++) {
      const o = (j * width + i) * SUMS;
      for (let c = 0; c < 3; c++) seen[c] = whole(sums, c, o) / samples;
      const k = compression(luminance(seen[0], seen[1], seen[2]), white);
      for (let c = 0; c < 3; c++) {
        const v = seen[c] * k;
        sum[c] += v;
        square[c] += v * v;
      }
      count++;
    }
  for (let c = 0; c < 3; c++) {
    const mean = sum[c] / count;
    const reach = clip * Math.sqrt(Math.max(0, square[c] / count - mean * mean));
    const light = whole(carried, c);
    const held = Math.min(mean + reach, Math.max(mean - reach, light));
    if (held === light) continue;
    if (light > 1e-6 * held) for (let k = c; k < LIGHT_NUMBERS; k += 3) carried[k] *= held / light;
    else for (let k = c; k < LIGHT_NUMBERS; k += 3) carried[k] = now[k];
  }
}

/** All layers of one colour together. */
function whole(record: ArrayLike<number>, c: number, at = 0): number {
  return record[at + c] + record[at + 3 + c] + record[at + 6 + c] + record[at + 9 + c];
}

/** Share of white up to which light stays as it is. */
const KNEE = 0.75;

/** Factor that brings a luminance below white. */
function compression(l: number, white: number): number {
  const over = l / white - KNEE;
  if (!(over > 0)) return 1;
  return ((KNEE + ((1 - KNEE) * over) / (over + 1 - KNEE)) * white) / l;
}

/** Factor that brings it back. */
function expansion(l: number, white: number): number {
  const u = Math.min(0.9999, (l / white - KNEE) / (1 - KNEE));
  if (!(u > 0)) return 1;
  return ((KNEE + ((1 - KNEE) * u) / (1 - u)) * white) / l;
}

/** What this frame sees at a pixel, compressed. */
function compress({ sums, samples, white }: HistoryInput, o: number, out: Float64Array): void {
  const l = luminance(whole(sums, 0, o), whole(sums, 1, o), whole(sums, 2, o)) / samples;
  const k = compression(l, white) / samples;
  for (let c = 0; c < LIGHT_NUMBERS; c++) out[c] = sums[o + c] * k;
  for (let c = LIGHT_NUMBERS; c < CARRIED; c++) out[c] = sums[o + c] / samples;
}

/** The other way, from `after` into the frame's sums. */
function expand({ sums, after, white }: HistoryInput, o: number, samples: number): void {
  const l = luminance(whole(after, 0, o), whole(after, 1, o), whole(after, 2, o));
  const k = expansion(l, white) * samples;
  for (let c = 0; c < LIGHT_NUMBERS; c++) sums[o + c] = after[o + c] * k;
  for (let c = LIGHT_NUMBERS; c < CARRIED; c++) sums[o + c] = after[o + c] * samples;
}
