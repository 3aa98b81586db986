/** Shades what a tile sees at one sample position and adds it to the picture's sums. Twin: core/raster/shadeTile. */
import {
  alongView,
  bounceB,
  bounceG,
  bounceR,
  colorB,
  colorG,
  colorR,
  directB,
  directG,
  directR,
  emissionB,
  emissionG,
  emissionR,
  lightSurface,
  litShare,
  reflectionB,
  reflectionG,
  reflectionR,
} from './lighting';
import {
  colors,
  corner,
  f,
  isWhite,
  positions,
  record,
  S_BASE,
  S_FACE,
  S_MIRRORED,
  S_NORMAL,
  S_OPACITY,
  S_POSITION,
  S_TRANSMISSION,
  S_VIEW,
  triangleInstance,
} from './scenery';
import { forgetMaterial, materialAt, materialOf } from './surface';

/** The caller's: writes the background's radiance at a place of the picture by `setColor`. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "backdrop")
declare function backdropOutside(px: f64, py: f64): void;

const NO_TRIANGLE: i32 = -1;
const TILE_SHIFT: usize = 6;
/** Bytes of a pixel's sums, and of its places for coverage and lit share. */
const SUMS: usize = 64;
const COVERAGE: usize = 48;
const LIT: usize = 52;
const M_ALPHA_MODE: usize = 44;
const BLEND: f32 = 2;

/** Triangles whose edge functions are kept, each of 128 bytes: neighbours in rows and columns mostly share them. */
const KEPT: i32 = 128;
const KEPT_EDGES: usize = 0; // nine doubles
const KEPT_FACE: usize = 72; // three
const KEPT_TRIANGLE: usize = 96; // number, front, white: 32 bits each
const KEPT_FRONT: usize = 100;
const KEPT_WHITE: usize = 104;

/** Transformed corners, the picture's arrays, the kept triangles. */
let clip: usize = 0;
let sums: usize = 0;
let depth: usize = 0;
let normal: usize = 0;
let objectId: usize = 0;
let kept: usize = 0;
let width: i32 = 0;
/** Where the eye is, or the direction towards it. */
let towardsX: f64 = 0;
let towardsY: f64 = 0;
let towardsZ: f64 = 0;
let parallel: bool = false;
let lit: bool = false;

/** @param background 1 when the caller's background is seen where nothing is */
export function bindPicture(
  clip_: usize,
  sums_: usize,
  depth_: usize,
  normal_: usize,
  objectId_: usize,
  kept_: usize,
  width_: i32,
  background: i32,
): void {
  clip = clip_;
  sums = sums_;
  depth = depth_;
  normal = normal_;
  objectId = objectId_;
  kept = kept_;
  width = width_;
  lit = background != 0;
}

export function bindEye(x: f64, y: f64, z: f64, isParallel: i32): void {
  towardsX = x;
  towardsY = y;
  towardsZ = z;
  parallel = isParallel != 0;
}

function keep(at: usize, t: i32): void {
  const i0 = corner(t, 0);
  const i1 = corner(t, 1);
  const i2 = corner(t, 2);
  const v0 = clip + (i0 << 4);
  const v1 = clip + (i1 << 4);
  const v2 = clip + (i2 << 4);
  const x0 = f(v0);
  const y0 = f(v0 + 4);
  const w0 = f(v0 + 12);
  const x1 = f(v1);
  const y1 = f(v1 + 4);
  const w1 = f(v1 + 12);
  const x2 = f(v2);
  const y2 = f(v2 + 4);
  const w2 = f(v2 + 12);
  const a0 = y1 * w2 - w1 * y2;
  const b0 = w1 * x2 - x1 * w2;
  const c0 = x1 * y2 - y1 * x2;
  const det = x0 * a0 + y0 * b0 + w0 * c0;
  const s: f64 = det < 0 ? -1 : 1;
  store<f64>(at, s * a0);
  store<f64>(at, s * b0, 8);
  store<f64>(at, s * c0, 16);
  store<f64>(at, s * (y2 * w0 - w2 * y0), 24);
  store<f64>(at, s * (w2 * x0 - x2 * w0), 32);
  store<f64>(at, s * (x2 * y0 - y2 * x0), 40);
  store<f64>(at, s * (y0 * w1 - w0 * y1), 48);
  store<f64>(at, s * (w0 * x1 - x0 * w1), 56);
  store<f64>(at, s * (x0 * y1 - y0 * x1), 64);
  const p0 = positions + i0 * 12;
  const p1 = positions + i1 * 12;
  const p2 = positions + i2 * 12;
  const ux = f(p1) - f(p0);
  const uy = f(p1 + 4) - f(p0 + 4);
  const uz = f(p1 + 8) - f(p0 + 8);
  const vx = f(p2) - f(p0);
  const vy = f(p2 + 4) - f(p0 + 4);
  const vz = f(p2 + 8) - f(p0 + 8);
  const x = uy * vz - uz * vy;
  const y = uz * vx - ux * vz;
  const z = ux * vy - uy * vx;
  let length = sqrt<f64>(x * x + y * y + z * z);
  if (!(length > 0)) length = 1;
  const l = 1 / length;
  store<f64>(at, x * l, KEPT_FACE);
  store<f64>(at, y * l, KEPT_FACE + 8);
  store<f64>(at, z * l, KEPT_FACE + 16);
  store<i32>(at, t, KEPT_TRIANGLE);
  store<i32>(at, det < 0 ? 1 : 0, KEPT_FRONT);
  const white = isWhite(colors + (i0 << 4)) && isWhite(colors + (i1 << 4)) && isWhite(colors + (i2 << 4));
  store<i32>(at, white ? 1 : 0, KEPT_WHITE);
}

