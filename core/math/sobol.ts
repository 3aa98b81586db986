/**
 * Owen-scrambled Sobol points in two dimensions.
 * Burley 2020, Practical Hash-based Owen Scrambling (JCGT 9-4); the hash is Laine & Karras 2011 as improved there.
 */
import { hashCombine, toUnit } from './random';

/** Direction numbers of the second Sobol dimension (the first is bit reversal); Joe & Kuo 2008. */
const DIRECTIONS_1 = buildSecondDimension();

/**
 * The index-th point of the scrambled sequence.
 * @param index 0 …; prefixes of length 2^k are stratified
 * @param seed any integer; another seed gives an independent scrambling
 * @param out two numbers in [0, 1) are written here
 */
export function sobol2(index: number, seed: number, out: Float64Array): void {
  const shuffled = owenScramble(index >>> 0, hashCombine(seed, 0x51633e2d));
  out[0] = toUnit(owenScramble(reverseBits(shuffled), hashCombine(seed, 0x68bc21eb)));
  out[1] = toUnit(owenScramble(second(shuffled), hashCombine(seed, 0x02e5be93)));
}

function second(index: number): number {
  let result = 0;
  for (let bit = 0; index !== 0; bit++, index >>>= 1) if (index & 1) result ^= DIRECTIONS_1[bit];
  return result >>> 0;
}

function buildSecondDimension(): Uint32Array {
  const v = new Uint32Array(32);
  v[0] = 0x80000000;
  for (let i = 1; i < 32; i++) v[i] = (v[i - 1] ^ (v[i - 1] >>> 1)) >>> 0;
  return v;
}

function reverseBits(x: number): number {
  x = ((x & 0x55555555) << 1) | ((x >>> 1) & 0x55555555);
  x = ((x & 0x33333333) << 2) | ((x >>> 2) & 0x33333333);
  x = ((x & 0x0f0f0f0f) << 4) | ((x >>> 4) & 0x0f0f0f0f);
  x = ((x & 0x00ff00ff) << 8) | ((x >>> 8) & 0x00ff00ff);
  return ((x << 16) | (x >>> 16)) >>> 0;
}

function owenScramble(x: number, seed: number): number {
  let r = reverseBits(x);
  r = (r + seed) >>> 0;
  r = (r ^ Math.imul(r, 0x6c50b47c)) >>> 0;
  r = (r ^ Math.imul(r, 0xb82f1e52)) >>> 0;
  r = (r ^ Math.imul(r, 0xc7afe638)) >>> 0;
  r = (r ^ Math.imul(r, 0x8d22f6e6)) >>> 0;
  return reverseBits(r);
}
