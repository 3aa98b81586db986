/**
 * Bounced light by rays at work on one thread: the rendering equation (Kajiya 1986, The Rendering Equation) from the first
 * surface on, by rays that leave it by the cosine. The surroundings and what glows are asked for light as well (next-event
 * estimation): what is small and bright would be met by chance alone as lone bright dots.
 */
import type { FrameWork } from '../../frame/frameWork';
import { pathScenery } from '../../frame/pathScenery';
import { LIGHT_NUMBERS } from '../../light/components';
import { luminance } from '../../math/color';
import { exp2 } from '../../math/exact';
import { hashCombine } from '../../math/random';
import { sobol2 } from '../../math/sobol';
import type { ShadedPlace } from '../../shadows/shadowAt';
import { bvhOf } from '../../trace/bvhLayout';
import {
  A_DENSITY,
  A_DISTANCE,
  A_RADIANCE,
  ARRIVAL_SIZE,
  arriveFromSurroundings,
  weighEmitters,
} from '../../trace/emitters';
import { canTracePaths, PathKernel, pathScratchBytes } from '../../trace/pathKernel';
import { PATH_SUMS } from '../../trace/pathSums';
import { arriveFromGlow } from '../../trace/paths/glowArrival';
import {
  START_DENSITY,
  START_DIRECTION,
  START_ENDS,
  START_FOOTPRINT,
  START_MATTE,
  START_ORIGIN,
  START_SKY,
  START_SPREAD,
  type PathStarts,
} from '../../trace/paths/pathStarts';
import { RayKernel, scratchBytes } from '../../trace/rayKernel';
import { traceFrom, type PathInput } from '../../trace/tracePaths';
import { stepOff, traceShadow } from '../../trace/traceShadow';
import type { OpenAround, SurfaceRow } from '../method';
import { cosineDirection } from './cosineDirection';
import { MOST_ITEMS, type TracedOptions, type TracedViews } from './stage';

/** Tells these random numbers from others. */
const TRACED_SEED = 0x7ace;
const [DIRECTION, POINT, CHOICE] = [0, 1, 2];
/** How fast a ray that stands for all around a place grows wider, metres a metre: textures are read as blurred. */
const SPREAD = 0.1;

interface Tracer {
  input: PathInput;
  compiled: PathKernel | null;
}

