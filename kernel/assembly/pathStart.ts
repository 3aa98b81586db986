/** Camera rays of a tile. Twin: core/trace/paths/cameraStarts. */
import { drawFour, firsts, hashCombine, seconds } from './draws';
import { PATH_SUM_BYTES } from './layouts/pathSums';
import { writeGeometry } from './pathBook';
import { intersectPaths } from './pathIntersect';
import {
  active,
  beginSample,
  depth,
  done,
  drawn,
  filter,
  filterRadius,
  first,
  focus,
  normal,
  objectId,
  pathOf,
  paths,
  perspective,
  ray,
  seed,
  single,
  skyForCamera,
  sums,
  width,
} from './pathOrder';
import {
  CARRIED,
  d,
  DIRECTION,
  FOOTPRINT,
  HIT_TRIANGLE,
  ORIGIN,
  PATH_BYTES,
  PIXEL,
  put3,
  SKY_USE,
  SPREAD,
} from './pathRecord';
import { surfaceOf } from './pathSurface';

/** Pixels along a block that stops as one. */
const BLOCK: i32 = 8;
/** Steps of the filter's table. */
const STEPS: i32 = 256;

/** Where the lens is passed, metres to the right and up: written by the caller. */
let lensRight: f64 = 0;
let lensUp: f64 = 0;

/** The caller's: draws a place of the lens and calls `setLens`. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "drawLens")
declare function drawLens(sample: u32, seed: u32): void;

export function setLens(right: f64, up: f64): void {
  lensRight = right;
  lensUp = up;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function throughFilter(u: f64): f64 {
  const p = u * <f64>STEPS;
  const i = <i32>p;
  const at = filter + ((<usize>i) << 3);
  return 0.5 + filterRadius * (d(at) + (d(at + 8) - d(at)) * (p - <f64>i));
}

/** Camera rays of a tile. @param sample its number in the frame @param drawn_ and in the pattern @returns how many */
export function startPaths(x0: i32, y0: i32, x1: i32, y1: i32, sample: i32, drawn_: u32): i32 {
  beginSample(sample, drawn_);
  return start(x0, y0, x1, y1, single, focus);
}

/** Depth, normals and objects of a tile as seen through the middles of the lens and of the pixels. */
export function lookThroughMiddle(x0: i32, y0: i32, x1: i32, y1: i32): void {
  beginSample(0, 0);
  const inFlight = start(x0, y0, x1, y1, true, 0);
  intersectPaths(inFlight);
  for (let a = 0; a < inFlight; a++) {
    const p = pathOf(a);
    if (load<i32>(p, HIT_TRIANGLE) < 0) continue;
    surfaceOf(p);
    writeGeometry(p);
  }
}

/** @param middle rays go through the middles of pixels @param sharpAt metres at which a lens is sharp; 0 for a pinhole */
function start(x0: i32, y0: i32, x1: i32, y1: i32, middle: bool, sharpAt: f64): i32 {
  const across = (width + BLOCK - 1) / BLOCK;
  const step = sqrt<f64>(ray(3, 0) * ray(3, 0) + ray(3, 8) * ray(3, 8) + ray(3, 16) * ray(3, 16));
  let n = 0;
  for (let y = y0; y < y1; y++) {
    for (let x = x0; x < x1; x++) {
      if (load<u8>(done + <usize>((y / BLOCK) * across + x / BLOCK)) == 1) continue;
      const at = y * width + x;
      const p = paths + <usize>n * PATH_BYTES;
      memory.fill(p, 0, PATH_BYTES);
      store<i32>(active + ((<usize>n) << 2), n);
      n++;
      store<i32>(p, at, PIXEL);
      const own = hashCombine(seed, at);
      let qx = <f64>x + 0.5;
      let qy = <f64>y + 0.5;
      if (!middle) {
        drawFour(drawn, own);
        qx = <f64>x + throughFilter(<f64>f32x4.extract_lane(firsts, 0));
        qy = <f64>y + throughFilter(<f64>f32x4.extract_lane(seconds, 0));
      }
      let right: f64 = 0;
      let up: f64 = 0;
      if (sharpAt > 0) {
        drawLens(<u32>drawn, <u32>own);
        right = lensRight;
        up = lensUp;
      }
      for (let k: usize = 0; k < 24; k += 8) {
        const seen = ray(2, k) + qx * ray(3, k) + qy * ray(4, k);
        let from = perspective ? ray(0, k) : seen;
        let to = perspective ? seen : ray(1, k);
        if (sharpAt > 0) {
          // one pixel's step to the right and down, turned into metres on the lens
          const aside = (ray(3, k) * right - ray(4, k) * up) / step;
          from += aside;
          to -= aside / sharpAt;
        }
        store<f64>(p + k, from, ORIGIN);
        store<f64>(p + k, to, DIRECTION);
        store<f64>(p + k, 1, CARRIED);
        store<f64>(p + k, skyForCamera, SKY_USE);
      }
      const dx = d(p + DIRECTION);
      const dy = d(p + DIRECTION + 8);
      const dz = d(p + DIRECTION + 16);
      const l = sqrt<f64>(dx * dx + dy * dy + dz * dz);
      put3(p + DIRECTION, dx / l, dy / l, dz / l);
      store<f64>(p, perspective ? 0 : step, FOOTPRINT);
      store<f64>(p, perspective ? step / l : 0, SPREAD);
      if (!first) continue;
      memory.fill(sums + <usize>at * PATH_SUM_BYTES, 0, PATH_SUM_BYTES);
      if (sharpAt > 0) continue;
      store<f32>(depth + ((<usize>at) << 2), 0);
      store<u32>(objectId + ((<usize>at) << 2), 0);
      memory.fill(normal + <usize>at * 12, 0, 12);
    }
  }
  return n;
}
