/**
 * Owen-scrambled Sobol points in two dimensions.
 * Burley 2020, Practical Hash-based Owen Scrambling (JCGT 9-4); the hash is Laine & Karras 2011 as improved there.
 */
import { hashCombine, toUnit } from './random';

/**
 * The index-th point of the scrambled sequence.
 * @param index 0 …; prefixes of length 2^k are stratified
 * @param seed any integer; another seed gives an independent scrambling
 * @param out two numbers in [0, 1) are written here
 */
export function sobol2(index: number, seed: number, out: Float64Array): void {
  // scrambling reverses bits before and after its hash; two reversals in a row are left out throughout
  const shuffled = shuffledIndex(index, seed);
  // the first dimension is the index with its bits reversed
  out[0] = toUnit(reverseBits(scrambleHash(shuffled, hashCombine(seed, 0x68bc21eb))));
  const second =
    SECOND[shuffled & 255] ^
    SECOND[256 + ((shuffled >>> 8) & 255)] ^
    SECOND[512 + ((shuffled >>> 16) & 255)] ^
    SECOND[768 + (shuffled >>> 24)];
  out[1] = toUnit(reverseBits(scrambleHash(second, hashCombine(seed, 0x02e5be93))));
}

/** Which point of the sequence the index-th one is: aligned blocks of 2^k stay together. */
export function shuffledIndex(index: number, seed: number): number {
  return reverseBits(scrambleHash(reverseBits(index), hashCombine(seed, 0x51633e2d)));
}

/** The third dimension of an unscrambled point as a 32-bit integer. @param index 0 … 2³² − 1 */
export function thirdDimension(index: number): number {
  let result = 0;
  let [v, before] = [0, 1 << 31];
  for (let bit = 0; bit < 32; bit++) {
    // x² + x + 1 with m = 1, 3: each direction number follows from the two before it
    const direction: number = bit === 0 ? before : bit === 1 ? (v = 3 << 30) : v ^ before ^ (before >>> 2);
    if (bit > 1) [before, v] = [v, direction];
    if ((index >>> bit) & 1) result ^= direction;
  }
  return result >>> 0;
}

/** The second dimension with its bits reversed, of each byte of an index; direction numbers of Joe & Kuo 2008. */
const SECOND = buildSecondDimension();

function buildSecondDimension(): Int32Array {
  const directions = new Int32Array(32);
  directions[0] = 1 << 31;
  for (let i = 1; i < 32; i++) directions[i] = directions[i - 1] ^ (directions[i - 1] >>> 1);
  const table = new Int32Array(1024);
  for (let i = 0; i < 1024; i++) {
    let result = 0;
    for (let bit = 0; bit < 8; bit++) if ((i >> bit) & 1) result ^= directions[(i >> 8) * 8 + bit];
    table[i] = reverseBits(result);
  }
  return table;
}

// signed 32-bit integers throughout: unsigned ones would be kept as floating-point numbers

function reverseBits(x: number): number {
  x = ((x & 0x55555555) << 1) | ((x >>> 1) & 0x55555555);
  x = ((x & 0x33333333) << 2) | ((x >>> 2) & 0x33333333);
  x = ((x & 0x0f0f0f0f) << 4) | ((x >>> 4) & 0x0f0f0f0f);
  x = ((x & 0x00ff00ff) << 8) | ((x >>> 8) & 0x00ff00ff);
  return (x << 16) | (x >>> 16);
}

function scrambleHash(x: number, seed: number): number {
  let r = (x + seed) | 0;
  r ^= Math.imul(r, 0x6c50b47c);
  r ^= Math.imul(r, 0xb82f1e52);
  r ^= Math.imul(r, 0xc7afe638);
  r ^= Math.imul(r, 0x8d22f6e6);
  return r;
}
