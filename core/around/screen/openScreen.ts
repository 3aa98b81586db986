/**
 * Bounced light by rays through the picture at work on one thread (after McGuire & Mara 2014, Efficient GPU Screen-Space Ray
 * Tracing): rays leave each place by the cosine, are followed in the picture from pixel to pixel, and bring home what the
 * pixel sends behind whose surface they come first. What the picture does not show it does not know: what rays miss is left
 * to the methods after this one.
 */
import * as F from '@daxel/kernel/generated/layouts/screenFour';
import * as O from '@daxel/kernel/generated/layouts/screenOrder';
import { bindKernel } from '@daxel/kernel/load';
import { BadInputError } from '../../errors';
import { sampleReach, type FrameWork } from '../../frame/frameWork';
import { pathLimits } from '../../frame/pathScenery';
import { boxWithin, takenOf } from '../../raster/tile';
import { hashCombine } from '../../math/random';
import { bend, type OpenAround, type SurfaceRow } from '../method';
import { MARCH_BYTES, POINTS_BYTES, type ScreenOptions, type ScreenViews } from './stage';
import { tilePoints } from './tilePoints';

/** Tells these random numbers from others. */
const SCREEN_SEED = 0x5c4e;

export function openScreen(work: FrameWork, options: ScreenOptions, views: ScreenViews): OpenAround {
  const { settings, prepass, pattern, memory, team } = work;
  if (!memory)
    throw new BadInputError(
      'bounce.method screen has compiled loops alone, and these are off here. Choose probes or traced, or let DAXEL_KERNELS be.',
    );
  const { width, height, margin } = settings.wide;
  const loops = bindKernel(memory);
  const room = team.part(views.marches, MARCH_BYTES);
  const points = options.step > 1 ? team.part(views.screenPoints, POINTS_BYTES) : null;
  const orderAt = room.byteOffset;
  const fourAt = orderAt + O.SCREEN_ORDER_BYTES;
  const order = new Float32Array(room.buffer, orderAt, O.SCREEN_ORDER_STRIDE);
  const marks = new Int32Array(room.buffer, orderAt, O.SCREEN_ORDER_STRIDE);
  const four = new Float32Array(room.buffer, fourAt, F.FOUR_STRIDE);
  const fourMarks = new Int32Array(room.buffer, fourAt, F.FOUR_STRIDE);
  const seed = hashCombine(pattern.seed, SCREEN_SEED);
  const reach = sampleReach(work);
  const beyond = options.blends ? 2 : 1;
  let origin: readonly number[] = [0, 0, 0];
  /** The sample whose random numbers are there. */
  let number = -1;
  const lean = new Float64Array(3);

  /** One place, as the first of four. */
  const gatherOne = (row: SurfaceRow, i: number): void => {
    const { px, py, base, position, normal, face, bounce, bounceSure, far } = row;
    fourMarks.fill(0, F.FOUR_LIVE, F.FOUR_LIVE + 4);
    fourMarks[F.FOUR_LIVE] = -1;
    fourMarks[F.FOUR_SEED] = (seed + (Math.floor(py + margin) << 14) + Math.floor(px + i + margin)) | 0;
    four[F.FOUR_X] = (px + margin + i - 0.5) / options.step + 0.5;
    four[F.FOUR_Y] = (py + margin - 0.5) / options.step + 0.5;
    for (let c = 0; c < 3; c++) {
      four[F.FOUR_POSITION + c * 4] = position[c][i] + (base[c] - origin[c]);
      four[F.FOUR_NORMAL + c * 4] = normal[c][i];
      four[F.FOUR_FACE + c * 4] = face[c][i];
    }
    loops.marchFrom(fourAt, orderAt);
    const sure = Math.min(1, four[F.FOUR_SURE]);
    bounceSure[i] = sure;
    far[i] = Math.max(0, 1 - sure - four[F.FOUR_LEFT] - four[F.FOUR_HIDDEN]);
    for (let c = 0; c < 3; c++) {
      bounce[c][i] = sure > 0 ? four[F.FOUR_FOUND + c * 4] / sure : 0;
      lean[c] = -four[F.FOUR_LEAN + c * 4];
    }
    bend(row, i, lean);
  };

  return {
    answers: 'screen',
    matteOnly: true,
    readsLight: {
      surfaces: options.bounces,
      most: pathLimits(options, settings.exposureEv).clamp,
      step: options.step,
    },
    prepare({ eye: { wide, camera } }) {
      const { rays } = wide;
      ({ origin } = rays);
      const { forward, perspective } = rays;
      const { step } = options;
      // the picture of the pixels that are taken: their middles are those of every so many
      const right = rays.right.map((v) => v * step);
      const down = rays.down.map((v) => v * step);
      const aside = (1 - step) / 2;
      const base = rays.base.map((v, c) => (perspective ? v : v - origin[c]) + aside * (rays.right[c] + rays.down[c]));
      const square = right.reduce((sum, v) => sum + v * v, 0);
      marks[O.SCREEN_DEPTH] = prepass.senderDepth.byteOffset;
      marks[O.SCREEN_SMOOTH] = prepass.senderNormal.byteOffset;
      marks[O.SCREEN_SENDERS] = prepass.senderLight.byteOffset;
      marks.set([takenOf(width, step), takenOf(height, step), perspective ? 1 : 0], O.SCREEN_WIDTH);
      order.set(base, O.SCREEN_BASE);
      order.set(right, O.SCREEN_RIGHT);
      order.set(down, O.SCREEN_DOWN);
      order.set(forward, O.SCREEN_FORWARD);
      for (const [k, axis] of [right, down].entries()) {
        const perMetre = axis.map((v) => v / square);
        order.set(perMetre, O.SCREEN_TO_X + 3 * k);
        order[O.SCREEN_MIDDLE + k] = -base.reduce((sum, v, c) => sum + v * axis[c], 0) / square;
      }
      order[O.SCREEN_NEAR] = camera.lens.near;
      order[O.SCREEN_RANGE] = options.range;
      order[O.SCREEN_THICKNESS] = options.thickness;
      marks.set([options.rays, options.steps, options.refines], O.SCREEN_RAYS);
      marks[O.SCREEN_SEED] = seed;
      marks[O.SCREEN_DRAWS] = fourAt + F.FOUR_BYTES;
      marks[O.SCREEN_GRID] = points?.byteOffset ?? 0;
      order[O.SCREEN_PER_PIXEL] = 1 / step;
      marks[O.SCREEN_BLENDS] = options.blends ? 1 : 0;
      number = -1;
      return true;
    },
    begin(sample) {
      if (sample.number !== number) loops.drawRays(orderAt, sample.number);
      ({ number } = sample);
      if (!points) return;
      const at = tilePoints(boxWithin(sample.tile, margin), { step: options.step, reach, beyond, width, height });
      marks.set([at.left, at.top], O.SCREEN_GRID_LEFT);
      loops.fillScreenGrid(fourAt, orderAt, at.x0, at.y0, at.x1, at.y1);
    },
    missed(out) {
      out[0] = Math.min(1, four[F.FOUR_SURE]);
      out[1] = four[F.FOUR_LEFT];
      out[2] = four[F.FOUR_HIDDEN];
    },
    gather(row) {
      if (row.compiled) {
        for (let c = 0; c < 3; c++) order[O.SCREEN_OFFSET + c] = row.base[c] - origin[c];
        return loops.marchRow(fourAt, orderAt, row.px + margin, row.py + margin);
      }
      for (let i = 0; i < row.count; i++)
        if (row.live[i] !== 0 && row.diffuse[0][i] + row.diffuse[1][i] + row.diffuse[2][i] > 0) gatherOne(row, i);
    },
  };
}
