/** What probes say of the light that reaches a place. */
import {
  PROBE_DEPTH,
  PROBE_LIGHT,
  PROBE_POSITION,
  PROBE_STATE,
  PROBE_STRIDE,
} from '@daxel/kernel/generated/layouts/probe';
import { LIGHT_TEXEL } from './bake';
import type { Asked } from '../view';
import type { ProbeBox } from './box';
import { PROBE_BURIED } from './probeState';
import { MAP_STRIDE, readingOf, type Reading } from './octMap';

/** How far off its surface a place looks for probes, in shares of the least step: walls are never in their own way. */
export const OFF_SURFACE = 0.2;
/** Of a probe behind the surface, where the wrapped cosine is 0: it counts a little, lest light break off at a corner. */
const BEHIND = 0.05;
/** Weights below this are made smaller still: many that are hidden must not outweigh one that is not. */
const FAINT = 0.2;
/** What a probe counts that sees nothing of the place, or stands in a wall: so much that some light is found. */
const HIDDEN = 1e-4;
const BURIED = 1e-7;
/** Spread of distances within a texel's own width, as a share of the distance: even a plane has some. */
const SPREAD = 0.02;

/** Irradiance, rgb; how sure it is, 0…1; share of the probes around that see the place, by how near they are. */
export const FOUND_LIGHT = 0;
export const FOUND_SURE = 3;
export const FOUND_SEEN = 4;
export const FOUND_SIZE = 5;

const cell = new Int32Array(3);
const share = new Float64Array(3);
const facing: Reading = { texel: 0, weights: new Float64Array(4) };
const towards: Reading = { texel: 0, weights: new Float64Array(4) };
const off = new Float64Array(3);

/**
 * The eight probes around a place, by how near they are, how far they face it, and whether they see it (Majercik,
 * Guertin, Nowrouzezahrai, McGuire 2019, Dynamic Diffuse Global Illumination with Ray-Traced Irradiance Fields).
 * @param probes PROBE_STRIDE numbers each @param out FOUND_SIZE numbers; sure 0 outside the box
 */
export function askBox(box: ProbeBox, probes: Float32Array, at: Asked, out: Float64Array): void {
  const { min, max, step, counts, first } = box;
  const { x, y, z, normal, face } = at;
  const reach = OFF_SURFACE * Math.min(step[0], step[1], step[2]);
  off[0] = x + face[0] * reach;
  off[1] = y + face[1] * reach;
  off[2] = z + face[2] * reach;
  let sure = 1;
  for (let c = 0; c < 3; c++) {
    // over a step beyond the box it is less and less sure
    const beyond = Math.max(min[c] - off[c], off[c] - max[c]) / step[c];
    if (beyond > 0) sure *= Math.max(0, 1 - beyond);
    const g = Math.min(counts[c] - 1, Math.max(0, (off[c] - min[c]) / step[c] - 0.5));
    cell[c] = Math.min(Math.max(0, counts[c] - 2), Math.floor(g));
    share[c] = g - cell[c];
  }
  out[FOUND_SURE] = sure;
  out[FOUND_SEEN] = 0;
  if (sure === 0) return;
  readingOf(normal[0], normal[1], normal[2], facing);
  const [w0, w1, w2, w3] = facing.weights;
  const texel = PROBE_LIGHT + facing.texel * LIGHT_TEXEL;
  let [r, g, b] = [0, 0, 0];
  let [sum, seen] = [0, 0];
  for (let k = 0; k < 8; k++) {
    const [dx, dy, dz] = [k & 1, (k >> 1) & 1, k >> 2];
    const near = (dx ? share[0] : 1 - share[0]) * (dy ? share[1] : 1 - share[1]) * (dz ? share[2] : 1 - share[2]);
    if (!(near > 0)) continue;
    const number = first + cell[0] + dx + counts[0] * (cell[1] + dy + counts[1] * (cell[2] + dz));
    const o = number * PROBE_STRIDE;
    let weight = BURIED;
    if (probes[o + PROBE_STATE] !== PROBE_BURIED) {
      const sees = visibility(probes, o, off);
      const tx = probes[o + PROBE_POSITION] - x;
      const ty = probes[o + PROBE_POSITION + 1] - y;
      const tz = probes[o + PROBE_POSITION + 2] - z;
      const away = Math.sqrt(tx * tx + ty * ty + tz * tz);
      const cosine = away > 0 ? (tx * normal[0] + ty * normal[1] + tz * normal[2]) / away : 1;
      const wrapped = (cosine + 1) / 2;
      weight = (wrapped * wrapped + BEHIND) * Math.max(HIDDEN, sees);
      if (weight < FAINT) weight *= (weight * weight) / (FAINT * FAINT);
      seen += near * sees;
      weight = Math.max(BURIED * 10, weight);
    }
    weight *= near;
    sum += weight;
    const t = o + texel;
    const u = t + MAP_STRIDE * LIGHT_TEXEL;
    r += (probes[t] * w0 + probes[t + 4] * w1 + probes[u] * w2 + probes[u + 4] * w3) * weight;
    g += (probes[t + 1] * w0 + probes[t + 5] * w1 + probes[u + 1] * w2 + probes[u + 5] * w3) * weight;
    b += (probes[t + 2] * w0 + probes[t + 6] * w1 + probes[u + 2] * w2 + probes[u + 6] * w3) * weight;
  }
  out[FOUND_LIGHT] = r / sum;
  out[FOUND_LIGHT + 1] = g / sum;
  out[FOUND_LIGHT + 2] = b / sum;
  out[FOUND_SEEN] = seen;
}

/**
 * How likely a probe sees a place: by Chebyshev's inequality from the mean distance in its direction and its spread, cubed
 * so that what is half hidden counts for little.
 */
function visibility(probes: Float32Array, o: number, place: Float64Array): number {
  const dx = place[0] - probes[o + PROBE_POSITION];
  const dy = place[1] - probes[o + PROBE_POSITION + 1];
  const dz = place[2] - probes[o + PROBE_POSITION + 2];
  const distance = Math.sqrt(dx * dx + dy * dy + dz * dz);
  if (!(distance > 0)) return 1;
  readingOf(dx, dy, dz, towards);
  const [w0, w1, w2, w3] = towards.weights;
  const t = o + PROBE_DEPTH + towards.texel * 2;
  const u = t + MAP_STRIDE * 2;
  const mean = probes[t] * w0 + probes[t + 2] * w1 + probes[u] * w2 + probes[u + 2] * w3;
  if (distance <= mean) return 1;
  const square = probes[t + 1] * w0 + probes[t + 3] * w1 + probes[u + 1] * w2 + probes[u + 3] * w3;
  const least = SPREAD * distance;
  const variance = Math.max(least * least, square - mean * mean);
  const beyond = distance - mean;
  const chance = variance / (variance + beyond * beyond);
  return chance * chance * chance;
}
