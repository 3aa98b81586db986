/**
 * Voxels at work on one thread (after Crassin, Neyret, Sainz, Green, Eisemann 2011, Interactive Indirect Illumination Using Voxel
 * Cone Tracing). Cones leave the faces of voxels and not every pixel: what they find is there for all pixels and frames in
 * which nothing moves, does not crawl when the camera does, and is asked as quickly as probes are.
 */
import * as O from '@daxel/kernel/generated/layouts/voxelOrder';
import { bindKernel } from '@daxel/kernel/load';
import { BadInputError } from '../../errors';
import type { FrameWork } from '../../frame/frameWork';
import type { OpenAround } from '../method';
import { tellPlace } from '../tellPlace';
import { makeVoxels } from './makeVoxels';
import { createLeakView } from './showLeaks';
import { createVoxelView } from './showVoxels';
import { ANSWER_BYTES, ORDER_ROOM, type VoxelOptions, type VoxelViews } from './stage';
import { writeOrder } from './voxelOrder';

const WORLD = [0, 0, 0];

export function openVoxels(work: FrameWork, options: VoxelOptions, views: VoxelViews): OpenAround {
  const { memory, team } = work;
  if (!memory)
    throw new BadInputError(
      'bounce.method voxels has compiled loops alone, and these are off here. Choose probes or traced, or let DAXEL_KERNELS be.',
    );
  const { grid } = options;
  const loops = bindKernel(memory);
  const room = team.part(views.voxelOrders, ORDER_ROOM);
  const told = writeOrder(work, options, views, room);
  const { order, at: orderAt } = told;
  const answer = new Float32Array(room.buffer, orderAt + ORDER_ROOM - ANSWER_BYTES, 4);
  let base: readonly number[] = [NaN, NaN, NaN];
  /** They are of another instant than the last one. */
  let moved = false;
  const tellFrom = (from: readonly number[]): void => {
    if (from.every((b, c) => b === base[c])) return;
    base = [...from];
    for (let c = 0; c < 3; c++) order[O.VOXELS_FROM + c] = grid.min[c] - base[c];
  };

  return {
    answers: 'voxels',
    anywhere: true,
    matteOnly: true,
    prepare(look, stands) {
      // bounced light hardly changes while the shutter is open: that of its first instant serves for all
      moved ||= look.instant > 0 && !stands;
      return stands || look.instant > 0 || makeVoxels(work, options, views, told, look);
    },
    lasts: () => !moved,
    shows: ['voxels', 'voxelSize', 'leaks'],
    show(look, mode) {
      if (mode !== 'leaks' || !look.traced) return createVoxelView(grid, views, look);
      return createLeakView(look.traced, grid, ({ x, y, z }, n) => {
        tellFrom(WORLD);
        loops.askVoxelsAt(orderAt, x, y, z, n[0], n[1], n[2], answer.byteOffset);
        return answer;
      });
    },
    begin() {
      // they answer alike for every sample
    },
    gather(row) {
      tellFrom(row.base);
      if (row.compiled) return loops.askVoxels(orderAt);
      const { position: p, normal: n, diffuse } = row;
      for (let i = 0; i < row.count; i++) {
        if (row.live[i] === 0 || !(diffuse[0][i] + diffuse[1][i] + diffuse[2][i] > 0) || row.bounceSure[i] >= 1)
          continue;
        loops.askVoxelsAt(orderAt, p[0][i], p[1][i], p[2][i], n[0][i], n[1][i], n[2][i], answer.byteOffset);
        tellPlace(row, i, answer, { sure: answer[3], after: options.after });
      }
    },
  };
}
