/** A gradient around the scene as the compiled loops read it: see kernel/assembly/sky. */
import type { RayFrame } from '../scene/camera';
import type { Gradient } from '../light/surroundings/kind';

/** Stops that a record has room for. */
const MOST_STOPS = 16;
const GLOW = 12;
const LOWEST = 20;
const RISES = 24;
const RISE = 8;
/** Numbers of a record. */
export const SKY_NUMBERS = RISES + (MOST_STOPS - 1) * RISE;

/** A rise over no height at all is a step. */
const STEEPEST = 1e30;

/** @returns false when the record has no room for it */
export function writeSky({ stops, glow, strength }: Gradient, rays: RayFrame, record: Float32Array): boolean {
  if (stops.length > MOST_STOPS) return false;
  record.fill(0);
  // every place of a parallel picture looks the same way
  if (rays.perspective) record.set([...rays.base, ...rays.right, ...rays.down]);
  else record.set(rays.forward);
  if (glow) record.set([...glow.direction, glow.sharpness, ...glow.radiance.map((v) => v * strength)], GLOW);
  record.set(
    stops[0].radiance.map((v) => v * strength),
    LOWEST,
  );
  new Int32Array(record.buffer, record.byteOffset)[LOWEST + 3] = stops.length - 1;
  for (let i = 0; i + 1 < stops.length; i++) {
    const height = stops[i + 1].y - stops[i].y;
    const rise = stops[i + 1].radiance.map((v, c) => (v - stops[i].radiance[c]) * strength);
    record.set([stops[i].y, height > 0 ? 1 / height : STEEPEST, ...rise], RISES + i * RISE);
  }
  return true;
}
