/** Ambient occlusion at work on one thread. */
import { sampleReach, type FrameWork } from '../../frame/frameWork';
import { hashCombine } from '../../math/random';
import { boxWithin } from '../../raster/tile';
import { bend, type OpenAround, type SurfaceRow } from '../method';
import { createGrid, GRID_BYTES, type OcclusionGrid } from './grid';
import { FOUND_LEAN, FOUND_OPEN, FOUND_SIZE, PLACE_NORMAL, PLACE_PIXEL, PLACE_POSITION, PLACE_SIZE } from './horizon';
import { LOOKOUT_BYTES, LOOKOUT_PLACES, Lookout } from './lookout';
import type { OcclusionOptions, OcclusionViews } from './stage';

/** Tells these random numbers from those of lights. */
const OCCLUSION_SEED = 0x0cc1;

export function openOcclusion(work: FrameWork, options: OcclusionOptions, views: OcclusionViews): OpenAround {
  const { settings, prepass, pattern, memory, team } = work;
  const { width, height, margin } = settings.wide;
  const seed = hashCombine(pattern.seed, OCCLUSION_SEED);
  const lookout = new Lookout(memory, team.part(views.lookouts, LOOKOUT_BYTES));
  const room = options.half ? team.part(views.grids, GRID_BYTES) : null;
  const seedOf = (pixel: number): number => (seed + pixel) | 0;
  const place = new Float64Array(PLACE_SIZE);
  const found = new Float64Array(FOUND_SIZE);
  const lean = new Float64Array(3);
  const waiting = new Int32Array(LOOKOUT_PLACES);
  let grid: OcclusionGrid | null = null;
  let origin: readonly number[] = [0, 0, 0];
  let number = 0;

  const placeOf = ({ px, py, base, position, normal }: SurfaceRow, i: number): void => {
    place[PLACE_PIXEL] = px + i + margin;
    place[PLACE_PIXEL + 1] = py + margin;
    for (let c = 0; c < 3; c++) {
      place[PLACE_POSITION + c] = position[c][i] + (base[c] - origin[c]);
      place[PLACE_NORMAL + c] = normal[c][i];
    }
  };
  const write = (row: SurfaceRow, i: number): void => {
    row.open[i] = Math.max(0, 1 + (found[FOUND_OPEN] - 1) * options.strength);
    if (!options.bent) return;
    for (let c = 0; c < 3; c++) lean[c] = found[FOUND_LEAN + c] * options.strength;
    bend(row, i, lean);
  };

  return {
    prepare({ eye }) {
      const { rays } = eye.wide;
      ({ origin } = rays);
      const field = { depth: prepass.prepassDepth, width, height, rays };
      lookout.over(field, options);
      lookout.forRows(options, seed, room);
      const seen = { ...field, normals: prepass.prepassNormals };
      grid = room && createGrid({ field: seen, lookout, room, reach: sampleReach(work), seed: seedOf });
      return true;
    },
    begin(sample) {
      ({ number } = sample);
      if (!grid) return;
      grid.begin(boxWithin(sample.tile, margin), number);
      lookout.toCorner(grid.corner);
    },
    gather(row) {
      // the depth that is looked over is that of what lies behind them
      if (row.seeThrough) return;
      if (row.compiled) {
        const offset = row.base.map((b, c) => b - origin[c]);
        return lookout.lookFromRow({ px: row.px + margin, py: row.py + margin }, offset, number);
      }
      let count = 0;
      for (let i = 0; i < row.count; i++) {
        if (row.live[i] === 0) continue;
        placeOf(row, i);
        if (grid?.read(place, found)) {
          write(row, i);
          continue;
        }
        const x = Math.min(width - 1, Math.max(0, Math.floor(place[PLACE_PIXEL])));
        const y = Math.min(height - 1, Math.max(0, Math.floor(place[PLACE_PIXEL + 1])));
        lookout.put(count, place, seedOf(y * width + x));
        waiting[count++] = i;
      }
      if (count === 0) return;
      lookout.look(count, number);
      for (let k = 0; k < count; k++) {
        lookout.take(k, found);
        write(row, waiting[k]);
      }
    },
  };
}
