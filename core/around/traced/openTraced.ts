/**
 * Bounced light by rays at work on one thread: the rendering equation (Kajiya 1986, The Rendering Equation) from the first
 * surface on, by rays that leave it by the cosine. The surroundings and what glows are asked for light as well (next-event
 * estimation): what is small and bright would be met by chance alone as lone bright dots.
 */
import type { FrameWork } from '../../frame/frameWork';
import { pathLimits } from '../../frame/pathScenery';
import { hashCombine } from '../../math/random';
import { TILE_SIDE } from '../../raster/tile';
import { bvhOf } from '../../trace/bvhLayout';
import { canTracePaths, PathKernel, pathScratchBytes } from '../../trace/pathKernel';
import { PATH_SUMS } from '../../trace/pathSums';
import { RayKernel, scratchBytes } from '../../trace/rayKernel';
import { traceFrom, type Tracer } from '../../trace/tracePaths';
import { lookingInput } from '../lookAround';
import type { OpenAround } from '../method';
import { askEmitters } from './askEmitters';
import { bringHome, rowStarts, seedAt } from './rowRays';
import { MOST_ITEMS, type TracedOptions, type TracedViews } from './stage';

/** Tells these random numbers from others. */
const TRACED_SEED = 0x7ace;

export function openTraced(work: FrameWork, options: TracedOptions, views: TracedViews): OpenAround {
  const { scene, settings, memory, team, pattern } = work;
  const { width } = settings.render;
  const materials = scene.meta.materials.length;
  const scratch = team.part(views.aroundPaths, pathScratchBytes(materials));
  const rayScratch = team.part(views.aroundRays, scratchBytes(materials));
  const sums = team.part(views.aroundSums, MOST_ITEMS * PATH_SUMS);
  const seed = hashCombine(pattern.seed, TRACED_SEED);
  const limits = pathLimits(options, settings.exposureEv);
  /** The places of a row that see a surface with a matte part. */
  const live = new Uint8Array(TILE_SIDE);
  let tracer!: Tracer;
  let sample = 0;
  /** Pixels across the tile. */
  let across = 0;

  return {
    answers: 'traced',
    matteOnly: true,
    prepare(look) {
      const bvh = bvhOf(work.rays);
      const kernel = memory && new RayKernel(memory, bvh, rayScratch, 'around');
      const input = lookingInput(work, look, { options, traced: { bvh, kernel }, paths: sums, seed });
      const compiles = memory !== null && canTracePaths(input.emitters);
      tracer = { input, compiled: compiles ? new PathKernel(memory, scratch, input, 'around') : null };
      return true;
    },
    begin({ number, tile }) {
      sample = number;
      across = tile.x1 - tile.x0;
    },
    gather(row) {
      // the loops' row is as long as any tile is wide: what stands behind the end of this one is of another
      const places = row.compiled ? across : row.count;
      let any = 0;
      for (let i = 0; i < places; i++) {
        const matte = row.diffuse[0][i] + row.diffuse[1][i] + row.diffuse[2][i] > 0;
        live[i] = row.live[i] !== 0 && matte ? 1 : 0;
        any += live[i];
        if (live[i] === 0) continue;
        for (let c = 0; c < 3; c++) row.bounce[c][i] = 0;
        row.bounceSure[i] = 1;
      }
      if (any === 0) return;
      const { input } = tracer;
      const { rays } = options;
      const from = { row, live, places, seed, width };
      const sky = input.emitters.surroundings?.light ?? 0;
      const atOnce = Math.max(1, Math.floor(MOST_ITEMS / places));
      for (let first = 0; first < rays; first += atOnce) {
        const items = places * Math.min(atOnce, rays - first);
        const number = sample * rays + first;
        // paths are told apart by their number in the row: each row takes random numbers of its own
        input.sampleBase = hashCombine(seedAt(from, 0), number);
        sums.fill(0, 0, items * PATH_SUMS);
        traceFrom(tracer, rowStarts(from, { number, sky, ends: options.bounces === 0 }), 0, items, 0);
        bringHome(from, sums, items, { to: row.bounce, share: Math.PI / rays, most: limits.clamp });
      }
      for (let i = 0; i < places; i++)
        if (live[i] === 1) for (let r = 0; r < rays; r++) askEmitters(input, from, i, sample * rays + r, 1 / rays);
    },
  };
}
