/**
 * Random numbers that are functions of their counters alone, four pairs at once. Twins, to the bit: core/math/random and
 * core/math/sobol (Burley 2020, Practical Hash-based Owen Scrambling).
 */

/** First and second numbers of the four pairs that were drawn last, 0 … 1. */
export let firsts: v128 = f32x4.splat(0);
export let seconds: v128 = f32x4.splat(0);

/** A 32-bit permutation (Jarzynski & Olano 2020, Hash Functions for GPU Rendering). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function hash32(value: i32): i32 {
  const state = value * 747796405 - 1403630843;
  const word = ((state >>> ((state >>> 28) + 4)) ^ state) * 277803737;
  return (word >>> 22) ^ word;
}

/** Folds a new counter into a hash. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function hashCombine(hash: i32, value: i32): i32 {
  return hash32(hash ^ (value * 0x9e3779b9));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function swap(x: v128, bits: i32, low: i32): v128 {
  const mask = i32x4.splat(low);
  return v128.or(i32x4.shl(v128.and(x, mask), bits), v128.and(i32x4.shr_u(x, bits), mask));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function reverseBits(x: v128): v128 {
  const nibbles = swap(swap(swap(x, 1, 0x55555555), 2, 0x33333333), 4, 0x0f0f0f0f);
  return v128.shuffle<u8>(nibbles, nibbles, 3, 2, 1, 0, 7, 6, 5, 4, 11, 10, 9, 8, 15, 14, 13, 12);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function step(r: v128, factor: i32): v128 {
  return v128.xor(r, i32x4.mul(r, i32x4.splat(factor)));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function scrambleHash(x: v128, seed: v128): v128 {
  return step(step(step(step(i32x4.add(x, seed), 0x6c50b47c), 0xb82f1e52), 0xc7afe638), 0x8d22f6e6);
}

/** One step of multiplying by Pascal's triangle modulo two. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function pascal(x: v128, bits: i32, low: i32): v128 {
  return v128.xor(x, v128.and(i32x4.shr_u(x, bits), i32x4.splat(low)));
}

/** The second dimension with its bits reversed (Ahmed 2024, An Implementation Algorithm of 2D Sobol Sequence). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function secondDimension(index: v128): v128 {
  const wide = pascal(pascal(index, 16, 0x0000ffff), 8, 0x00ff00ff);
  return pascal(pascal(pascal(wide, 4, 0x0f0f0f0f), 2, 0x33333333), 1, 0x55555555);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function toUnit(bits: v128): v128 {
  return f32x4.mul(f32x4.convert_i32x4_s(i32x4.shr_u(bits, 8)), f32x4.splat(1.0 / 16777216.0));
}

/** One hash for each of four seeds. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function hashes(seeds: v128, value: i32): v128 {
  let all = i32x4.splat(hashCombine(i32x4.extract_lane(seeds, 0), value));
  all = i32x4.replace_lane(all, 1, hashCombine(i32x4.extract_lane(seeds, 1), value));
  all = i32x4.replace_lane(all, 2, hashCombine(i32x4.extract_lane(seeds, 2), value));
  return i32x4.replace_lane(all, 3, hashCombine(i32x4.extract_lane(seeds, 3), value));
}

/** Draws the index-th points of the sequences of `seed` and the three seeds after it. */
export function drawFour(index: i32, seed: i32): void {
  drawOf(index, i32x4.add(i32x4.splat(seed), i32x4(0, 1, 2, 3)));
}

/** Draws the index-th points of the sequences of four seeds. */
export function drawOf(index: i32, seeds: v128): void {
  // scrambling reverses bits before and after its hash; two reversals in a row are left out
  const shuffled = reverseBits(scrambleHash(reverseBits(i32x4.splat(index)), hashes(seeds, 0x51633e2d)));
  firsts = toUnit(reverseBits(scrambleHash(shuffled, hashes(seeds, 0x68bc21eb))));
  seconds = toUnit(reverseBits(scrambleHash(secondDimension(shuffled), hashes(seeds, 0x02e5be93))));
}
