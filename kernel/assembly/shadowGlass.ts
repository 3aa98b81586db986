/** Coloured glass between a light and a place: the four texels around it. Twin: core/shadows/shadowAt. */
import { all, allAt, mix, mul, pick, sub } from './four';
import { OFFSET } from './lightRecord';
import { work } from './row';
import { glassDepth, glassTint } from './shadowMaps';

/** Behind the places in `work`: first of the four texels of glass around, the next ones' distances, shares of those. */
const GLASS: usize = 128;
const GLASS_RIGHT: usize = 144;
const GLASS_BELOW: usize = 160;
const GLASS_FX: usize = 176;
const GLASS_FY: usize = 192;

/** Finds the four texels around each of four places; beyond the border lies what lies on it. */
export function glassAround(view: usize, n: i32, u: v128, v: v128): void {
  const x = sub(u, all(0.5));
  const y = sub(v, all(0.5));
  const left = f32x4.floor(x);
  const top = f32x4.floor(y);
  const none = i32x4.splat(0);
  const end = i32x4.splat(n - 1);
  const one = i32x4.splat(1);
  const ix = i32x4.trunc_sat_f32x4_s(left);
  const iy = i32x4.trunc_sat_f32x4_s(top);
  const x0 = i32x4.min_s(i32x4.max_s(ix, none), end);
  const y0 = i32x4.min_s(i32x4.max_s(iy, none), end);
  const x1 = i32x4.min_s(i32x4.max_s(i32x4.add(ix, one), none), end);
  const y1 = i32x4.min_s(i32x4.max_s(i32x4.add(iy, one), none), end);
  const pitch = i32x4.splat(n);
  const first = i32x4.add(i32x4.add(i32x4.mul(y0, pitch), x0), i32x4.splat(load<i32>(view, OFFSET)));
  v128.store(work, i32x4.shl(first, 2), GLASS);
  v128.store(work, i32x4.shl(i32x4.sub(x1, x0), 2), GLASS_RIGHT);
  v128.store(work, i32x4.shl(i32x4.mul(i32x4.sub(y1, y0), pitch), 2), GLASS_BELOW);
  v128.store(work, sub(x, left), GLASS_FX);
  v128.store(work, sub(y, top), GLASS_FY);
}

/**
 * Colours light by the glass it came through: mean of the four texels around, each only where glass is nearer.
 * @param at the place in `work` @returns whether there is any
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function throughGlass(at: usize): bool {
  const depth = load<f32>(at, 32);
  const a = <usize>load<u32>(at, GLASS);
  const right = <usize>load<u32>(at, GLASS_RIGHT);
  const below = <usize>load<u32>(at, GLASS_BELOW);
  const behind = f32x4.gt(around(glassDepth + a, right, below), all(depth));
  if (!v128.any_true(behind)) return false;
  // what is not behind glass is white
  const tints = pick(behind, around(glassTint + a, right, below), i32x4.splat(0xffffff));
  const top = i16x8.extend_low_i8x16_u(tints);
  const bottom = i16x8.extend_high_i8x16_u(tints);
  const fx = allAt(at + GLASS_FX);
  const fy = allAt(at + GLASS_FY);
  const passed = mul(
    mix(mix(firstTint(top), secondTint(top), fx), mix(firstTint(bottom), secondTint(bottom), fx), fy),
    all(1 / 255.0),
  );
  const lit = load<f32>(at, 48);
  store<f32>(at, lit * f32x4.extract_lane(passed, 0), 48);
  store<f32>(at, lit * f32x4.extract_lane(passed, 1), 64);
  store<f32>(at, lit * f32x4.extract_lane(passed, 2), 80);
  return true;
}

/** Four texels, line by line. @param right, below bytes to the next ones, 0 on the border */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function around(at: usize, right: usize, below: usize): v128 {
  if (right != 0) return v128.load64_lane(at + below, v128.load64_zero(at), 1);
  return v128.shuffle<i32>(v128.load32_splat(at), v128.load32_splat(at + below), 0, 0, 4, 4);
}

/** What the first and the second of two texels let through, 0 … 255. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function firstTint(codes: v128): v128 {
  return f32x4.convert_i32x4_u(i32x4.extend_low_i16x8_u(codes));
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
function secondTint(codes: v128): v128 {
  return f32x4.convert_i32x4_u(i32x4.extend_high_i16x8_u(codes));
}
