/** Irradiance over luminance of an unshadowed area light. Twin: core/light/areaIrradiance. */
import { POINT, ROUND, SIDE_U, SIDE_V } from './lightRecord';
import { f } from './scenery';

/** Corners of the unit polygon and square, and room for two polygons of doubles. */
let polygon: usize = 0;
let square: usize = 0;
let corners: usize = 0;
let clipped: usize = 0;

/** @param at 16 pairs, 4 pairs, then room for 18 triples twice, doubles */
export function bindArea(at: usize): void {
  polygon = at;
  square = at + 256;
  corners = at + 320;
  clipped = at + 320 + 18 * 24;
}

export function faceIrradiance(light: usize, x: f64, y: f64, z: f64, nx: f64, ny: f64, nz: f64): f64 {
  const round = load<i32>(light, ROUND) != 0;
  const shape = round ? polygon : square;
  const count = round ? 16 : 4;
  const px = f(light + POINT);
  const py = f(light + POINT + 4);
  const pz = f(light + POINT + 8);
  const ux = f(light + SIDE_U);
  const uy = f(light + SIDE_U + 4);
  const uz = f(light + SIDE_U + 8);
  const vx = f(light + SIDE_V);
  const vy = f(light + SIDE_V + 4);
  const vz = f(light + SIDE_V + 8);
  for (let i = 0; i < count; i++) {
    const a = load<f64>(shape + ((<usize>i) << 4));
    const b = load<f64>(shape + ((<usize>i) << 4), 8);
    const to = corners + <usize>i * 24;
    store<f64>(to, px + ux * a + vx * b - x);
    store<f64>(to + 8, py + uy * a + vy * b - y);
    store<f64>(to + 16, pz + uz * a + vz * b - z);
  }
  const left = clipToHorizon(count, nx, ny, nz);
  if (left < 3) return 0;
  let sum: f64 = 0;
  let from = clipped + <usize>(left - 1) * 24;
  let fromLength = lengthAt(from);
  for (let i = 0; i < left; i++) {
    const to = clipped + <usize>i * 24;
    const toLength = lengthAt(to);
    const ax = load<f64>(from);
    const ay = load<f64>(from, 8);
    const az = load<f64>(from, 16);
    const bx = load<f64>(to);
    const by = load<f64>(to, 8);
    const bz = load<f64>(to, 16);
    const cx = ay * bz - az * by;
    const cy = az * bx - ax * bz;
    const cz = ax * by - ay * bx;
    const across = sqrt<f64>(cx * cx + cy * cy + cz * cz);
    if (across > 0 && fromLength > 0 && toLength > 0) {
      const cosine = (ax * bx + ay * by + az * bz) / (fromLength * toLength);
      const angle = arcCosine(cosine < -1 ? -1 : cosine > 1 ? 1 : cosine);
      sum += (angle * (cx * nx + cy * ny + cz * nz)) / across;
    }
    from = to;
    fromLength = toLength;
  }
  return abs<f64>(sum) / 2;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function lengthAt(at: usize): f64 {
  const x = load<f64>(at);
  const y = load<f64>(at, 8);
  const z = load<f64>(at, 16);
  return sqrt<f64>(x * x + y * y + z * z);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function above(at: usize, nx: f64, ny: f64, nz: f64): f64 {
  return load<f64>(at) * nx + load<f64>(at, 8) * ny + load<f64>(at, 16) * nz;
}

function clipToHorizon(count: i32, nx: f64, ny: f64, nz: f64): i32 {
  let left = 0;
  let a = corners + <usize>(count - 1) * 24;
  let da = above(a, nx, ny, nz);
  for (let i = 0; i < count; i++) {
    const b = corners + <usize>i * 24;
    const db = above(b, nx, ny, nz);
    if (da < 0 !== db < 0) {
      const t = da / (da - db);
      const to = clipped + <usize>left * 24;
      for (let c: usize = 0; c < 24; c += 8)
        store<f64>(to + c, load<f64>(a + c) + (load<f64>(b + c) - load<f64>(a + c)) * t);
      left++;
    }
    if (db >= 0) {
      const to = clipped + <usize>left * 24;
      for (let c: usize = 0; c < 24; c += 8) store<f64>(to + c, load<f64>(b + c));
      left++;
    }
    a = b;
    da = db;
  }
  return left;
}

function arcTangent(x: f64): f64 {
  if (x < 0) return -arcTangent(-x);
  if (x > 1) return 3.141592653589793 / 2 - arcTangent(1 / x);
  const a = x / (1 + sqrt<f64>(1 + x * x));
  const b = a / (1 + sqrt<f64>(1 + a * a));
  const b2 = b * b;
  let sum: f64 = 0;
  for (let n: f64 = 25; n >= 1; n -= 2) sum = 1 / n - b2 * sum;
  return 4 * b * sum;
}

function arcCosine(c: f64): f64 {
  const y = sqrt<f64>(1 - c * c);
  if (c > 0) return arcTangent(y / c);
  if (c < 0) return arcTangent(y / c) + 3.141592653589793;
  return y > 0 ? 3.141592653589793 / 2 : 0;
}
