/** Light that rays meet by chance. Twin: core/trace/paths/meetLight. */
import {
  arriveB,
  arriveDensity,
  arriveG,
  arriveR,
  casts,
  chanceOf,
  glowDensityOf,
  glowsBothWays,
  hasExtent,
  lightCount,
  meetLight,
  meetSurroundings,
  weighEmitters,
} from './emitters';
import { bounce, clamped } from './pathBook';
import { count, sky } from './pathOrder';
import {
  add3,
  CARRIED,
  CROSSED,
  d,
  DENSITY,
  DIRECTION,
  HIT_DISTANCE,
  HIT_TRIANGLE,
  HOME,
  HOME_EMISSION,
  HOME_LIGHT,
  HOME_LIT,
  LAST,
  luminance,
  ORIGIN,
  SCATTERED,
  SKY_USE,
  SPLIT,
} from './pathRecord';
import { emissionB, emissionG, emissionR, front, fx, fy, fz, material, px, py, pz, vx, vy, vz } from './pathSurface';

/** Lamps that the ray crosses: they are not drawn, but mirrors and matte surfaces receive their light. */
export function meetExtended(p: usize): void {
  if (load<u8>(p, SCATTERED) == 0) return;
  const dx = d(p + DIRECTION);
  const dy = d(p + DIRECTION + 8);
  const dz = d(p + DIRECTION + 16);
  for (let i = 0; i < lightCount; i++) {
    if (!hasExtent(i)) continue;
    const limit: f64 = casts(i) ? d(p + HIT_DISTANCE) : Infinity;
    if (!meetLight(i, d(p + ORIGIN), d(p + ORIGIN + 8), d(p + ORIGIN + 16), dx, dy, dz, limit)) continue;
    // a density belongs to the place that asked, which panes may have left behind; where they bent the ray it may miss from there
    if (load<u8>(p, CROSSED) == 1 && d(p + DENSITY) > 0)
      meetLight(i, d(p + LAST), d(p + LAST + 8), d(p + LAST + 16), dx, dy, dz, Infinity);
    receive(p, arriveDensity, i, arriveR, arriveG, arriveB);
  }
}

export function meetSky(p: usize): void {
  if (!sky) return;
  const drawable = d(p + DENSITY) > 0;
  meetSurroundings(
    d(p + LAST),
    d(p + LAST + 8),
    d(p + LAST + 16),
    d(p + DIRECTION),
    d(p + DIRECTION + 8),
    d(p + DIRECTION + 16),
    drawable,
  );
  receive(
    p,
    drawable ? arriveDensity : 0,
    lightCount,
    arriveR * d(p + SKY_USE),
    arriveG * d(p + SKY_USE + 8),
    arriveB * d(p + SKY_USE + 16),
  );
}

/** Light of the surface itself. */
export function meetGlow(p: usize): void {
  if (emissionR + emissionG + emissionB == 0) return;
  if (!front && !glowsBothWays(material)) return;
  let density: f64 = 0;
  const c = fx * vx + fy * vy + fz * vz;
  if (d(p + DENSITY) > 0 && c > 0) {
    // the ray may have crossed panes since it scattered
    const x = px - d(p + LAST);
    const y = py - d(p + LAST + 8);
    const z = pz - d(p + LAST + 16);
    density = (glowDensityOf(load<i32>(p, HIT_TRIANGLE)) * (x * x + y * y + z * z)) / c;
  }
  receive(p, density, lightCount + 1, emissionR, emissionG, emissionB);
}

/**
 * Books light that a ray met by chance, weighted against the chance of having been asked for it (power heuristic).
 * @param density with which the emitter would have drawn this place; 0 when it cannot
 */
function receive(p: usize, density: f64, emitter: i32, r: f64, g: f64, b: f64): void {
  const own = d(p + DENSITY);
  let weight: f64 = 1;
  if (own > 0 && density > 0 && weighEmitters(d(p + LAST), d(p + LAST + 8), d(p + LAST + 16))) {
    const asking = density * chanceOf(emitter);
    weight = (own * own) / (own * own + asking * asking);
  }
  const x = d(p + CARRIED) * r * weight;
  const y = d(p + CARRIED + 8) * g * weight;
  const z = d(p + CARRIED + 16) * b * weight;
  const before = count(p, SCATTERED);
  if (before == 0) {
    add3(p + HOME_EMISSION, x, y, z);
    return;
  }
  if (before == 1 && emitter < lightCount) {
    add3(p + HOME, x, y, z);
    const all = abs<f64>(x) + abs<f64>(y) + abs<f64>(z);
    store<f64>(p, d(p + HOME_LIGHT) + all, HOME_LIGHT);
    store<f64>(p, d(p + HOME_LIT) + all, HOME_LIT);
    return;
  }
  const keep = before > 1 ? clamped(p, luminance(x, y, z)) : 1;
  bounce(p, p + SPLIT, x * keep, y * keep, z * keep);
}
