/** Reading a shadow map: one comparison or a square of them (Reeves et al. 1987, percentage-closer filtering). */
import { blocksAcross, SHADOW_BLOCK_SHIFT } from './shadowMap';
import type { ShadowView } from '../light/shadowView';

/** Columns of the texels that one look-up reads. */
const columns = new Int32Array(32);

/**
 * Share of light that reaches a point, 0…1, by a box filter of `taps` × `taps` comparisons that slides smoothly.
 * @param u position in the map, texels; likewise `v`
 * @param depth reversed depth of the point, already biased
 * @param taps comparisons a side; 1 is a single hard comparison
 * @param spacing texels between comparisons
 * @param clamp read the border beyond the edges (cube faces) instead of taking it as lit
 */
export function filterShadow(
  texels: Float32Array,
  blocks: Float32Array,
  view: ShadowView,
  u: number,
  v: number,
  depth: number,
  taps: number,
  spacing: number,
  clamp: boolean,
): number {
  const n = view.resolution;
  const base = view.offset;
  if (taps === 1) {
    let x = Math.floor(u);
    let y = Math.floor(v);
    if (x < 0 || y < 0 || x >= n || y >= n) {
      if (!clamp) return 1;
      x = x < 0 ? 0 : x >= n ? n - 1 : x;
      y = y < 0 ? 0 : y >= n ? n - 1 : y;
    }
    return depth >= texels[base + y * n + x] ? 1 : 0;
  }
  const startX = u / spacing - taps / 2;
  const startY = v / spacing - taps / 2;
  const kx = Math.floor(startX);
  const ky = Math.floor(startY);
  const x0 = Math.floor((kx + 0.5) * spacing);
  const y0 = Math.floor((ky + 0.5) * spacing);
  const x1 = Math.floor((kx + taps + 0.5) * spacing);
  const y1 = Math.floor((ky + taps + 0.5) * spacing);
  const fx = startX - kx;
  const fy = startY - ky;
  let sum = 0;
  if (x0 >= 0 && y0 >= 0 && x1 < n && y1 < n) {
    const clear = clearOfBlocks(blocks, view, x0, y0, x1, y1, depth);
    if (clear >= 0) return clear;
    for (let i = 0; i <= taps; i++) columns[i] = Math.floor((kx + i + 0.5) * spacing);
    for (let j = 0; j <= taps; j++) {
      const row = base + Math.floor((ky + j + 0.5) * spacing) * n;
      let rowSum = depth >= texels[row + columns[0]] ? 1 - fx : 0;
      for (let i = 1; i < taps; i++) if (depth >= texels[row + columns[i]]) rowSum += 1;
      if (depth >= texels[row + columns[taps]]) rowSum += fx;
      sum += rowSum * (j === 0 ? 1 - fy : j === taps ? fy : 1);
    }
    return sum / (taps * taps);
  }
  for (let j = 0; j <= taps; j++) {
    let y = Math.floor((ky + j + 0.5) * spacing);
    let outside = y < 0 || y >= n;
    if (outside && clamp) {
      y = y < 0 ? 0 : n - 1;
      outside = false;
    }
    const wy = j === 0 ? 1 - fy : j === taps ? fy : 1;
    const row = base + y * n;
    let rowSum = 0;
    for (let i = 0; i <= taps; i++) {
      let x = Math.floor((kx + i + 0.5) * spacing);
      const w = i === 0 ? 1 - fx : i === taps ? fx : 1;
      if (outside || x < 0 || x >= n) {
        if (outside || !clamp) {
          rowSum += w;
          continue;
        }
        x = x < 0 ? 0 : n - 1;
      }
      if (depth >= texels[row + x]) rowSum += w;
    }
    sum += rowSum * wy;
  }
  return sum / (taps * taps);
}

/** 1 or 0 when a depth lies before or behind everything in a rectangle of texels, −1 when it must be looked at closely. */
function clearOfBlocks(
  blocks: Float32Array,
  view: ShadowView,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
  depth: number,
): number {
  const across = blocksAcross(view.resolution);
  let low = Infinity;
  let high = 0;
  for (let by = y0 >> SHADOW_BLOCK_SHIFT; by <= y1 >> SHADOW_BLOCK_SHIFT; by++) {
    for (let bx = x0 >> SHADOW_BLOCK_SHIFT; bx <= x1 >> SHADOW_BLOCK_SHIFT; bx++) {
      const at = (view.blockOffset + by * across + bx) * 2;
      if (blocks[at] < low) low = blocks[at];
      if (blocks[at + 1] > high) high = blocks[at + 1];
    }
  }
  return depth >= high ? 1 : depth < low ? 0 : -1;
}
