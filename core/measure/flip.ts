/**
 * FLIP: how different two display pictures look when they alternate in place (Andersson et al. 2020, FLIP: A Difference
 * Evaluator for Alternating Images). Both pictures are filtered by what the eye resolves at a viewing distance, compared
 * in a perceptual colour space, and differences of edges and points are weighted up.
 */
import { kernelsInUse } from '@daxel/kernel/load';
import { cbrt, pow } from '../math/exact';
import { plainFilter, type PlaneFilter } from './blur';
import { compiledFlip } from './flipKernel';
import { featureKernels, sensitivityKernels, type WeightedKernel } from './flipModel';

/** Pixels along one degree of what the viewer sees: 0.7 m from a screen 0.7 m wide with 3840 pixels. */
export const PIXELS_PER_DEGREE = 67;

const COLOR_POWER = 0.7;
const BEND = 0.4;
const BEND_TO = 0.95;

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
  const compiled = kernelsInUse() ? compiledFlip(a, b, width, height, pixelsPerDegree, largestDifference()) : null;
  return compiled ?? plainFlip(a, b, width, height, pixelsPerDegree);
}

/** The plain twin. */
export function plainFlip(
  a: Float32Array,
  b: Float32Array,
  width: number,
  height: number,
  pixelsPerDegree = PIXELS_PER_DEGREE,
): Float32Array {
  const [planesA, planesB] = [opponentPlanes(a), opponentPlanes(b)];
  const filter = plainFilter(width, height);
  const color = colorDifference(planesA, planesB, filter, pixelsPerDegree);
  const feature = featureDifference(planesA[0], planesB[0], filter, pixelsPerDegree);
  for (let i = 0; i < color.length; i++) if (color[i] > 0) color[i] = pow(color[i], 1 - feature[i]);
  return color;
}

/** Of the two colours that are farthest apart. */
export function largestDifference(): number {
  huntLab(0, 1, 0, labA);
  huntLab(0, 0, 1, labB);
  return pow(hyab(labA, labB), COLOR_POWER);
}

/** Planes of the linear opponent space: luminance, red against green, blue against yellow. */
function opponentPlanes(rgb: Float32Array): [Float32Array, Float32Array, Float32Array] {
  const n = rgb.length / 3;
  const planes = [new Float32Array(n), new Float32Array(n), new Float32Array(n)] as const;
  for (let i = 0; i < n; i++) {
    const r = clamp(rgb[i * 3]);
    const g = clamp(rgb[i * 3 + 1]);
    const b = clamp(rgb[i * 3 + 2]);
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
  filter: PlaneFilter,
  ppd: number,
): Float32Array {
  const kernels = sensitivityKernels(ppd);
  const [la, lb] = [a, b].map((planes) => planes.map((p, k) => seenPlane(p, kernels[k], filter)));
  const out = new Float32Array(la[0].length);
  const largest = largestDifference();
  const bend = BEND * largest;
  for (let i = 0; i < out.length; i++) {
    labOf(la, i, labA);
    labOf(lb, i, labB);
    const apart = hyab(labA, labB);
    if (apart === 0) continue;
    const difference = pow(apart, COLOR_POWER);
    out[i] =
      difference < bend
        ? (difference * BEND_TO) / bend
        : BEND_TO + ((difference - bend) / (largest - bend)) * (1 - BEND_TO);
  }
  return out;
}

const labA = new Float64Array(3);
const labB = new Float64Array(3);

function seenPlane(plane: Float32Array, kernels: readonly WeightedKernel[], filter: PlaneFilter): Float32Array {
  const parts = kernels.map(({ kernel }) => filter.both(plane, kernel, kernel));
  if (parts.length === 1) return parts[0];
  return parts[0].map((_, i) => parts.reduce((sum, part, k) => sum + part[i] * kernels[k].share, 0));
}

/** Filtered opponent numbers back to colours that can be shown, then to the perceptual space. */
function labOf(planes: readonly Float32Array[], i: number, out: Float64Array): void {
  const y = (planes[0][i] + 16) / 116;
  const x = (planes[1][i] / 500 + y) * WHITE[0];
  const z = (y - planes[2][i] / 200) * WHITE[2];
  const r = clamp(3.2409699419 * x - 1.5373831776 * y - 0.4986107603 * z);
  const g = clamp(-0.9692436363 * x + 1.8759675015 * y + 0.0415550574 * z);
  const b = clamp(0.0556300797 * x - 0.2039769589 * y + 1.0569715142 * z);
  huntLab(r, g, b, out);
}

const clamp = (v: number): number => (v > 0 ? (v < 1 ? v : 1) : 0);

/** CIE L*a*b* with colourfulness growing with lightness (Hunt 1952). */
function huntLab(r: number, g: number, b: number, out: Float64Array): void {
  const x = bent((0.4123907993 * r + 0.3575843394 * g + 0.1804807884 * b) / WHITE[0]);
  const y = bent(0.2126390059 * r + 0.7151686788 * g + 0.0721923154 * b);
  const z = bent((0.0193308187 * r + 0.1191947798 * g + 0.9505321522 * b) / WHITE[2]);
  const L = 116 * y - 16;
  out[0] = L;
  out[1] = 0.01 * L * 500 * (x - y);
  out[2] = 0.01 * L * 200 * (y - z);
}

function bent(t: number): number {
  return t > 0.008856451679 ? cbrt(t) : 7.787037037 * t + 0.1379310345;
}

/** City-block in lightness, straight in colour (Abasi et al. 2020). */
function hyab(p: Float64Array, q: Float64Array): number {
  const a = p[1] - q[1];
  const b = p[2] - q[2];
  return Math.abs(p[0] - q[0]) + Math.sqrt(a * a + b * b);
}

function featureDifference(a: Float32Array, b: Float32Array, filter: PlaneFilter, ppd: number): Float32Array {
  const { smooth, edge, point } = featureKernels(ppd);
  /** Strength of edges and of points. */
  const strengths = (plane: Float32Array): Float32Array[] => {
    const light = plane.map((v) => (v + 16) / 116);
    const smoothed = filter.rows(light, smooth);
    return [edge, point].map((kernel) => {
      const across = filter.columns(filter.rows(light, kernel), smooth);
      const down = filter.columns(smoothed, kernel);
      for (let i = 0; i < across.length; i++) across[i] = Math.sqrt(across[i] * across[i] + down[i] * down[i]);
      return across;
    });
  };
  const [edgeA, pointA] = strengths(a);
  const [edgeB, pointB] = strengths(b);
  for (let i = 0; i < edgeA.length; i++) {
    const d = Math.max(Math.abs(edgeA[i] - edgeB[i]), Math.abs(pointA[i] - pointB[i]));
    // to the power of a half, as the source has it
    edgeA[i] = Math.sqrt(d / Math.SQRT2);
  }
  return edgeA;
}