function surfaceAt(t: i32, px: f64, py: f64): void {
  const at = kept + (<usize>(t & (KEPT - 1)) << 7);
  if (load<i32>(at, KEPT_TRIANGLE) != t) keep(at, t);
  const E3 = load<f64>(at, 24);
  const E4 = load<f64>(at, 32);
  const E6 = load<f64>(at, 48);
  const E7 = load<f64>(at, 56);
  const e1 = E3 * px + E4 * py + load<f64>(at, 40);
  const e2 = E6 * px + E7 * py + load<f64>(at, 64);
  const E0 = load<f64>(at);
  const E1 = load<f64>(at, 8);
  const sum = E0 * px + E1 * py + load<f64>(at, 16) + e1 + e2;
  const inv = 1 / sum;
  const b1 = e1 * inv;
  const b2 = e2 * inv;
  const b0 = 1 - b1 - b2;
  const p0 = positions + corner(t, 0) * 12;
  const p1 = positions + corner(t, 1) * 12;
  const p2 = positions + corner(t, 2) * 12;
  const x = f(p0) * b0 + f(p1) * b1 + f(p2) * b2;
  const y = f(p0 + 4) * b0 + f(p1 + 4) * b1 + f(p2 + 4) * b2;
  const z = f(p0 + 8) * b0 + f(p1 + 8) * b1 + f(p2 + 8) * b2;
  store<f64>(record + S_POSITION, x);
  store<f64>(record + S_POSITION, y, 8);
  store<f64>(record + S_POSITION, z, 16);
  const vx = parallel ? towardsX : towardsX - x;
  const vy = parallel ? towardsY : towardsY - y;
  const vz = parallel ? towardsZ : towardsZ - z;
  const vl = 1 / sqrt<f64>(vx * vx + vy * vy + vz * vz);
  store<f64>(record + S_VIEW, vx * vl);
  store<f64>(record + S_VIEW, vy * vl, 8);
  store<f64>(record + S_VIEW, vz * vl, 16);
  const side: f64 = load<i32>(at, KEPT_FRONT) ? 1 : -1;
  store<f64>(record + S_FACE, load<f64>(at, KEPT_FACE) * side);
  store<f64>(record + S_FACE, load<f64>(at, KEPT_FACE + 8) * side, 8);
  store<f64>(record + S_FACE, load<f64>(at, KEPT_FACE + 16) * side, 16);
  // barycentrics are ratios of linear functions of the pixel: quotient rule
  const sx = E0 + E3 + E6;
  const sy = E1 + E4 + E7;
  materialAt(
    t,
    side,
    load<i32>(at, KEPT_WHITE),
    b1,
    b2,
    (E3 - b1 * sx) * inv,
    (E6 - b2 * sx) * inv,
    (E4 - b1 * sy) * inv,
    (E7 - b2 * sy) * inv,
  );
}

/** The pixel under its see-through layers: direct, bounce, reflection, emission, rgb each. */
let d0: f64 = 0;
let d1: f64 = 0;
let d2: f64 = 0;
let b0_: f64 = 0;
let b1_: f64 = 0;
let b2_: f64 = 0;
let r0: f64 = 0;
let r1: f64 = 0;
let r2: f64 = 0;
let e0: f64 = 0;
let e1: f64 = 0;
let e2: f64 = 0;

