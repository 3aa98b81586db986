/** Filters and what measures take, beside their plain twins. */
import { randomStream } from '@daxel/core/math/random';
import { compiledFilter, filterPlane, gaussianKernel, plainFilter, type PlaneFilter } from '@daxel/core/measure/blur';
import { flipMap } from '@daxel/core/measure/flip';
import { ssimMap } from '@daxel/core/measure/ssim';
import { medianOf, row, type Bench } from './rows';

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
    const blur = (filter: PlaneFilter) => (): void => void filterPlane(filter, plane, kernel, kernel);
    const compiled = compiledFilter(WIDTH, HEIGHT);
    const rows = [];
    if (compiled) {
      const [ours, twin] = [await time(blur(compiled)), await time(blur(plainFilter(WIDTH, HEIGHT)))];
      rows.push(row('filters', '19 × 19 weights over 960×540, separable', 'plain twin', ours, twin, 'ms'));
    }
    const flip = await time(() => void flipMap(a, b, WIDTH, HEIGHT));
    rows.push(row('filters', 'FLIP of 960×540', 'bar with kernels', flip, FLIP_BAR, 'ms'));
    const ssim = await time(() => void ssimMap(plane, other, WIDTH, HEIGHT));
    rows.push(row('filters', 'SSIM of 960×540', 'FLIP', ssim, flip, 'ms'));
    return rows;
  },
};
