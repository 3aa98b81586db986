/** Filters and what measures take, beside their plain twins. */
import {
  DENOISE_LEVELS,
  denoiseRows,
  FEATURES,
  FILTERED,
  planeStride,
  prepareDenoise,
} from '@daxel/core/trace/denoise';
import { P_COLOR, P_COUNT, P_SQUARE, PATH_SUMS } from '@daxel/core/trace/pathSums';
import { halfConverter } from '@daxel/formats/exr/halfConverter';
import { bindKernel, createKernelMemory, type KernelExports } from '@daxel/kernel/load';
import { randomStream } from '@daxel/core/math/random';
import { compiledFilter, gaussianKernel, plainFilter, type PlaneFilter } from '@daxel/core/measure/blur';
import { flipMap } from '@daxel/core/measure/flip';
import { ssimMap } from '@daxel/core/measure/ssim';
import { medianOf, row, type Bench, type BenchRow } from './rows';

const [WIDTH, HEIGHT] = [960, 540];
/** Milliseconds that FLIP may take. */
const FLIP_BAR = 60;

export const filters: Bench = {
  name: 'filters',
  async run() {
    const random = randomStream(3);
    const [a, b] = [0, 1].map(() => Float32Array.from({ length: WIDTH * HEIGHT * 3 }, () => random()));
    const plane = a.slice(0, WIDTH * HEIGHT);
    const other = b.slice(0, WIDTH * HEIGHT);
    const kernel = gaussianKernel(3, 9);
    const time = (run: () => void): Promise<number> =>
      medianOf(1, 5, () => {
        const from = performance.now();
        run();
        return performance.now() - from;
      });
    const blur = (filter: PlaneFilter) => (): void => void filter.both(plane, kernel, kernel);
    const compiled = compiledFilter(WIDTH, HEIGHT);
    const rows: BenchRow[] = [];
    if (compiled) {
      const [ours, twin] = [await time(blur(compiled)), await time(blur(plainFilter(WIDTH, HEIGHT)))];
      rows.push(row('filters', '19 × 19 weights over 960×540, separable', 'plain twin', ours, twin, 'ms'));
    }
    rows.push(...(await denoising(time)), ...(await halves(a, time)));
    const flip = await time(() => void flipMap(a, b, WIDTH, HEIGHT));
    rows.push(row('filters', 'FLIP of 960×540', 'bar with kernels', flip, FLIP_BAR, 'ms'));
    const ssim = await time(() => void ssimMap(plane, other, WIDTH, HEIGHT));
    rows.push(row('filters', 'SSIM of 960×540', 'FLIP', ssim, flip, 'ms'));
    return rows;
  },
};

/** Five levels of the edge-stopping filter over noise on a slanted plane, with normals, colours and depth. */
async function denoising(time: (run: () => void) => Promise<number>): Promise<BenchRow[]> {
  const pixels = WIDTH * HEIGHT;
  const plane = planeStride(pixels);
  const parts = [plane * FILTERED, plane * FILTERED, plane * FEATURES, pixels * PATH_SUMS, pixels];
  const memory = createKernelMemory(parts.reduce((sum, n) => sum + n * 4, 0));
  if (!memory) return [];
  let at = 0;
  const [first, second, features, paths, depth] = parts.map((n) => {
    const array = new Float32Array(memory.buffer, at, n);
    at += n * 4;
    return array;
  });
  const random = randomStream(7);
  for (let i = 0; i < pixels; i++) {
    const p = i * PATH_SUMS;
    for (let k = 0; k < 9; k++) paths[p + k] = random() * 8;
    paths[p + P_SQUARE] = 900;
    paths.set([4, 3.2, 2.4, 0, 8, 0], p + P_COLOR);
    paths[p + P_COUNT] = 8;
    depth[i] = 4 + Math.floor(i / WIDTH) / HEIGHT;
  }
  const input = { width: WIDTH, height: HEIGHT, paths, depth, a: first, b: second, features, strength: 2 };
  const levels = (loops: KernelExports | null) => (): void => {
    const work = { ...input, loops };
    prepareDenoise(work, 0, HEIGHT);
    for (let level = 0; level < DENOISE_LEVELS; level++) {
      denoiseRows(work, level, 0, HEIGHT);
      [work.a, work.b] = [work.b, work.a];
    }
  };
  const [ours, twin] = [await time(levels(bindKernel(memory))), await time(levels(null))];
  return [row('filters', 'à-trous, five levels of 960×540 with features', 'plain twin', ours, twin, 'ms')];
}

async function halves(values: Float32Array, time: (run: () => void) => Promise<number>): Promise<BenchRow[]> {
  const convert = (compiled: boolean): (() => void) => {
    const rows = halfConverter(WIDTH * 3, compiled);
    return () => {
      for (let y = 0; y < HEIGHT; y++) rows(values.subarray(y * WIDTH * 3, (y + 1) * WIDTH * 3));
    };
  };
  const [ours, twin] = [await time(convert(true)), await time(convert(false))];
  return [row('filters', 'half floats, three channels of 960×540', 'plain twin', ours, twin, 'ms')];
}
