/** Light from all around: what is seen in one direction. */
import { acos, atan2, cos, sin } from '../math/exact';
import { unit } from '../math/mat4';
import type { EnvironmentPicture, EnvironmentSource } from './source';

export type RadianceFunction = (x: number, y: number, z: number, out: Float64Array) => void;
/** For what an environment is asked. */
export type EnvironmentUse = 'camera' | 'light' | 'reflection';

/** Factor on an environment's light for one use; 0 when it is switched off for it. */
export function useStrength(environment: EnvironmentSource, use: EnvironmentUse): number {
  if (use === 'camera') return environment.seenByCamera ? (environment.cameraStrength ?? 1) : 0;
  if (use === 'light') return environment.lightsSurfaces ? (environment.lightStrength ?? 1) : 0;
  return environment.seenInReflections ? (environment.reflectionStrength ?? 1) : 0;
}

/**
 * Makes a function that writes the radiance (rgb, nit) seen towards a unit direction, times a factor.
 * @param picture of an environment of kind 'picture'; black when it is missing
 */
export function environmentRadiance(
  environment: EnvironmentSource,
  picture: EnvironmentPicture | null = null,
  factor = 1,
): RadianceFunction {
  const gradient = gradientOf(environment, factor);
  if (gradient) return gradientRadiance(gradient);
  if (!picture) return (_x, _y, _z, out) => void out.fill(0, 0, 3);
  const { toPicture, shade } = pictureSpace(environment, factor);
  return (x, y, z, out) => {
    toPicture(x, y, z, place);
    readPicture(picture, place[0], place[1], out);
    shade(x, y, z, out);
  };
}

const place = new Float64Array(2);

/** Where a direction lies in a turned picture (u, v in 0…1), and what strength and cut make of the light found there. */
export function pictureSpace(
  environment: EnvironmentSource,
  factor: number,
): {
  toPicture: (x: number, y: number, z: number, out: Float64Array) => void;
  shade: RadianceFunction;
} {
  const angle = (environment.rotationDeg * Math.PI) / 180;
  const [ca, sa] = [cos(angle), sin(angle)];
  const { cut } = environment;
  const strength = environment.strength * factor;
  const cutCos = cut ? cos(cut.radiusRad) : 2;
  return {
    toPicture(x, y, z, out) {
      const px = x * ca - z * sa;
      const pz = z * ca + x * sa;
      out[0] = 0.5 + atan2(px, -pz) / (2 * Math.PI);
      out[1] = acos(y < -1 ? -1 : y > 1 ? 1 : y) / Math.PI;
    },
    shade(x, y, z, out) {
      if (cut) {
        const px = x * ca - z * sa;
        const pz = z * ca + x * sa;
        const inside = px * cut.direction[0] + y * cut.direction[1] + pz * cut.direction[2] >= cutCos;
        if (inside) for (let c = 0; c < 3; c++) if (out[c] > cut.level[c]) out[c] = cut.level[c];
      }
      for (let c = 0; c < 3; c++) out[c] *= strength;
    },
  };
}

/** Bilinear look-up; wraps around sideways and holds at the poles. */
export function readPicture(picture: EnvironmentPicture, u: number, v: number, out: Float64Array): void {
  const { width, height, rgb } = picture;
  const x = u * width - 0.5;
  const y = Math.min(height - 1, Math.max(0, v * height - 0.5));
  const xf = Math.floor(x);
  const x0 = ((xf % width) + width) % width;
  const x1 = x0 + 1 === width ? 0 : x0 + 1;
  const y0 = Math.min(height - 1, Math.floor(y));
  const y1 = Math.min(height - 1, y0 + 1);
  const fx = x - xf;
  const fy = y - y0;
  const [a, b, c, d] = [(y0 * width + x0) * 3, (y0 * width + x1) * 3, (y1 * width + x0) * 3, (y1 * width + x1) * 3];
  for (let k = 0; k < 3; k++) {
    const top = rgb[a + k] + (rgb[b + k] - rgb[a + k]) * fx;
    const bottom = rgb[c + k] + (rgb[d + k] - rgb[c + k]) * fx;
    out[k] = top + (bottom - top) * fy;
  }
}

/** Light that changes with the elevation alone, but for a glow. */
export interface Gradient {
  /** From the lowest upwards. */
  stops: EnvironmentSource['stops'];
  /** Added to the stops; its direction is a unit vector in the scene. */
  glow: { direction: [number, number, number]; radiance: readonly number[]; sharpness: number } | null;
  /** On all of it. */
  strength: number;
}

/** An environment as a gradient; null when it is a picture. @param factor as for `environmentRadiance` */
export function gradientOf(environment: EnvironmentSource, factor = 1): Gradient | null {
  if (environment.kind === 'picture') return null;
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