// @ts-expect-error: a decorator of AssemblyScript
@inline
function takeLight(): void {
  d0 = directR;
  d1 = directG;
  d2 = directB;
  b0_ = bounceR;
  b1_ = bounceG;
  b2_ = bounceB;
  r0 = reflectionR;
  r1 = reflectionG;
  r2 = reflectionB;
  e0 = emissionR;
  e1 = emissionG;
  e2 = emissionB;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function takeBackground(r: f64, g: f64, b: f64): void {
  d0 = d1 = d2 = b0_ = b1_ = b2_ = r0 = r1 = r2 = 0;
  e0 = r;
  e1 = g;
  e2 = b;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function add(at: usize, value: f64): void {
  store<f32>(at, <f32>(f(at) + value));
}

function addPixel(at: usize): void {
  add(at, d0);
  add(at + 4, d1);
  add(at + 8, d2);
  add(at + 12, b0_);
  add(at + 16, b1_);
  add(at + 20, b2_);
  add(at + 24, r0);
  add(at + 28, r1);
  add(at + 32, r2);
  if (e0 != 0 || e1 != 0 || e2 != 0) {
    add(at + 36, e0);
    add(at + 40, e1);
    add(at + 44, e2);
  }
}

/** Lays a see-through surface over what is behind it: Fresnel-weighted tint, or plain alpha. */
function layOver(t: i32): void {
  const transmission = load<f64>(record + S_TRANSMISSION);
  let alpha: f64 = 1;
  if (load<f32>(materialOf(t) + M_ALPHA_MODE) == BLEND)
    alpha = min<f64>(1, max<f64>(0, load<f64>(record + S_OPACITY)));
  const base = record + S_BASE;
  const mirrored = record + S_MIRRORED;
  const p0 = 1 - alpha + alpha * transmission * load<f64>(base) * (1 - load<f64>(mirrored));
  const p1 = 1 - alpha + alpha * transmission * load<f64>(base, 8) * (1 - load<f64>(mirrored, 8));
  const p2 = 1 - alpha + alpha * transmission * load<f64>(base, 16) * (1 - load<f64>(mirrored, 16));
  d0 = d0 * p0 + directR * alpha;
  b0_ = b0_ * p0 + bounceR * alpha;
  r0 = r0 * p0 + reflectionR * alpha;
  e0 = e0 * p0 + emissionR * alpha;
  d1 = d1 * p1 + directG * alpha;
  b1_ = b1_ * p1 + bounceG * alpha;
  r1 = r1 * p1 + reflectionG * alpha;
  e1 = e1 * p1 + emissionG * alpha;
  d2 = d2 * p2 + directB * alpha;
  b2_ = b2_ * p2 + bounceB * alpha;
  r2 = r2 * p2 + reflectionB * alpha;
  e2 = e2 * p2 + emissionB * alpha;
}

function writeGeometry(at: usize, t: i32): void {
  const s = record + S_POSITION;
  store<f32>(depth + (at << 2), <f32>alongView(load<f64>(s), load<f64>(s, 8), load<f64>(s, 16)));
  const n = normal + at * 12;
  store<f32>(n, <f32>load<f64>(record + S_NORMAL));
  store<f32>(n, <f32>load<f64>(record + S_NORMAL, 8), 4);
  store<f32>(n, <f32>load<f64>(record + S_NORMAL, 16), 8);
  store<u32>(objectId + (at << 2), load<u32>(triangleInstance + (<usize>t << 2)) + 1);
}

/**
 * @param x0 … y1 the tile's pixels
 * @param triangle per pixel of the tile its triangle, or NO_TRIANGLE
 * @param layerCount, layerTriangle per pixel how many see-through triangles lie before it, and those
 * @param share part of a whole pixel sample that this call adds
 * @param first 1 for the sample that also writes depth, normal and object
 */
export function shadeTile(
  x0: i32,
  y0: i32,
  x1: i32,
  y1: i32,
  triangle: usize,
  layerCount: usize,
  layerTriangle: usize,
  layerLimit: i32,
  ox: f64,
  oy: f64,
  share: f64,
  first: i32,
): void {
  forgetMaterial();
  for (let k = 0; k < KEPT; k++) store<i32>(kept + (<usize>k << 7) + KEPT_TRIANGLE, NO_TRIANGLE);
  for (let y = y0; y < y1; y++) {
    let i = <usize>(y - y0) << TILE_SHIFT;
    const py = <f64>y + oy;
    for (let x = x0; x < x1; x++, i++) {
      const px = <f64>x + ox;
      const t = load<i32>(triangle + (i << 2));
      const at = <usize>y * <usize>width + <usize>x;
      const o = sums + at * SUMS;
      const layers = <i32>load<u8>(layerCount + i);
      if (t != NO_TRIANGLE) {
        surfaceAt(t, px, py);
        add(o + COVERAGE, share);
        if (first) writeGeometry(at, t);
        lightSurface(false, share);
        add(o + LIT, litShare * share);
        takeLight();
        if (layers == 0) {
          addPixel(o);
          continue;
        }
      } else {
        add(o + LIT, share);
        if (!lit) {
          if (layers == 0) continue;
          takeBackground(0, 0, 0);
        } else {
          backdropOutside(px, py);
          const r = share != 1 ? colorR() * share : colorR();
          const g = share != 1 ? colorG() * share : colorG();
          const b = share != 1 ? colorB() * share : colorB();
          if (layers == 0) {
            add(o + 36, r);
            add(o + 40, g);
            add(o + 44, b);
            continue;
          }
          takeBackground(r, g, b);
        }
      }
      const from = layerTriangle + ((i * <usize>layerLimit) << 2);
      for (let k = layers - 1; k >= 0; k--) {
        const glass = load<i32>(from + (<usize>k << 2));
        surfaceAt(glass, px, py);
        lightSurface(true, share);
        layOver(glass);
        if (first && k == 0 && t == NO_TRIANGLE) writeGeometry(at, glass);
      }
      if (t == NO_TRIANGLE) add(o + COVERAGE, share);
      addPixel(o);
    }
  }
}
