/**
 * What is mirrored, by rays, at work on one thread. Facets that mirror are drawn as the eye sees them (Heitz 2018, Sampling the GGX
 * Distribution of Visible Normals): what all of them together mirror is known in closed form, so that a ray brings radiance alone.
 */
import type { FrameWork } from '../../frame/frameWork';
import { pathLimits } from '../../frame/pathScenery';
import { useStrength } from '../../light/surroundings/kind';
import { hashCombine } from '../../math/random';
import { TILE_SIDE } from '../../raster/tile';
import { bvhOf } from '../../trace/bvhLayout';
import { canTracePaths, PathKernel, pathScratchBytes } from '../../trace/pathKernel';
import { PATH_SUMS } from '../../trace/pathSums';
import { RayKernel, scratchBytes } from '../../trace/rayKernel';
import { traceFrom, type Tracer } from '../../trace/tracePaths';
import { lookingInput } from '../lookAround';
import type { OpenAround } from '../method';
import { bringHome, seedAt } from '../traced/rowRays';
import { MOST_ITEMS } from '../traced/stage';
import { START_SIZE } from '../../trace/paths/pathStarts';
import { bounceAtHits, remembered } from './hitBounce';
import { chooseSenders, mirrorStarts } from './mirrorRays';
import type { MirrorOptions, MirrorViews } from './stage';

/** Tells these random numbers from others. */
const MIRROR_SEED = 0x3a117;

export function openMirrors(work: FrameWork, options: MirrorOptions, views: MirrorViews): OpenAround {
  const { scene, settings, memory, team, pattern, lighting } = work;
  const { width } = settings.render;
  const { rays, roughest } = options;
  const materials = scene.meta.materials.length;
  const scratch = team.part(views.mirrorPaths, pathScratchBytes(materials));
  const rayScratch = team.part(views.mirrorRays, scratchBytes(materials));
  const sums = team.part(views.mirrorSums, MOST_ITEMS * PATH_SUMS);
  const seed = hashCombine(pattern.seed, MIRROR_SEED);
  const { clamp } = pathLimits(options, settings.exposureEv);
  const sky = useStrength(lighting.environment, 'reflection') * settings.reflections;
  const bounceAtEnd = options.bounceKnown && options.bounces > 0;
  const ends = options.bounces === 0 || options.gloss === 0;
  /** The places of a row that send rays, and the part of what they mirror that these find. */
  const live = new Uint8Array(TILE_SIDE);
  const part = new Float32Array(TILE_SIDE);
  const ways = new Float64Array(MOST_ITEMS * START_SIZE);
  /** Those that know bounced light anywhere. */
  let others: readonly OpenAround[] = [];
  let tracer!: Tracer;
  let sample = 0;
  /** Pixels across the tile. */
  let across = 0;

  return {
    serves: 'reflections',
    meet: (methods) => (others = methods.filter((m) => m.anywhere)),
    prepare(look) {
      const bvh = bvhOf(work.rays);
      const kernel = memory && new RayKernel(memory, bvh, rayScratch, 'mirrors');
      const looking = lookingInput(work, look, { options, traced: { bvh, kernel }, paths: sums, seed });
      const { limits } = looking;
      // where bounced light is known anywhere, paths bring that of lamps to the surface that is mirrored, and end there
      const total = options.bounceKnown ? 0 : limits.total;
      const input = { ...looking, limits: { ...limits, gloss: options.gloss - 1, total } };
      const compiles = memory !== null && canTracePaths(input.emitters);
      tracer = { input, compiled: compiles ? new PathKernel(memory, scratch, input, 'mirrors') : null };
      return true;
    },
    begin({ number, tile }) {
      sample = number;
      across = tile.x1 - tile.x0;
    },
    gather(row) {
      const places = row.compiled ? across : row.count;
      const from = { row, live, places, seed, width };
      if (!chooseSenders(from, roughest, sample * rays, part)) return;
      const atOnce = Math.max(1, Math.floor(MOST_ITEMS / places));
      for (let first = 0; first < rays; first += atOnce) {
        const items = places * Math.min(atOnce, rays - first);
        const number = sample * rays + first;
        tracer.input.sampleBase = hashCombine(seedAt(from, 0), number);
        sums.fill(0, 0, items * PATH_SUMS);
        const starts = mirrorStarts(from, number, { sky, ends });
        traceFrom(tracer, bounceAtEnd ? remembered(starts, ways) : starts, 0, items, 0);
        if (bounceAtEnd) bounceAtHits(others, tracer.input.shadows, ways, sums, items);
        bringHome(from, sums, items, { to: row.mirror, part, share: 1 / rays, most: clamp });
      }
    },
  };
}
