/** Separable filters over planes of one number a pixel; beyond the border the last pixel goes on. */
import { exp } from '../math/exact';

/** @param kernel weights from −r to r */
export function filterPlane(
  plane: Float32Array,
  width: number,
  height: number,
  across: ArrayLike<number>,
  down: ArrayLike<number>,
): Float32Array {
  const rx = (across.length - 1) / 2;
  const ry = (down.length - 1) / 2;
  const rows = new Float32Array(plane.length);
  for (let y = 0; y < height; y++) {
    const at = y * width;
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let k = -rx; k <= rx; k++) {
        const q = x + k;
        sum += plane[at + (q < 0 ? 0 : q >= width ? width - 1 : q)] * across[k + rx];
      }
      rows[at + x] = sum;
    }
  }
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++) {
    for (let k = -ry; k <= ry; k++) {
      const q = y + k;
      const from = (q < 0 ? 0 : q >= height ? height - 1 : q) * width;
      const w = down[k + ry];
      for (let x = 0; x < width; x++) out[y * width + x] += rows[from + x] * w;
    }
  }
  return out;
}

/** Gaussian weights that add up to one. */
export function gaussianKernel(sigma: number, radius: number): Float64Array {
  const kernel = Float64Array.from({ length: radius * 2 + 1 }, (_, i) =>
    exp(-((i - radius) ** 2) / (2 * sigma * sigma)),
  );
  const sum = kernel.reduce((a, b) => a + b, 0);
  return kernel.map((k) => k / sum);
}
