/** Seeded noise that repeats over the unit square, so that textures tile. */
import { hash32, hashCombine, toUnit } from '@daxel/core/math/random';

/** Seeds are small whole numbers. Lattice values by a permuted index (Perlin 1985, An Image Synthesizer): a table look-up a corner, not a hash. */
interface Lattice {
  permutation: Uint8Array; // 256 entries
  values: Float64Array; // 256 of 0…1
}

const LATTICES: (Lattice | undefined)[] = [];

function latticeOf(seed: number): Lattice {
  let found = LATTICES[seed];
  if (!found) {
    const permutation = Uint8Array.from({ length: 256 }, (_, i) => i);
    for (let i = 255; i > 0; i--) {
      const j = hashCombine(hash32(seed), i) % (i + 1);
      const kept = permutation[i];
      permutation[i] = permutation[j];
      permutation[j] = kept;
    }
    const values = Float64Array.from({ length: 256 }, (_, i) => toUnit(hashCombine(hash32(seed + 7919), i)));
    found = { permutation, values };
    LATTICES[seed] = found;
  }
  return found;
}

/** Value noise in 0…1; `period` lattice cells over the unit square. */
export function valueNoise(u: number, v: number, period: number, seed: number): number {
  return octave(latticeOf(seed), u, v, period, 0);
}

/** Sum of octaves of value noise, 0…1. */
export function fbm(u: number, v: number, period: number, octaves: number, seed: number): number {
  const lattice = latticeOf(seed);
  let sum = 0;
  let weight = 0.5;
  let total = 0;
  for (let o = 0; o < octaves; o++) {
    sum += octave(lattice, u, v, period << o, o * 53) * weight;
    total += weight;
    weight *= 0.5;
  }
  return sum / total;
}

/** @param shift moves the lattice, so that octaves of one seed differ */
function octave(lattice: Lattice, u: number, v: number, period: number, shift: number): number {
  const { permutation, values } = lattice;
  const x = u * period;
  const y = v * period;
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const fx = smooth(x - x0);
  const fy = smooth(y - y0);
  const i = modulo(x0, period) | 0;
  const top = modulo(y0, period) | 0;
  const left = permutation[(i + shift) & 255];
  const right = permutation[((i + 1 === period ? 0 : i + 1) + shift) & 255];
  const bottom = top + 1 === period ? 0 : top + 1;
  const a = values[permutation[(left + top) & 255]];
  const b = values[permutation[(right + top) & 255]];
  const c = values[permutation[(left + bottom) & 255]];
  const d = values[permutation[(right + bottom) & 255]];
  const upper = a + (b - a) * fx;
  return upper + (c + (d - c) * fx - upper) * fy;
}

/**
 * Distances to the nearest and second nearest of scattered points, one a cell (Worley 1996, A Cellular Texture Basis
 * Function); in cells.
 */
export function cellular(u: number, v: number, period: number, seed: number): { f1: number; f2: number } {
  const { permutation, values } = latticeOf(seed);
  const x = u * period;
  const y = v * period;
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  let f1 = 9;
  let f2 = 9;
  for (let j = -1; j <= 1; j++) {
    for (let i = -1; i <= 1; i++) {
      const h = permutation[(permutation[modulo(x0 + i, period) & 255] + modulo(y0 + j, period)) & 255];
      const dx = x0 + i + values[h] - x;
      const dy = y0 + j + values[permutation[h]] - y;
      const d = Math.sqrt(dx * dx + dy * dy);
      if (d < f1) {
        f2 = f1;
        f1 = d;
      } else if (d < f2) {
        f2 = d;
      }
    }
  }
  return { f1, f2 };
}

export function smooth(t: number): number {
  return t * t * (3 - 2 * t);
}

/** 0 below a, 1 above b, smooth between. */
export function ramp(a: number, b: number, x: number): number {
  return smooth(Math.min(1, Math.max(0, (x - a) / (b - a))));
}

export function mix(a: number, b: number, t: number): number {
  return a + (b - a) * t;
}

function modulo(a: number, n: number): number {
  return a - n * Math.floor(a / n);
}
