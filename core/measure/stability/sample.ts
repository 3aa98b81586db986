/** Reading pictures between their pixels. */

/**
 * Weights of the four nearest values for a cubic through them (Catmull & Rom 1974, A Class of Local Interpolating
 * Splines). Bilinear reading would blur by an amount that changes with every shift, and so feign flicker.
 * @param f place between the second and the third, 0…1
 */
export function cubicWeights(f: number, out: Float64Array, at: number): void {
  const f2 = f * f;
  const f3 = f2 * f;
  out[at] = -0.5 * f + f2 - 0.5 * f3;
  out[at + 1] = 1 - 2.5 * f2 + 1.5 * f3;
  out[at + 2] = 0.5 * f + 2 * f2 - 1.5 * f3;
  out[at + 3] = -0.5 * f2 + 0.5 * f3;
}

const weights = new Float64Array(8);

/** Value at a place, pixel centres at whole numbers, at least two pixels inside the picture. */
export function cubicAt(plane: Float32Array, width: number, x: number, y: number): number {
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const at = y0 * width + x0;
  if (x === x0 && y === y0) return plane[at];
  cubicWeights(x - x0, weights, 0);
  cubicWeights(y - y0, weights, 4);
  let sum = 0;
  for (let j = 0; j < 4; j++) {
    const p = at + (j - 1) * width;
    sum +=
      weights[4 + j] *
      (plane[p - 1] * weights[0] + plane[p] * weights[1] + plane[p + 1] * weights[2] + plane[p + 2] * weights[3]);
  }
  return sum;
}
