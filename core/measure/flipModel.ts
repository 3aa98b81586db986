/** The filters of FLIP, by the angle that a pixel spans; shared by its plain and its compiled form. See `flip`. */
import { exp } from '../math/exact';
import { gaussianKernel } from './blur';

/** Contrast sensitivity as sums of Gaussians (a, b): a · √(π/b) · exp(−π² x² / b), x in degrees. */
const SENSITIVITY = [
  [[1, 0.0047]],
  [[1, 0.0053]],
  [
    [34.1, 0.04],
    [13.5, 0.025],
  ],
];
const WIDEST = 0.04;
/** Angular width of the feature detector, degrees. */
const FEATURE = 0.082;

export interface WeightedKernel {
  kernel: Float64Array;
  /** Shares of one channel's kernels add up to 1. */
  share: number;
}

/** What the eye resolves of luminance, red against green, blue against yellow: one or two separable kernels each. */
export function sensitivityKernels(ppd: number): WeightedKernel[][] {
  const radius = Math.ceil(3 * Math.sqrt(WIDEST / (2 * Math.PI ** 2)) * ppd);
  return SENSITIVITY.map((terms) => {
    const kernels = terms.map(([a, b]) => {
      const k = Float64Array.from({ length: radius * 2 + 1 }, (_, i) =>
        exp((-(Math.PI ** 2) * ((i - radius) / ppd) ** 2) / b),
      );
      const sum = k.reduce((s, v) => s + v, 0);
      return { kernel: trim(k.map((v) => v / sum)), share: a * Math.sqrt(Math.PI / b) * sum * sum };
    });
    const total = kernels.reduce((s, k) => s + k.share, 0);
    return kernels.map(({ kernel, share }) => ({ kernel, share: share / total }));
  });
}

/** A Gaussian with its first and second derivative: what finds edges and points. */
export function featureKernels(ppd: number): { smooth: Float64Array; edge: Float64Array; point: Float64Array } {
  const sigma = 0.5 * FEATURE * ppd;
  const radius = Math.ceil(3 * sigma);
  const smooth = gaussianKernel(sigma, radius);
  const at = (i: number): number => i - radius;
  const edge = balanced(smooth.map((w, i) => -at(i) * w));
  const point = balanced(smooth.map((w, i) => ((at(i) / sigma) ** 2 - 1) * w));
  return { smooth, edge, point };
}

/** Without the ends that weigh nothing: together they would move no code of a display by a hundredth. */
function trim(kernel: Float64Array): Float64Array {
  let from = 0;
  while (from < (kernel.length - 1) / 2 && kernel[from] < 1e-5) from++;
  const left = kernel.subarray(from, kernel.length - from);
  const sum = left.reduce((s, v) => s + v, 0);
  return left.map((v) => v / sum);
}

/** Positive weights add up to 1, negative ones to −1. */
function balanced(kernel: Float64Array): Float64Array {
  let [up, down] = [0, 0];
  for (const k of kernel) {
    if (k > 0) up += k;
    else down -= k;
  }
  return kernel.map((k) => (k > 0 ? k / up : down > 0 ? k / down : 0));
}
