/** The stretch of the view that sun maps are spread over, fitted to what a picture shows. */
import { log2 } from '../math/exact';
import type { ResolvedRecipe, TierValues } from '../recipe/recipe';
import { findSetting, type NumberSetting } from '../recipe/settings';

/** Share of what is seen that may lie nearer than the start, and as much beyond the end. */
const LEFT_OUT = 0.005;
/** Every so many pixels are looked at: a prime, so that no column is left out. */
const EVERY = 7;
/** What lies a little behind comes into view a little later. */
const ROOM = 1.05;

/**
 * Values that let sun shadows begin and end where the picture does. Where that is much farther than now, more maps share
 * the way, lest what is near become as coarse as what is far.
 * @param depth metres along the camera's axis per pixel, 0 where nothing is seen; some of the pixels are enough
 * @returns null where nothing is seen, or nothing would change
 */
export function fitSunShadows(depth: Float32Array, recipe: ResolvedRecipe): TierValues | null {
  const seen = depth.filter((d, i) => i % EVERY === 0 && d > 0 && Number.isFinite(d)).sort();
  if (seen.length === 0) return null;
  const at = (share: number): number => seen[Math.min(seen.length - 1, Math.floor(share * seen.length))];
  const distance = allowed('shadows.distance', Math.ceil(at(1 - LEFT_OUT) * ROOM * 2) / 2);
  const start = allowed('shadows.start', Math.floor((at(LEFT_OUT) / ROOM) * 10) / 10);
  const before = recipe['shadows.distance'] as number;
  const maps = recipe['shadows.cascades'] as number;
  const more = Math.ceil(Math.max(0, log2(distance / before)) / 2);
  const values = {
    'shadows.distance': distance,
    'shadows.start': start,
    'shadows.cascades': allowed('shadows.cascades', Math.max(maps, maps + more)),
  };
  return Object.entries(values).some(([id, v]) => recipe[id] !== v) ? values : null;
}

function allowed(id: string, value: number): number {
  const { min, max } = findSetting(id) as NumberSetting;
  return Math.min(max, Math.max(min, value));
}
