/**
 * Counter-based random numbers: a value is a function of its counters (seed, pixel, sample, dimension) and never of
 * the order of calls, so the picture is the same whatever the number of threads, tiles or restarts.
 */

/** A 32-bit permutation with full avalanche (Jarzynski & Olano 2020, Hash Functions for GPU Rendering: `pcg`). */
export function hash32(value: number): number {
  // signed inside: unsigned numbers above 2³¹ would be kept as floating-point ones. −1403630843 is 2891336453 in 32 bits
  const state = (Math.imul(value, 747796405) - 1403630843) | 0;
  const word = Math.imul((state >>> ((state >>> 28) + 4)) ^ state, 277803737);
  return ((word >>> 22) ^ word) >>> 0;
}

/** Folds a new counter into a hash. */
export function hashCombine(hash: number, value: number): number {
  return hash32(hash ^ Math.imul(value, 0x9e3779b9));
}

/** Uniform in [0, 1) from four counters. */
export function random01(seed: number, pixel: number, sample: number, dimension: number): number {
  return toUnit(hashCombine(hashCombine(hashCombine(hash32(seed), pixel), sample), dimension));
}

/** Maps 32 bits to [0, 1) with 24 significant bits, so that the value is exact as a 32-bit float. */
export function toUnit(bits: number): number {
  return (bits >>> 8) / 16777216;
}

/** A small stream for building scenes: the n-th value depends on (seed, n) only. */
export function randomStream(seed: number): () => number {
  let n = 0;
  return () => toUnit(hashCombine(hash32(seed), n++));
}
