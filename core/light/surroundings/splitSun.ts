/**
 * A sun out of an environment picture: its brightest spot becomes a light with direction, illuminance and softness, and
 * the picture is cut down to its surroundings there, so that no light is counted twice.
 */
import { acos, cos, sin, tan } from '../../math/exact';
import type { EnvironmentPicture } from '../../scene/source';

export interface SplitSun {
  /** Unit, towards the spot, in the unturned picture. */
  towards: [number, number, number];
  /** Lux per unit of strength, rgb. */
  illuminance: [number, number, number];
  angularDiameterDeg: number;
  /** What is left of the picture: within this angle nothing is brighter than `level`. */
  cut: { direction: [number, number, number]; radiusRad: number; level: [number, number, number] };
}

/** Widest spot that still counts as a sun rather than as a bright sky. */
const LARGEST_RADIUS_RAD = 0.35;
/** The spot is as wide as it stays above this share of its peak over the sky around it. */
const EDGE_SHARE = 0.02;

/** @returns null when nothing in the picture stands out: no spot is four times as bright as the mean */
export function splitSun(picture: EnvironmentPicture): SplitSun | null {
  const { width, height, rgb } = picture;
  let [peak, peakAt, sum, weight] = [0, 0, 0, 0];
  for (let y = 0; y < height; y++) {
    const s = sin(((y + 0.5) / height) * Math.PI);
    for (let x = 0; x < width; x++) {
      const l = luminance(rgb, (y * width + x) * 3);
      sum += l * s;
      weight += s;
      if (l > peak) {
        peak = l;
        peakAt = y * width + x;
      }
    }
  }
  const mean = sum / weight;
  if (!(peak > mean * 4)) return null;
  const centre = directionOf(picture, peakAt);
  const radiusRad = spotRadius(picture, centre, peak);
  const level = ringLevel(picture, centre, radiusRad);
  const solid = ((2 * Math.PI) / width) * (Math.PI / height);
  const lux: [number, number, number] = [0, 0, 0];
  const towards = [0, 0, 0];
  eachWithin(picture, centre, radiusRad, (i, d, s) => {
    for (let c = 0; c < 3; c++) {
      const over = Math.max(0, rgb[i * 3 + c] - level[c]) * solid * s;
      lux[c] += over;
      for (let k = 0; k < 3; k++) towards[k] += over * d[k];
    }
  });
  const l = Math.sqrt(towards[0] ** 2 + towards[1] ** 2 + towards[2] ** 2) || 1;
  const direction = towards.map((c) => c / l) as [number, number, number];
  // a disc of even brightness with the same light and the same peak
  const evenArea = (0.2126 * lux[0] + 0.7152 * lux[1] + 0.0722 * lux[2]) / peak;
  const even = acos(Math.max(-1, 1 - evenArea / (2 * Math.PI)));
  const angularDiameterDeg = Math.min(radiusRad * 2, Math.max(0.0046, even * 2)) * (180 / Math.PI);
  return { towards: direction, illuminance: lux, angularDiameterDeg, cut: { direction: centre, radiusRad, level } };
}

function luminance(rgb: Float32Array, i: number): number {
  return 0.2126 * rgb[i] + 0.7152 * rgb[i + 1] + 0.0722 * rgb[i + 2];
}

function directionOf(picture: EnvironmentPicture, pixel: number): [number, number, number] {
  const u = ((pixel % picture.width) + 0.5) / picture.width;
  const v = (Math.floor(pixel / picture.width) + 0.5) / picture.height;
  const phi = (u - 0.5) * 2 * Math.PI;
  const theta = v * Math.PI;
  return [sin(theta) * sin(phi), cos(theta), -sin(theta) * cos(phi)];
}

function eachWithin(
  picture: EnvironmentPicture,
  centre: readonly number[],
  radius: number,
  run: (pixel: number, direction: readonly number[], sine: number) => void,
): void {
  const { width, height } = picture;
  const theta = acos(Math.min(1, Math.max(-1, centre[1])));
  const from = Math.max(0, Math.floor(((theta - radius) / Math.PI) * height));
  const to = Math.min(height, Math.ceil(((theta + radius) / Math.PI) * height) + 1);
  const least = cos(radius);
  for (let y = from; y < to; y++) {
    const s = sin(((y + 0.5) / height) * Math.PI);
    for (let x = 0; x < width; x++) {
      const d = directionOf(picture, y * width + x);
      if (d[0] * centre[0] + d[1] * centre[1] + d[2] * centre[2] >= least) run(y * width + x, d, s);
    }
  }
}

/** Grows rings about the peak until none of their pixels stands out any more. */
function spotRadius(picture: EnvironmentPicture, centre: readonly number[], peak: number): number {
  const step = Math.max(Math.PI / picture.height, 0.002);
  const rings = Math.ceil(LARGEST_RADIUS_RAD / step);
  const brightest = new Float64Array(rings + 1);
  eachWithin(picture, centre, LARGEST_RADIUS_RAD, (i, d) => {
    const angle = acos(Math.min(1, d[0] * centre[0] + d[1] * centre[1] + d[2] * centre[2]));
    const ring = Math.min(rings, Math.floor(angle / step));
    brightest[ring] = Math.max(brightest[ring], luminance(picture.rgb, i * 3));
  });
  let ring = 1;
  while (ring < rings && brightest[ring] > peak * EDGE_SHARE) ring++;
  return Math.min(LARGEST_RADIUS_RAD, (ring + 1) * step);
}

/** Mean light of the ring just outside the spot. */
function ringLevel(picture: EnvironmentPicture, centre: readonly number[], radius: number): [number, number, number] {
  const sums = [0, 0, 0, 0];
  const inner = cos(radius);
  eachWithin(picture, centre, Math.min(Math.PI, radius * 1.5 + tan(0.01)), (i, d, s) => {
    if (d[0] * centre[0] + d[1] * centre[1] + d[2] * centre[2] >= inner) return;
    for (let c = 0; c < 3; c++) sums[c] += picture.rgb[i * 3 + c] * s;
    sums[3] += s;
  });
  return [0, 1, 2].map((c) => (sums[3] > 0 ? sums[c] / sums[3] : 0)) as [number, number, number];
}
