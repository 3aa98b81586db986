/** Structural similarity (Wang et al. 2004, Image Quality Assessment: From Error Visibility to Structural Similarity). */
import { gaussianKernel, planeFilter } from './blur';

const C1 = 0.01 ** 2;
const C2 = 0.03 ** 2;
const WINDOW = gaussianKernel(1.5, 5);

/** @param a, b one display code 0…1 a pixel @returns similarity per pixel, 1 for alike */
export function ssimMap(a: Float32Array, b: Float32Array, width: number, height: number): Float32Array {
  const filter = planeFilter(width, height);
  const mean = (p: Float32Array): Float32Array => filter.both(p, WINDOW, WINDOW);
  const [ma, mb] = [mean(a), mean(b)];
  const aa = mean(a.map((v) => v * v));
  const bb = mean(b.map((v) => v * v));
  const ab = mean(a.map((v, i) => v * b[i]));
  return ma.map((x, i) => {
    const y = mb[i];
    const [va, vb, cov] = [aa[i] - x * x, bb[i] - y * y, ab[i] - x * y];
    return ((2 * x * y + C1) * (2 * cov + C2)) / ((x * x + y * y + C1) * (va + vb + C2));
  });
}
