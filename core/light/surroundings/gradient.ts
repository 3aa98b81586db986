/** Light by the sine of the elevation, with a lobe around one direction. */
import { z } from 'zod';
import { cos, sin } from '../../math/exact';
import { unit } from '../../math/mat4';
import { within } from '../../math/within';
import { directionField, MAX_INTENSITY, radianceField } from '../documentFields';
import type { EnvironmentSource } from './document';
import { FILE_FLAGS, rgbInFile, type Gradient, type RadianceFunction, type SurroundingsKind } from './kind';

export const gradientFields = {
  /** Radiance in nit by elevation, from the lowest upwards; an even light is its lowest. */
  stops: z
    .array(z.strictObject({ /** Sine of the elevation. */ y: z.number().min(-1).max(1), radiance: radianceField }))
    .min(1)
    .max(32),
  /** A warm or cold lobe around one direction, added to the stops. */
  glow: z
    .strictObject({ direction: directionField, radiance: radianceField, sharpness: z.number().min(0).max(1e6) })
    .optional(),
};

/** What an even light and a gradient have in common. */
export const smooth: Omit<SurroundingsKind, 'kind' | 'label' | 'file' | 'toFile'> = {
  inRange: ({ stops, glow }) => ({
    stops: stops.map((s) => ({ y: within(s.y, -1, 1), radiance: lightInRange(s.radiance) })),
    glow: glow && {
      direction: glow.direction.some((c) => c !== 0) ? glow.direction : [0, 1, 0],
      radiance: lightInRange(glow.radiance),
      sharpness: within(glow.sharpness, 0, 1e6),
    },
  }),
  pictureName: () => null,
  radiance: (environment, _picture, factor) => gradientRadiance(gradientOf(environment, factor)),
  blurred(environment, _picture, factor) {
    const exact = gradientRadiance(gradientOf(environment, factor));
    return { at: (x, y, z, _lod, out) => exact(x, y, z, out), pixelAngle: 1, harmonics: { lod: 0, side: 64 } };
  },
  gradient: gradientOf,
  cells: [64, 32],
  blend: mixStops,
};

export const gradient = {
  ...smooth,
  kind: 'gradient',
  label: 'Gradient',
  file: z
    .object({
      kind: z.literal('gradient'),
      stops: z
        .array(z.object({ y: z.number().min(-1).max(1), radiance: rgbInFile }))
        .min(1)
        .max(32),
      glow: z.object({ direction: rgbInFile, radiance: rgbInFile, sharpness: z.number().min(0) }).optional(),
      ...FILE_FLAGS,
    })
    .transform((environment) => ({ environment })),
  toFile: (environment) => environment,
} satisfies SurroundingsKind;

function lightInRange(rgb: readonly number[]): [number, number, number] {
  return [0, 1, 2].map((k) => within(rgb[k], 0, MAX_INTENSITY)) as [number, number, number];
}

/** Stop by stop, where neither glows and both are turned alike. */
function mixStops(
  a: EnvironmentSource,
  b: EnvironmentSource,
  t: number,
  gain: number,
): Partial<EnvironmentSource> | null {
  if (!isSmooth(b) || a.glow || b.glow || a.rotationDeg !== b.rotationDeg) return null;
  const [sa, sb] = [a.strength, b.strength];
  const ys = [...new Set([...a.stops, ...b.stops].map((s) => s.y))].sort((x, y) => x - y);
  const stops = ys.map((y) => {
    const [p, q] = [stopAt(a, y), stopAt(b, y)];
    return { y, radiance: p.map((c, k) => c * sa * (1 - t) + q[k] * sb * t * gain) as [number, number, number] };
  });
  return { kind: 'gradient', strength: 1, stops };
}

function isSmooth({ kind }: EnvironmentSource): boolean {
  return kind === 'constant' || kind === 'gradient';
}

function stopAt(e: EnvironmentSource, y: number): number[] {
  const stops = [...e.stops].sort((p, q) => p.y - q.y);
  let i = 0;
  while (i < stops.length - 1 && y > stops[i + 1].y) i++;
  const next = stops[Math.min(i + 1, stops.length - 1)];
  const span = next.y - stops[i].y;
  let t = span > 0 ? Math.min(1, Math.max(0, (y - stops[i].y) / span)) : 0;
  t = t * t * (3 - 2 * t);
  return stops[i].radiance.map((c, k) => c + (next.radiance[k] - c) * t);
}

function gradientOf(environment: EnvironmentSource, factor: number): Gradient {
  const { glow } = environment;
  const angle = (environment.rotationDeg * Math.PI) / 180;
  const [ca, sa] = [cos(angle), sin(angle)];
  const g = glow ? unit(glow.direction) : [0, 1, 0];
  return {
    stops: [...environment.stops].sort((a, b) => a.y - b.y),
    glow: glow ? { ...glow, direction: [g[0] * ca + g[2] * sa, g[1], g[2] * ca - g[0] * sa] } : null,
    strength: environment.strength * factor,
  };
}

/**
 * The stops are blended with smooth steps in the sine of the elevation; the glow is k / (1 + sharpness · (1 − cos γ))².
 */
function gradientRadiance({ stops, glow, strength }: Gradient): RadianceFunction {
  const ys = Float64Array.from(stops, (s) => s.y);
  const colors = Float64Array.from(stops.flatMap((s) => s.radiance));
  const last = stops.length - 1;
  const [gx, gy, gz] = glow ? glow.direction : [0, 1, 0];
  return (x, y, z, out) => {
    let i = 0;
    while (i < last && y > ys[i + 1]) i++;
    let t = i < last ? (y - ys[i]) / (ys[i + 1] - ys[i] || 1) : 0;
    t = t < 0 ? 0 : t > 1 ? 1 : t;
    t = t * t * (3 - 2 * t);
    const a = i * 3;
    const b = (i < last ? i + 1 : i) * 3;
    let k = 0;
    if (glow) {
      const d = 1 + glow.sharpness * (1 - (x * gx + y * gy + z * gz));
      k = 1 / (d * d);
    }
    for (let c = 0; c < 3; c++) {
      const base = colors[a + c] + (colors[b + c] - colors[a + c]) * t;
      out[c] = (base + (glow ? glow.radiance[c] * k : 0)) * strength;
    }
  };
}
