/** What paths are booked as. Twin: core/trace/paths/bookPaths. */
import {
  P_CLAMPED,
  P_COLOR,
  P_COUNT,
  P_COVERED,
  P_LIGHT,
  P_LIT,
  P_NORMAL,
  P_SQUARE,
  PATH_SUM_BYTES,
} from './layouts/pathSums';
import { clampAt, depth, first, focus, normal, objectId, paths, ray, sums, takesPicture } from './pathOrder';
import {
  add3,
  d,
  HIT_TRIANGLE,
  HOME,
  HOME_BOUNCE,
  HOME_CLAMPED,
  HOME_LIGHT,
  HOME_LIT,
  HOME_REFLECTION,
  luminance,
  PATH_BYTES,
  PIXEL,
  put3,
  SEEN,
} from './pathRecord';
import { diffuseB, diffuseG, diffuseR, mirroredB, mirroredG, mirroredR, nx, ny, nz, px, py, pz } from './pathSurface';
import { triangleInstance } from './scenery';

/** Books indirect light by what was matte of the first scattering. */
export function bounce(p: usize, split: usize, r: f64, g: f64, b: f64): void {
  const shareR = d(split);
  const shareG = d(split + 8);
  const shareB = d(split + 16);
  add3(p + HOME_BOUNCE, r * shareR, g * shareG, b * shareB);
  add3(p + HOME_REFLECTION, r * (1 - shareR), g * (1 - shareG), b * (1 - shareB));
}

/** Share of indirect light of a luminance that the firefly clamp leaves. */
export function clamped(p: usize, l: f64): f64 {
  const size = abs<f64>(l);
  if (size <= clampAt) return 1;
  store<f64>(p, d(p + HOME_CLAMPED) + size - clampAt, HOME_CLAMPED);
  return clampAt / size;
}

/** What a path sees first. */
export function firstSeen(p: usize): void {
  const at = <usize>load<u32>(p, PIXEL);
  const o = sums + at * PATH_SUM_BYTES;
  store<f32>(o, load<f32>(o, P_COVERED) + 1, P_COVERED);
  if (first && takesPicture && focus == 0) writeGeometry(p);
}

export function writeGeometry(p: usize): void {
  const at = <usize>load<u32>(p, PIXEL);
  const along = (px - ray(0, 0)) * ray(1, 0) + (py - ray(0, 8)) * ray(1, 8) + (pz - ray(0, 16)) * ray(1, 16);
  store<f32>(depth + (at << 2), <f32>along);
  store<f32>(normal + at * 12, <f32>nx);
  store<f32>(normal + at * 12, <f32>ny, 4);
  store<f32>(normal + at * 12, <f32>nz, 8);
  const instance = load<u32>(triangleInstance + ((<usize>load<u32>(p, HIT_TRIANGLE)) << 2));
  store<u32>(objectId + (at << 2), instance + 1);
}

/** What the denoiser divides by and compares: colour and normal of the first surface that is not see-through. */
export function writeColor(p: usize): void {
  put3(
    p + SEEN,
    diffuseR * (1 - mirroredR) + mirroredR,
    diffuseG * (1 - mirroredG) + mirroredG,
    diffuseB * (1 - mirroredB) + mirroredB,
  );
  put3(p + SEEN + 24, nx, ny, nz);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function addTo(at: usize, value: f64): void {
  store<f32>(at, <f32>(<f64>load<f32>(at) + value));
}

/** Adds finished paths to their pixels. What is not a number would spoil a pixel for ever and is left out. */
export function bringHome(started: i32): void {
  for (let i = 0; i < started; i++) {
    const p = paths + <usize>i * PATH_BYTES;
    const o = sums + <usize>load<u32>(p, PIXEL) * PATH_SUM_BYTES;
    addTo(o + P_COUNT, 1);
    let r: f64 = 0;
    let g: f64 = 0;
    let b: f64 = 0;
    for (let k: usize = 0; k < 96; k += 24) {
      r += d(p + HOME + k);
      g += d(p + HOME + k + 8);
      b += d(p + HOME + k + 16);
    }
    const l = luminance(r, g, b);
    if (!isFinite<f64>(l)) continue;
    for (let k: usize = 0; k < 12; k++) addTo(o + (k << 2), d(p + HOME + (k << 3)));
    addTo(o + P_LIGHT, d(p + HOME_LIGHT));
    addTo(o + P_LIT, d(p + HOME_LIT));
    addTo(o + P_SQUARE, l * l);
    addTo(o + P_CLAMPED, d(p + HOME_CLAMPED));
    for (let c: usize = 0; c < 3; c++) {
      addTo(o + P_COLOR + (c << 2), d(p + SEEN + (c << 3)));
      addTo(o + P_NORMAL + (c << 2), d(p + SEEN + 24 + (c << 3)));
    }
  }
}
