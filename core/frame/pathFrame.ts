/** The path-traced part of a frame: groups of samples, each developed, with denoising, stopping blocks and checkpoints. */
import { bindKernel } from '@daxel/kernel/load';
import { frameLight } from '../light/frameLight';
import { exp2 } from '../math/exact';
import { hash32 } from '../math/random';
import { SUMS } from '../light/components';
import type { SurfaceInput } from '../raster/surface';
import { VIEW_KEYS } from '../raster/views';
import { rayFrame } from '../scene/camera';
import { lensOf } from '../scene/aperture';
import { MATERIAL_STRIDE, M_ROUGHNESS, M_THICKNESS } from '../scene/materialTable';
import { environmentRadiance, useStrength } from '../scene/environment';
import type { EnvironmentPicture, EnvironmentSource, PlacedLight } from '../scene/source';
import type { CompiledScene } from '../scene/compiled';
import { CAST_GLASS, CAST_SOLID } from '../shadows/shadowMap';
import type { Checkpoint } from '../trace/checkpoint';
import { DENOISE_LEVELS, denoiseRows, finishDenoise, prepareDenoise, type DenoiseInput } from '../trace/denoise';
import type { BvhArrays } from '../trace/bvhLayout';
import { createEmitters, type Surroundings } from '../trace/emitters';
import { buildEnvironmentSampler, type EnvironmentSampler } from '../trace/environmentSampler';
import { glowingTriangles } from '../trace/glowingTriangles';
import type { RayKernel } from '../trace/rayKernel';
import { placePortals, type Portals } from '../trace/portals';
import { BLOCK, P_COUNT, PATH_SUMS, relativeError, resolveRows, settleBlocks } from '../trace/pathSums';
import { canTracePaths, PATH_TILE, PathKernel, pathScratchBytes } from '../trace/pathKernel';
import { lookThroughMiddle, tracePaths, type PathInput } from '../trace/tracePaths';
import type { FrameViews, PoseViews } from './frameMemory';
import type { FrameSettings, PathOptions } from './frameSettings';
import { castKinds, faceRule, rayKinds } from './materialRules';
import type { Moment } from './moment';
import type { Team } from './team';

export interface PathFrameInput {
  scene: CompiledScene;
  settings: FrameSettings;
  options: PathOptions;
  environment: EnvironmentSource;
  picture: EnvironmentPicture | null;
  lights: readonly PlacedLight[];
  /** Puts scene and camera where they are at an instant of the shutter. @returns null when cancelled */
  moveTo: (instant: number) => Moment | null;
  pose: PoseViews;
  bvh: BvhArrays;
  kernel: RayKernel | null;
  /** The memory with the compiled loops, or null. */
  memory: WebAssembly.Memory | null;
  frame: FrameViews;
  surface: SurfaceInput;
  seed: number;
  /** Samples of the pattern that frames before this one took; null for a frame by itself. */
  sampleBase: number | null;
  /** Show how noisy the picture is, instead of it. */
  noise: boolean;
  /** Tiles of PATH_TILE that are wanted, by number; null for all. */
  tiles: readonly number[] | null;
  /** Samples that stand in the memory already. */
  from: number;
  /** Seconds between checkpoints; 0 for none. */
  checkpointSeconds: number;
}

export interface PathFrameHooks {
  team: Team;
  now: () => number;
  /** Books milliseconds to stages: geometry, samples, bounce, shadows. */
  spent: Float64Array;
  /** Turns the sums of so many samples into the display picture. @returns false when cancelled */
  develop: (samples: number, last: boolean) => boolean;
  onPicture: (samples: number) => void;
  onCheckpoint?: (checkpoint: Checkpoint) => void;
}

const LARGEST_GROUP = 16;
const ROW_BLOCK = 16;

