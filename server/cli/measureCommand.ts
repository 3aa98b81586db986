/** `daxel measure`: a picture against a reference, or frames against each other. */
import { readFileSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { BadInputError } from '@daxel/core/errors';
import { measureError, type MeasuredImage } from '@daxel/core/measure/imageError';
import { readPicture } from '@daxel/formats/image/readPicture';
import { inflate } from '../inflate';
import { measureStability, STABILITY_USAGE } from './measureStability';
import { atomicWrite } from '../store/atomicWrite';

export const MEASURE_USAGE = `daxel measure error IMAGE REFERENCE [--report FILE.json]
  IMAGE, REFERENCE  .exr (scene-linear, 1 is display white before the tone curve) or .png of one size
  --report FILE     the figures as JSON
FLIP is for a viewer who sees 67 pixels a degree; an .exr is shown through the neutral tone curve for PSNR, SSIM and FLIP.

${STABILITY_USAGE}`;

export async function measureCommand(argv: string[]): Promise<void> {
  const { values, positionals } = parse(argv);
  const [what, ...paths] = positionals;
  if (what === 'stability') {
    if (paths.length !== 1) throw new BadInputError('Give one pattern: daxel measure stability frames/f.####.exr');
    const degree = values['pixels-per-degree'];
    if (degree !== undefined && !(Number(degree) >= 10 && Number(degree) <= 240))
      throw new BadInputError(`--pixels-per-degree ${degree}: give a number from 10 to 240.`);
    const pixelsPerDegree = degree === undefined ? undefined : Number(degree);
    return measureStability(paths[0], { report: values.report, pixelsPerDegree });
  }
  if (what !== 'error') throw new BadInputError(`daxel measure ${what ?? ''}: measures are error and stability.`);
  if (paths.length !== 2) throw new BadInputError('Give two pictures: daxel measure error IMAGE REFERENCE');
  const [image, reference] = paths.map(read);
  const { rmse, relMse, psnr, ssim, flip, meanStops, floor } = measureError(image, reference);
  const show = (n: number): string => (Number.isFinite(n) ? String(Number(n.toPrecision(5))) : 'no difference');
  process.stdout.write(
    `RMSE ${show(rmse)}  relative MSE ${show(relMse)}  PSNR ${show(psnr)} dB  SSIM ${show(ssim)}  FLIP ${show(flip)}  mean ${show(meanStops)} stops\n`,
  );
  if (floor > 0) {
    process.stdout.write(`The reference's own noise gives an RMSE of ${show(floor)}.\n`);
    if (rmse <= floor * 1.2) process.stdout.write('note: the difference is no more than the noise of the reference.\n');
  }
  if (values.report) {
    // JSON has no Infinity: pictures without any difference have no PSNR
    const report = {
      rmse,
      relMse,
      psnr: Number.isFinite(psnr) ? psnr : null,
      ssim,
      flip,
      meanStops,
      noiseFloor: floor,
    };
    await atomicWrite(resolve(values.report), `${JSON.stringify(report, null, 2)}\n`);
  }
}

function read(path: string): MeasuredImage {
  let bytes: Uint8Array;
  try {
    bytes = readFileSync(path);
  } catch {
    throw new BadInputError(`${path}: there is no such file, or it cannot be read.`);
  }
  return readPicture(bytes, basename(path), inflate);
}

function parse(argv: string[]) {
  try {
    return parseArgs({
      args: argv,
      allowPositionals: true,
      options: { report: { type: 'string' }, 'pixels-per-degree': { type: 'string' } },
    });
  } catch (error) {
    throw new BadInputError(`${(error as Error).message.split('\n')[0]} See: daxel measure --help`);
  }
}