export function openTraced(work: FrameWork, options: TracedOptions, views: TracedViews): OpenAround {
  const { scene, settings, memory, team, clock, pattern } = work;
  const { width } = settings.render;
  const materials = scene.meta.materials.length;
  const scratch = team.part(views.aroundPaths, pathScratchBytes(materials));
  const rayScratch = team.part(views.aroundRays, scratchBytes(materials));
  const numbers = MOST_ITEMS * PATH_SUMS;
  const sums = views.aroundSums.subarray(team.index * numbers, (team.index + 1) * numbers);
  const seed = hashCombine(pattern.seed, TRACED_SEED);
  const most = options.clamp > 0 ? options.clamp * exp2(-settings.exposureEv) : Infinity;
  const pair = new Float64Array(2);
  const way = new Float64Array(3);
  const arrival = new Float64Array(ARRIVAL_SIZE);
  const through = new Float64Array(3);
  const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };
  /** The places of a row that see a surface with a matte part. */
  const live = new Int32Array(MOST_ITEMS);
  let tracer!: Tracer;
  let sample = 0;

  const seedOf = ({ px, py, seeThrough }: SurfaceRow, i: number): number =>
    hashCombine(seed, Math.floor(py) * width + Math.floor(px + i) + (seeThrough ? 0x40000000 : 0));
  const positionOf = ({ base, position }: SurfaceRow, i: number, c: number): number => base[c] + position[c][i];

  /** Rays from `first` on, of so many places, one after the other. */
  const startsOf = (row: SurfaceRow, places: number, first: number): PathStarts => ({
    count: MOST_ITEMS,
    start(item, _sample, ray) {
      const i = live[item % places];
      const number = sample * options.rays + first + Math.floor(item / places);
      sobol2(number, seedOf(row, i) + DIRECTION, pair);
      cosineDirection(row.normal[0][i], row.normal[1][i], row.normal[2][i], pair[0], pair[1], way);
      const cosine = way[0] * row.normal[0][i] + way[1] * row.normal[1][i] + way[2] * row.normal[2][i];
      // a bent normal may send rays under the face
      if (!(cosine > 0) || way[0] * row.face[0][i] + way[1] * row.face[1][i] + way[2] * row.face[2][i] <= 0)
        return false;
      const off = stepOff(positionOf(row, i, 0), positionOf(row, i, 1), positionOf(row, i, 2));
      for (let c = 0; c < 3; c++) {
        ray[START_ORIGIN + c] = positionOf(row, i, c) + row.face[c][i] * off;
        ray[START_DIRECTION + c] = way[c];
      }
      ray[START_SKY] = tracer.input.emitters.surroundings?.light ?? 0;
      ray[START_FOOTPRINT] = 0;
      ray[START_SPREAD] = SPREAD;
      ray[START_DENSITY] = cosine / Math.PI;
      ray[START_MATTE] = 1;
      ray[START_ENDS] = options.bounces === 0 ? 1 : 0;
      return true;
    },
  });

  /** Adds what came home to so many places, a share of each ray. */
  const bringHome = (row: SurfaceRow, places: number, items: number, share: number): void => {
    for (let item = 0; item < items; item++) {
      let [r, g, b] = [0, 0, 0];
      for (let k = item * PATH_SUMS; k < item * PATH_SUMS + LIGHT_NUMBERS; k += 3) {
        r += sums[k];
        g += sums[k + 1];
        b += sums[k + 2];
      }
      const size = Math.abs(luminance(r, g, b));
      const kept = size > most ? (share * most) / size : share;
      const i = live[item % places];
      row.bounce[0][i] += r * kept;
      row.bounce[1][i] += g * kept;
      row.bounce[2][i] += b * kept;
    }
  };

  /**
   * Adds what a point of the surroundings or of what glows sends to a place, weighted against rays that meet it by chance
   * (power heuristic, as paths weigh it).
   */
  const ask = (row: SurfaceRow, i: number, number: number): void => {
    const { emitters, shadows } = tracer.input;
    const [x, y, z] = [positionOf(row, i, 0), positionOf(row, i, 1), positionOf(row, i, 2)];
    if (!weighEmitters(emitters, x, y, z)) return;
    const lights = emitters.lights.length;
    const [sky, glow] = [emitters.weights[lights], emitters.weights[lights + 1]];
    if (!(sky + glow > 0)) return;
    const own = seedOf(row, i);
    sobol2(number, own + CHOICE, pair);
    const ofSky = pair[0] * (sky + glow) < sky;
    const triangle = pair[1];
    sobol2(number, own + POINT, pair);
    if (ofSky) arriveFromSurroundings(emitters.surroundings!, x, y, z, pair[0], pair[1], arrival);
    else if (!arriveFromGlow(tracer.input, x, y, z, triangle, pair[0], pair[1], arrival)) return;
    const { normal, face } = row;
    const cosine = arrival[0] * normal[0][i] + arrival[1] * normal[1][i] + arrival[2] * normal[2][i];
    const above = arrival[0] * face[0][i] + arrival[1] * face[1][i] + arrival[2] * face[2][i];
    const drawn = arrival[A_DENSITY];
    if (!(cosine > 0 && above > 0 && drawn > 0)) return;
    Object.assign(place, { x, y, z, fx: face[0][i], fy: face[1][i], fz: face[2][i] });
    const reach = ofSky ? Infinity : arrival[A_DISTANCE] * 0.9999;
    traceShadow(shadows, place, arrival[0], arrival[1], arrival[2], reach, through);
    const asked = drawn * (ofSky ? sky : glow);
    const met = cosine / Math.PI;
    const weight = (asked * asked) / (asked * asked + met * met);
    const chance = (ofSky ? sky : glow) / (sky + glow);
    const use = ofSky ? emitters.surroundings!.light : 1;
    const share = (cosine * weight * use) / (drawn * chance * options.rays);
    for (let c = 0; c < 3; c++) row.bounce[c][i] += arrival[A_RADIANCE + c] * through[c] * share;
  };

  return {
    prepare(look) {
      const bvh = bvhOf(work.rays);
      const kernel = memory && new RayKernel(memory, bvh, rayScratch, 'around');
      const scenery = pathScenery(work, look, { bvh, kernel }, options.caustics);
      const { surroundings } = scenery.emitters;
      const scaled = surroundings && {
        ...surroundings,
        light: surroundings.light * settings.bounce,
        reflection: surroundings.reflection * settings.bounce,
      };
      const input: PathInput = {
        ...scenery,
        emitters: { ...scenery.emitters, surroundings: scaled },
        limits: {
          // the surface that a ray leaves has scattered already
          total: Math.max(0, options.bounces - 1),
          matte: options.matte,
          gloss: options.gloss,
          through: options.through,
          roulette: Math.max(0, options.roulette - 1),
          clamp: Infinity,
          caustics: options.caustics,
        },
        ...{ sampleBase: 0, seed, paths: sums, camera: null, now: clock.now, spent: new Float64Array(4) },
      };
      const compiles = memory !== null && canTracePaths(input.emitters);
      tracer = { input, compiled: compiles ? new PathKernel(memory, scratch, input, 'around') : null };
      return true;
    },
    begin({ number }) {
      sample = number;
    },
    gather(row) {
      let places = 0;
      for (let i = 0; i < row.count; i++) {
        const matte = row.diffuse[0][i] + row.diffuse[1][i] + row.diffuse[2][i] > 0;
        if (row.live[i] !== 0 && matte) live[places++] = i;
      }
      if (places === 0) return;
      for (let k = 0; k < places; k++) {
        for (let c = 0; c < 3; c++) row.bounce[c][live[k]] = 0;
        row.bounceSure[live[k]] = 1;
      }
      const { input } = tracer;
      const atOnce = Math.max(1, Math.floor(MOST_ITEMS / places));
      for (let first = 0; first < options.rays; first += atOnce) {
        const items = places * Math.min(atOnce, options.rays - first);
        // paths are told apart by their number in the row: each row takes random numbers of its own
        input.sampleBase = hashCombine(seedOf(row, live[0]), sample * options.rays + first);
        sums.fill(0, 0, items * PATH_SUMS);
        traceFrom(tracer, startsOf(row, places, first), 0, items, 0);
        bringHome(row, places, items, Math.PI / options.rays);
      }
      for (let k = 0; k < places; k++)
        for (let r = 0; r < options.rays; r++) ask(row, live[k], sample * options.rays + r);
    },
  };
}
