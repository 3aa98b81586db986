/**
 * Percentage-closer soft shadows: the mean depth of what is in the way gives the width of the filter
 * (Fernando 2005, Percentage-Closer Soft Shadows).
 */
import { filterShadow } from './readShadow';
import type { ShadowView } from './shadowMap';

const SEARCH_TAPS = 7;
/** Texels: wider than this a square of so few comparisons shows nothing but bands. */
export const LARGEST_PENUMBRA = 32;

/**
 * @param size radius of the light, metres; of a sun the tangent of half its angular diameter
 * @param depth reversed depth of the point, already biased
 */
export function softShadow(
  texels: Float32Array,
  blocks: Float32Array,
  view: ShadowView,
  u: number,
  v: number,
  depth: number,
  size: number,
  taps: number,
  clamp: boolean,
): number {
  const metres = view.perspective ? view.depthScale / depth : 0;
  const widest = view.perspective ? size / (metres * view.texelSize) : (size * depth0(view, depth)) / view.texelSize;
  const search = Math.min(LARGEST_PENUMBRA, Math.max(1, widest));
  const n = view.resolution;
  let sum = 0;
  let count = 0;
  for (let j = 0; j < SEARCH_TAPS; j++) {
    const y = Math.floor(v + ((j + 0.5) / SEARCH_TAPS - 0.5) * 2 * search);
    if (y < 0 || y >= n) continue;
    for (let i = 0; i < SEARCH_TAPS; i++) {
      const x = Math.floor(u + ((i + 0.5) / SEARCH_TAPS - 0.5) * 2 * search);
      if (x < 0 || x >= n) continue;
      const z = texels[view.offset + y * n + x];
      if (z <= depth) continue;
      sum += view.perspective ? view.depthScale / z : z;
      count++;
    }
  }
  if (count === 0) return 1;
  const blocker = sum / count;
  const radius = view.perspective
    ? (size * (metres - blocker)) / (blocker * metres * view.texelSize)
    : (size * (blocker - depth)) / view.depthScale / view.texelSize;
  const wide = Math.min(LARGEST_PENUMBRA, Math.max(0.75, radius));
  return filterShadow(texels, blocks, view, u, v, depth, taps, (2 * wide) / taps, clamp);
}

/** Metres from the front of a sun's map to a depth: nothing that casts is farther away. */
function depth0(view: ShadowView, depth: number): number {
  return (1 - depth) / view.depthScale;
}