/** @returns samples done, and whether all were */
export function renderPaths(input: PathFrameInput, hooks: PathFrameHooks): { samples: number; finished: boolean } {
  const { settings, options, frame } = input;
  const { team } = hooks;
  const { width, height } = settings.render;
  const white = exp2(-settings.exposureEv);
  const tilesX = Math.ceil(width / PATH_TILE);
  const tiles = input.tiles ?? Array.from({ length: tilesX * Math.ceil(height / PATH_TILE) }, (_, i) => i);
  team.announce(tiles.length * Math.max(0, settings.samples - input.from));
  let instant = -1;
  let paths: PathInput | null = null;
  let compiled: PathKernel | null = null;
  const ownScratch = pathScratchBytes(input.scene.meta.materials.length);
  const scratch = frame.pathScratch.subarray(team.index * ownScratch, (team.index + 1) * ownScratch);
  const rectOf = (k: number): [number, number, number, number] => {
    const x0 = (tiles[k] % tilesX) * PATH_TILE;
    const y0 = Math.floor(tiles[k] / tilesX) * PATH_TILE;
    return [x0, y0, Math.min(width, x0 + PATH_TILE), Math.min(height, y0 + PATH_TILE)];
  };
  const look = (k: number): void => lookThroughMiddle(paths!, compiled, ...rectOf(k));
  if (input.from === 0 && !team.share(1, () => frame.settled.fill(0))) return { samples: 0, finished: false };
  const rows = Math.ceil(height / ROW_BLOCK);
  const share = (run: (from: number, to: number) => void): boolean =>
    team.share(rows, (b) => run(b * ROW_BLOCK, Math.min(height, (b + 1) * ROW_BLOCK)));
  let saved = hooks.now();
  let samples = input.from;
  let shown = samples;
  // the ray structure follows from instant to instant: it goes the same way when a frame goes on
  for (let i = 0; i < Math.floor(samples / settings.perInstant); i++)
    if (!input.moveTo(i)) return { samples, finished: false };
  while (samples < settings.samples) {
    const next = Math.floor(samples / settings.perInstant);
    if (next !== instant) {
      const moment = input.moveTo(next);
      if (!moment) return { samples, finished: false };
      instant = next;
      paths = pathInput(input, moment, white, hooks);
      compiled = input.memory && canTracePaths(paths.emitters) ? new PathKernel(input.memory, scratch, paths) : null;
      if (samples === 0 && paths.aperture && !team.share(tiles.length, look)) return { samples, finished: false };
    }
    const last = (instant + 1) * settings.perInstant;
    const due = shown + Math.min(LARGEST_GROUP, Math.max(1, shown));
    const to = Math.min(last, due);
    const trace = (k: number): void => {
      for (let s = samples; s < to; s++) tracePaths(paths!, compiled, ...rectOf(k), s);
    };
    if (!team.share(tiles.length, trace, to - samples)) return { samples, finished: false };
    samples = to;
    // a block that stopped early would have seen a part of the open time only
    if (options.errorTarget > 0 && settings.shutter === 1 && samples >= options.minimum) {
      const settle = (row: number): void =>
        settleBlocks(frame.paths, frame.settled, width, height, white, options.errorTarget, row, row + 1);
      if (!team.share(Math.ceil(height / BLOCK), settle)) return { samples, finished: false };
    }
    if (samples < due && samples < settings.samples) continue;
    shown = samples;
    const resolve = (from: number, end: number): void => {
      if (input.noise) showNoise(frame, samples, width, white, from, end);
      else resolveRows(frame.paths, frame.sums, samples, width, from, end);
    };
    if (!share(resolve)) return { samples, finished: false };
    if (options.denoise && !input.noise && samples > 1) {
      if (!denoise(input, samples, share)) return { samples, finished: false };
    }
    // all blocks may be settled: more samples would go nowhere
    const settled = options.errorTarget > 0 && frame.settled.every((s) => s === 1);
    if (!hooks.develop(samples, settled || samples === settings.samples)) return { samples, finished: false };
    if (team.leads) hooks.onPicture(samples);
    if (input.checkpointSeconds > 0) {
      // whoever comes first keeps it: the others wait, so that nothing changes meanwhile
      const keep = (): void => {
        if (hooks.now() - saved < input.checkpointSeconds * 1000) return;
        hooks.onCheckpoint?.(checkpointOf(frame, samples));
      };
      if (!team.share(1, keep)) return { samples, finished: false };
      if (hooks.now() - saved >= input.checkpointSeconds * 1000) saved = hooks.now();
    }
    if (settled) break;
  }
  return { samples, finished: true };
}

export function checkpointOf(frame: FrameViews, samples: number): Checkpoint {
  const { paths, settled, depth, normal, objectId } = frame;
  return {
    samples,
    paths: paths.slice(),
    settled: settled.slice(),
    depth: depth.slice(),
    normal: normal.slice(),
    objectId: objectId.slice(),
  };
}

function denoise(
  input: PathFrameInput,
  samples: number,
  share: (run: (from: number, to: number) => void) => boolean,
): boolean {
  const { settings, options, frame } = input;
  const work: DenoiseInput = {
    width: settings.render.width,
    height: settings.render.height,
    paths: frame.paths,
    depth: frame.depth,
    a: frame.filterA,
    b: frame.filterB,
    features: frame.filterFeatures,
    strength: options.denoiseStrength,
    loops: input.memory && bindKernel(input.memory),
  };
  if (!share((from, to) => prepareDenoise(work, from, to))) return false;
  for (let level = 0; level < DENOISE_LEVELS; level++) {
    if (!share((from, to) => denoiseRows(work, level, from, to))) return false;
    [work.a, work.b] = [work.b, work.a];
  }
  return share((from, to) => finishDenoise(work, frame.sums, samples, from, to));
}

