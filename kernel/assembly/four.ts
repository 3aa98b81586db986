/** Four 32-bit floats at once: short names for what shading does all the time, and ways between records and columns. */

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function add(a: v128, b: v128): v128 {
  return f32x4.add(a, b);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function sub(a: v128, b: v128): v128 {
  return f32x4.sub(a, b);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function mul(a: v128, b: v128): v128 {
  return f32x4.mul(a, b);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function over(a: v128, b: v128): v128 {
  return f32x4.div(a, b);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function root(a: v128): v128 {
  return f32x4.sqrt(a);
}

/** The lesser of two; the first where they cannot be compared. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function lesser(a: v128, b: v128): v128 {
  return f32x4.pmin(a, b);
}

/** The greater of two; the first where they cannot be compared. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function greater(a: v128, b: v128): v128 {
  return f32x4.pmax(a, b);
}

/** The same number four times. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function all(x: f32): v128 {
  return f32x4.splat(x);
}

/** The number at an address, four times. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function allAt(at: usize): v128 {
  return v128.load32_splat(at);
}

/** One where a mask has ones, the other elsewhere. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function pick(mask: v128, one: v128, other: v128): v128 {
  return v128.bitselect(one, other, mask);
}

/** From a to b by a share. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function mix(a: v128, b: v128, share: v128): v128 {
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), share));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function dot(ax: v128, ay: v128, az: v128, bx: v128, by: v128, bz: v128): v128 {
  return f32x4.add(f32x4.add(f32x4.mul(ax, bx), f32x4.mul(ay, by)), f32x4.mul(az, bz));
}

/** Three floats and a zero; reads no further, for what lies at the end of an array. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function three(at: usize): v128 {
  return v128.load32_lane(at, v128.load64_zero(at), 2, 8);
}

/** Four records of four numbers as columns, or the other way round: the first or second two of each, of two records. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function firstTwo(a: v128, b: v128): v128 {
  return v128.shuffle<i32>(a, b, 0, 4, 1, 5);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function lastTwo(a: v128, b: v128): v128 {
  return v128.shuffle<i32>(a, b, 2, 6, 3, 7);
}
/** … and the first or second halves of two such. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function firstHalves(a: v128, b: v128): v128 {
  return v128.shuffle<i64>(a, b, 0, 2);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function lastHalves(a: v128, b: v128): v128 {
  return v128.shuffle<i64>(a, b, 1, 3);
}

/** Stores three columns as four records of three numbers. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function storeTriples(at: usize, x: v128, y: v128, z: v128): void {
  v128.store(at, v128.shuffle<i32>(firstTwo(x, y), v128.shuffle<i32>(z, x, 0, 5, 0, 5), 0, 1, 4, 5));
  v128.store(at, v128.shuffle<i32>(v128.shuffle<i32>(y, z, 1, 5, 1, 5), lastTwo(x, y), 0, 1, 4, 5), 16);
  const ends = v128.shuffle<i32>(v128.shuffle<i32>(z, x, 2, 7, 2, 7), v128.shuffle<i32>(y, z, 3, 7, 3, 7), 0, 1, 4, 5);
  v128.store(at, ends, 32);
}

/** One of four numbers, four times. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function lane0(a: v128): v128 {
  return v128.shuffle<i32>(a, a, 0, 0, 0, 0);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function lane1(a: v128): v128 {
  return v128.shuffle<i32>(a, a, 1, 1, 1, 1);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function lane2(a: v128): v128 {
  return v128.shuffle<i32>(a, a, 2, 2, 2, 2);
}
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function lane3(a: v128): v128 {
  return v128.shuffle<i32>(a, a, 3, 3, 3, 3);
}

/** Two pairs of doubles as four floats. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function floats(a: v128, b: v128): v128 {
  return v128.shuffle<i64>(f32x4.demote_f64x2_zero(a), f32x4.demote_f64x2_zero(b), 0, 2);
}
