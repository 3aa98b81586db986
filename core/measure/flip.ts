/**
 * FLIP: how different two display pictures look when they alternate in place (Andersson et al. 2020, FLIP: A Difference
 * Evaluator for Alternating Images). Both pictures are filtered by what the eye resolves at a viewing distance, compared
 * in a perceptual colour space, and differences of edges and points are weighted up.
 */
import { exp, pow } from '../math/exact';
import { filterPlane, gaussianKernel } from './blur';

/** Pixels along one degree of what the viewer sees: 0.7 m from a screen 0.7 m wide with 3840 pixels. */
export const PIXELS_PER_DEGREE = 67;

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
const COLOR_POWER = 0.7;
const BEND = 0.4;
const BEND_TO = 0.95;
const FEATURE_POWER = 0.5;

const WHITE = [0.950428545, 1, 1.088900371];

/**
 * @param a, b rgb per pixel, display-linear 0…1
 * @returns difference per pixel, 0 (none) to 1
 */
export function flipMap(
  a: Float32Array,
  b: Float32Array,
  width: number,
  height: number,
  pixelsPerDegree = PIXELS_PER_DEGREE,
): Float32Array {
  const [planesA, planesB] = [opponentPlanes(a), opponentPlanes(b)];
  const color = colorDifference(planesA, planesB, width, height, pixelsPerDegree);
  const feature = featureDifference(planesA[0], planesB[0], width, height, pixelsPerDegree);
  for (let i = 0; i < color.length; i++) color[i] = color[i] ** (1 - feature[i]);
  return color;
}

/** Planes of the linear opponent space: luminance, red against green, blue against yellow. */
function opponentPlanes(rgb: Float32Array): [Float32Array, Float32Array, Float32Array] {
  const n = rgb.length / 3;
  const planes = [new Float32Array(n), new Float32Array(n), new Float32Array(n)] as const;
  for (let i = 0; i < n; i++) {
    const [r, g, b] = [0, 1, 2].map((c) => Math.min(1, Math.max(0, rgb[i * 3 + c])));
    const x = (0.4123907993 * r + 0.3575843394 * g + 0.1804807884 * b) / WHITE[0];
    const y = 0.2126390059 * r + 0.7151686788 * g + 0.0721923154 * b;
    const z = (0.0193308187 * r + 0.1191947798 * g + 0.9505321522 * b) / WHITE[2];
    planes[0][i] = 116 * y - 16;
    planes[1][i] = 500 * (x - y);
    planes[2][i] = 200 * (y - z);
  }
  return [...planes];
}

function colorDifference(
  a: readonly Float32Array[],
  b: readonly Float32Array[],
  width: number,
  height: number,
  ppd: number,
): Float32Array {
  const [la, lb] = [a, b].map((planes) => planes.map((p, k) => seenPlane(p, SENSITIVITY[k], width, height, ppd)));
  const out = new Float32Array(la[0].length);
  const largest = hyab(huntLab([0, 1, 0]), huntLab([0, 0, 1])) ** COLOR_POWER;
  for (let i = 0; i < out.length; i++) {
    const difference = hyab(labOf(la, i), labOf(lb, i)) ** COLOR_POWER;
    const bend = BEND * largest;
    out[i] =
      difference < bend
        ? (difference * BEND_TO) / bend
        : BEND_TO + ((difference - bend) / (largest - bend)) * (1 - BEND_TO);
  }
  return out;
}

function seenPlane(plane: Float32Array, terms: number[][], width: number, height: number, ppd: number): Float32Array {
  const radius = Math.ceil(3 * Math.sqrt(WIDEST / (2 * Math.PI ** 2)) * ppd);
  const kernels = terms.map(([a, b]) => {
    const k = Float64Array.from({ length: radius * 2 + 1 }, (_, i) =>
      exp((-(Math.PI ** 2) * ((i - radius) / ppd) ** 2) / b),
    );
    const sum = k.reduce((s, v) => s + v, 0);
    return { kernel: k.map((v) => v / sum), weight: a * Math.sqrt(Math.PI / b) * sum * sum };
  });
  const total = kernels.reduce((s, k) => s + k.weight, 0);
  const out = new Float32Array(plane.length);
  for (const { kernel, weight } of kernels) {
    const trimmed = trim(kernel);
    const part = filterPlane(plane, width, height, trimmed, trimmed);
    for (let i = 0; i < out.length; i++) out[i] += (part[i] * weight) / total;
  }
  return out;
}