function pathInput(input: PathFrameInput, { world, camera }: Moment, white: number, hooks: PathFrameHooks): PathInput {
  const { scene, settings, options, pose, bvh, kernel, frame } = input;
  const casts = castKinds(scene, true);
  if (options.caustics) {
    // bent light is found by paths: in a straight line such glass lets none through
    for (let m = 0; m < casts.length; m++) if (casts[m] === CAST_GLASS && bends(scene, m)) casts[m] = CAST_SOLID;
  }
  const frontOnly = faceRule(scene).map((faces) => (faces === 1 ? 1 : 0));
  kernel?.bind(rayKinds(casts, frontOnly));
  return {
    surface: input.surface,
    bvh,
    shadows: { scene, bvh, casts, kernel },
    frontOnly,
    emitters: createEmitters(
      input.lights.map((source, i) => frameLight(source, i, world)),
      surroundings(input.environment, input.picture, placePortals(scene.meta.portals ?? [], world)),
      glowingTriangles(scene, pose.positions),
    ),
    rays: rayFrame(camera, settings.render.width, settings.render.height),
    aperture: lensOf(camera),
    limits: {
      total: options.bounces,
      matte: options.matte,
      gloss: options.gloss,
      through: options.through,
      roulette: options.roulette,
      clamp: options.clamp > 0 ? options.clamp * white : Infinity,
      caustics: options.caustics,
    },
    width: settings.render.width,
    height: settings.render.height,
    samples: input.sampleBase === null ? settings.samples : Infinity,
    sampleBase: input.sampleBase ?? 0,
    filter: settings.filter,
    filterRadius: settings.filterRadius,
    seed: hash32(input.seed),
    paths: frame.paths,
    done: frame.settled,
    depth: frame.depth,
    normal: frame.normal,
    objectId: frame.objectId,
    now: hooks.now,
    spent: hooks.spent,
  };
}

/** Solid or rough glass, by its material's own numbers. */
function bends(scene: CompiledScene, material: number): boolean {
  const m = material * MATERIAL_STRIDE;
  return scene.materials[m + M_THICKNESS] > 0 || scene.materials[m + M_ROUGHNESS] > 0.1;
}

/** Cells of the table by which directions are drawn. */
const PICTURE_CELLS = [256, 128] as const;
const GRADIENT_CELLS = [64, 32] as const;
let kept: { key: string; picture: EnvironmentPicture | null; sampler: EnvironmentSampler | null } | null = null;

function surroundings(
  environment: EnvironmentSource,
  picture: EnvironmentPicture | null,
  portals: Portals | null,
): Surroundings | null {
  const radiance = environmentRadiance(environment, picture);
  const uses = {
    camera: useStrength(environment, 'camera'),
    light: useStrength(environment, 'light'),
    reflection: useStrength(environment, 'reflection'),
  };
  if (uses.camera === 0 && uses.light === 0 && uses.reflection === 0) return null;
  const key = JSON.stringify(environment);
  if (kept?.key !== key || kept.picture !== picture) {
    const [width, height] = environment.kind === 'picture' ? PICTURE_CELLS : GRADIENT_CELLS;
    kept = { key, picture, sampler: buildEnvironmentSampler(radiance, width, height) };
  }
  const lights = uses.light > 0 || uses.reflection > 0;
  return { radiance, sampler: lights ? kept.sampler : null, portals, ...uses };
}

const NOISE_STOPS = [0.01, 0.03, 0.1, 0.3, 1];

/** Relative standard error as the colours of the view's key, into the glow of otherwise black sums. */
function showNoise(frame: FrameViews, samples: number, width: number, white: number, from: number, to: number): void {
  const colors = VIEW_KEYS.noise!;
  for (let i = from * width; i < to * width; i++) {
    const o = i * SUMS;
    frame.sums.fill(0, o, o + SUMS);
    const e = relativeError(frame.paths, i, white);
    let k = 0;
    while (k < NOISE_STOPS.length - 1 && e > NOISE_STOPS[k + 1]) k++;
    const next = Math.min(NOISE_STOPS.length - 1, k + 1);
    const t = next > k ? Math.min(1, Math.max(0, (e - NOISE_STOPS[k]) / (NOISE_STOPS[next] - NOISE_STOPS[k]))) : 0;
    const covered = frame.paths[i * PATH_SUMS + P_COUNT] > 0 ? 1 : 0;
    for (let c = 0; c < 3; c++)
      frame.sums[o + 9 + c] = (colors[k].rgb[c] + (colors[next].rgb[c] - colors[k].rgb[c]) * t) * samples * covered;
  }
}
