/** Seeded noise that repeats over the unit square, so that textures tile. */
import { hash32, hashCombine, toUnit } from '@daxel/core/math/random';

/** Value noise in 0…1; `period` lattice cells over the unit square. */
export function valueNoise(u: number, v: number, period: number, seed: number): number {
  const x = u * period;
  const y = v * period;
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const fx = smooth(x - x0);
  const fy = smooth(y - y0);
  const at = (i: number, j: number): number =>
    toUnit(hashCombine(hashCombine(hash32(seed), modulo(x0 + i, period)), modulo(y0 + j, period)));
  const a = at(0, 0) + (at(1, 0) - at(0, 0)) * fx;
  const b = at(0, 1) + (at(1, 1) - at(0, 1)) * fx;
  return a + (b - a) * fy;
}

/** Sum of octaves of value noise, 0…1. */
export function fbm(u: number, v: number, period: number, octaves: number, seed: number): number {
  let sum = 0;
  let weight = 0.5;
  let total = 0;
  for (let o = 0; o < octaves; o++) {
    sum += valueNoise(u, v, period << o, seed + o * 101) * weight;
    total += weight;
    weight *= 0.5;
  }
  return sum / total;
}

/**
 * Distances to the nearest and second nearest of scattered points, one a cell (Worley 1996, A Cellular Texture Basis
 * Function); in cells.
 */
export function cellular(u: number, v: number, period: number, seed: number): [number, number] {
  const x = u * period;
  const y = v * period;
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  let f1 = 9;
  let f2 = 9;
  for (let j = -1; j <= 1; j++) {
    for (let i = -1; i <= 1; i++) {
      const h = hashCombine(hashCombine(hash32(seed), modulo(x0 + i, period)), modulo(y0 + j, period));
      const dx = x0 + i + toUnit(h) - x;
      const dy = y0 + j + toUnit(hash32(h)) - y;
      const d = Math.sqrt(dx * dx + dy * dy);
      if (d < f1) {
        f2 = f1;
        f1 = d;
      } else if (d < f2) {
        f2 = d;
      }
    }
  }
  return [f1, f2];
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
  return ((a % n) + n) % n;
}