/** Without the ends that weigh nothing. */
function trim(kernel: Float64Array): Float64Array {
  let from = 0;
  while (from < (kernel.length - 1) / 2 && kernel[from] < 1e-7) from++;
  return kernel.subarray(from, kernel.length - from);
}

const rgb = [0, 0, 0];

/** Filtered opponent numbers back to colours that can be shown, then to the perceptual space. */
function labOf(planes: readonly Float32Array[], i: number): number[] {
  const y = (planes[0][i] + 16) / 116;
  const x = (planes[1][i] / 500 + y) * WHITE[0];
  const z = (y - planes[2][i] / 200) * WHITE[2];
  rgb[0] = clamp(3.2409699419 * x - 1.5373831776 * y - 0.4986107603 * z);
  rgb[1] = clamp(-0.9692436363 * x + 1.8759675015 * y + 0.0415550574 * z);
  rgb[2] = clamp(0.0556300797 * x - 0.2039769589 * y + 1.0569715142 * z);
  return huntLab(rgb);
}

const clamp = (v: number): number => (v < 0 ? 0 : v > 1 ? 1 : v);

/** CIE L*a*b* with colourfulness growing with lightness (Hunt 1952). */
function huntLab([r, g, b]: readonly number[]): number[] {
  const f = (t: number): number => (t > 0.008856451679 ? pow(t, 1 / 3) : 7.787037037 * t + 0.1379310345);
  const x = f((0.4123907993 * r + 0.3575843394 * g + 0.1804807884 * b) / WHITE[0]);
  const y = f(0.2126390059 * r + 0.7151686788 * g + 0.0721923154 * b);
  const z = f((0.0193308187 * r + 0.1191947798 * g + 0.9505321522 * b) / WHITE[2]);
  const L = 116 * y - 16;
  return [L, 0.01 * L * 500 * (x - y), 0.01 * L * 200 * (y - z)];
}

/** City-block in lightness, straight in colour (Abasi et al. 2020). */
function hyab(p: readonly number[], q: readonly number[]): number {
  return Math.abs(p[0] - q[0]) + Math.sqrt((p[1] - q[1]) ** 2 + (p[2] - q[2]) ** 2);
}

function featureDifference(a: Float32Array, b: Float32Array, width: number, height: number, ppd: number): Float32Array {
  const sigma = 0.5 * FEATURE * ppd;
  const radius = Math.ceil(3 * sigma);
  const smooth = gaussianKernel(sigma, radius);
  const at = (i: number): number => i - radius;
  const edge = balanced(smooth.map((w, i) => -at(i) * w));
  const point = balanced(smooth.map((w, i) => ((at(i) / sigma) ** 2 - 1) * w));
  const strength = (plane: Float32Array, kernel: Float64Array): Float32Array => {
    const light = plane.map((v) => (v + 16) / 116);
    const across = filterPlane(light, width, height, kernel, smooth);
    const down = filterPlane(light, width, height, smooth, kernel);
    return across.map((v, i) => Math.sqrt(v * v + down[i] * down[i]));
  };
  const [edgeA, edgeB, pointA, pointB] = [strength(a, edge), strength(b, edge), strength(a, point), strength(b, point)];
  return edgeA.map((_, i) => {
    const d = Math.max(Math.abs(edgeA[i] - edgeB[i]), Math.abs(pointA[i] - pointB[i]));
    return (d / Math.SQRT2) ** FEATURE_POWER;
  });
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
