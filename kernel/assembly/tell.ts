/** How a method that is asked place by place tells a row what it knows of the light that reaches one. */
import { BOUNCE_SURE, COLUMN, FAR, FOUND_BOUNCE, OPEN } from './row';

/** How sure a place is when a method that is so sure of it has been asked. @param a address of it in the row's first column */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function surerBy(a: usize, sure: f32): f32 {
  const before = load<f32>(a, BOUNCE_SURE);
  return before + max<f32>(0, 1 - load<f32>(a, FAR) - before) * sure;
}

/**
 * Adds what it knows, as far as the place was not sure before. Gaps smaller than it tells apart are what ambient occlusion sees.
 * @param light irradiance, rgb, times `weight` @param now see `surerBy`
 * @param after rays have met the brightest of it already: it says no more than the rest of that
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function tellPlace(a: usize, light: v128, weight: f32, now: f32, after: bool): void {
  const before = load<f32>(a, BOUNCE_SURE);
  const open = load<f32>(a, OPEN);
  const part = (open * (now - before)) / (now * weight);
  const most: f32 = after ? open / (now * weight) : Infinity;
  const kept = before / now;
  fill(a, f32x4.extract_lane(light, 0), kept, part, most);
  fill(a + COLUMN, f32x4.extract_lane(light, 1), kept, part, most);
  fill(a + 2 * COLUMN, f32x4.extract_lane(light, 2), kept, part, most);
  store<f32>(a, now, BOUNCE_SURE);
}

/** Adds so much to a column of which so much is kept, and no more than makes of both the most. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function fill(a: usize, light: f32, kept: f32, share: f32, most: f32): void {
  // anything may stand there where nothing was sure
  const held = kept > 0 ? load<f32>(a, FOUND_BOUNCE) * kept : 0;
  let part = light * share;
  if (most < Infinity) part = min<f32>(part, max<f32>(0, light * most - held));
  store<f32>(a, held + part, FOUND_BOUNCE);
}
