/** The path-traced part of a frame: groups of samples, each developed, with denoising, stopping blocks and checkpoints. */
import { bindKernel } from '@daxel/kernel/load';
import { BadInputError } from '../errors';
import { exp2 } from '../math/exact';
import { SUMS } from '../light/components';
import type { PixelBox } from '../raster/tile';
import { VIEW_KEYS } from '../shading/views';
import { lensOf } from '../scene/aperture';
import type { Checkpoint } from '../trace/checkpoint';
import { DENOISE_LEVELS, denoiseRows, finishDenoise, prepareDenoise, type DenoiseInput } from '../trace/denoise';
import { BLOCK, P_COUNT, PATH_SUMS, relativeError, resolveRows, settleBlocks } from '../trace/pathSums';
import { canTracePaths, PATH_TILE, PathKernel, pathScratchBytes } from '../trace/pathKernel';
import { lookThroughMiddle, tracePaths, type PathInput } from '../trace/tracePaths';
import type { FrameHooks } from './frameJob';
import { ROW_BLOCK, type FrameViews } from './frameMemory';
import type { PathOptions } from './frameSettings';
import { wantedTiles, type FrameWork } from './frameWork';
import type { Lens } from './lens';
import type { Look } from './look';
import { pathLimits, pathScenery } from './pathScenery';
import { samplesDue, type SampleMethod } from './sampleMethod';
import { tracedScene, type TracedScene } from './stages/rays';

const stages = ['geometry', 'samples', 'bounce', 'shadows'] as const;

export function pathSamples(work: FrameWork, options: PathOptions, lens: Lens, hooks: FrameHooks): SampleMethod {
  const { settings, frame, memory, team, clock } = work;
  const { width, height } = settings.render;
  const white = exp2(-settings.exposureEv);
  const noise = work.view === 'noise';
  const [across, down] = [Math.ceil(width / PATH_TILE), Math.ceil(height / PATH_TILE)];
  const tiles = wantedTiles(work.parts, across, down, PATH_TILE);
  const traced = tracedScene(work, work.rays);
  const scratch = team.part(frame.pathScratch, pathScratchBytes(work.scene.meta.materials.length));
  const rectOf = (k: number): PixelBox => {
    const x0 = (tiles[k] % across) * PATH_TILE;
    const y0 = Math.floor(tiles[k] / across) * PATH_TILE;
    return { x0, y0, x1: Math.min(width, x0 + PATH_TILE), y1: Math.min(height, y0 + PATH_TILE) };
  };
  const rows = Math.ceil(height / ROW_BLOCK);
  const share = (run: (from: number, to: number) => void): boolean =>
    team.share(rows, (b) => run(b * ROW_BLOCK, Math.min(height, (b + 1) * ROW_BLOCK)));
  /** Milliseconds by stage, as the loops count them. */
  const spent = new Float64Array(stages.length);
  let saved = clock.now();
  let samples = work.samplesBefore;
  let shown = samples;
  let settled = false;

  /** Blocks that are sure enough stop. @returns false when cancelled */
  const settle = (): boolean => {
    // a block that stopped early would have seen a part of the open time only
    if (options.errorTarget === 0 || settings.shutter > 1 || samples < options.minimum) return true;
    return team.share(Math.ceil(height / BLOCK), (row) =>
      settleBlocks(frame.paths, frame.settled, width, height, white, options.errorTarget, row, row + 1),
    );
  };
  const show = (): boolean => {
    const resolve = (from: number, end: number): void => {
      if (noise) showNoise(frame, samples, width, white, from, end);
      else resolveRows(frame.paths, frame.sums, samples, width, from, end);
    };
    if (!share(resolve)) return false;
    if (options.denoise && !noise && samples > 1 && !denoise(work, options, samples, share)) return false;
    // all blocks may be settled: more samples would go nowhere
    settled = options.errorTarget > 0 && frame.settled.every((s) => s === 1);
    if (!lens.develop(samples, settled || samples === settings.samples)) return false;
    if (team.leads) hooks.onPicture?.(samples);
    return true;
  };
  const keep = (): boolean => {
    const seconds = work.checkpointSeconds ?? 0;
    if (seconds === 0) return true;
    const due = (): boolean => clock.now() - saved >= seconds * 1000;
    // whoever comes first keeps it: the others wait, so that nothing changes meanwhile
    const write = (): void => {
      if (due()) hooks.onCheckpoint?.(checkpointOf(frame, samples));
    };
    if (!team.share(1, write)) return false;
    if (due()) saved = clock.now();
    return true;
  };

  return {
    draw(look) {
      if (look.instant === 0) {
        team.announce(tiles.length * Math.max(0, settings.samples - samples));
        if (samples === 0 && !team.share(1, () => frame.settled.fill(0))) return false;
      }
      const last = (look.instant + 1) * settings.perInstant;
      // of a frame that goes on these stand already
      if (samples >= last) return true;
      const input = pathInput(work, options, look, traced, spent);
      const compiled = memory && canTracePaths(input.emitters) ? new PathKernel(memory, scratch, input) : null;
      const tracer = { input, compiled };
      const middle = (k: number): void => lookThroughMiddle(tracer, rectOf(k));
      if (samples === 0 && input.camera?.aperture && !team.share(tiles.length, middle)) return false;
      while (samples < last && !settled) {
        const due = samplesDue(shown);
        const to = Math.min(last, due);
        const trace = (k: number): void => {
          for (let s = samples; s < to; s++) tracePaths(tracer, rectOf(k), s);
          stages.forEach((stage, i) => clock.add(stage, spent[i]));
          spent.fill(0);
        };
        if (!team.share(tiles.length, trace, to - samples)) return false;
        samples = to;
        if (!settle()) return false;
        if (samples < due && samples < settings.samples) continue;
        shown = samples;
        if (!show() || !keep()) return false;
      }
      return true;
    },
    done: () => samples,
  };
}

/** Puts a checkpoint in place. @throws BadInputError when it is of another size */
export function goOnFrom(views: FrameViews, from: Checkpoint): void {
  if (from.paths.length !== views.paths.length || from.settled.length !== views.settled.length)
    throw new BadInputError('This checkpoint is of another picture size. Delete it and render from the start.');
  views.paths.set(from.paths);
  views.settled.set(from.settled);
  views.depth.set(from.depth);
  views.normal.set(from.normal);
  views.objectId.set(from.objectId);
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
  { settings, frame, memory }: FrameWork,
  options: PathOptions,
  samples: number,
  share: (run: (from: number, to: number) => void) => boolean,
): boolean {
  const work: DenoiseInput = {
    ...settings.render,
    paths: frame.paths,
    depth: frame.depth,
    a: frame.filterA,
    b: frame.filterB,
    features: frame.filterFeatures,
    strength: options.denoiseStrength,
    loops: memory && bindKernel(memory),
  };
  if (!share((from, to) => prepareDenoise(work, from, to))) return false;
  for (let level = 0; level < DENOISE_LEVELS; level++) {
    if (!share((from, to) => denoiseRows(work, level, from, to))) return false;
    [work.a, work.b] = [work.b, work.a];
  }
  return share((from, to) => finishDenoise(work, frame.sums, samples, from, to));
}

function pathInput(
  work: FrameWork,
  options: PathOptions,
  look: Look,
  traced: TracedScene,
  spent: Float64Array,
): PathInput {
  const { settings, frame, pattern, clock } = work;
  return {
    ...pathScenery(work, look, traced, options.caustics),
    limits: pathLimits(options, settings.exposureEv),
    sampleBase: pattern.base,
    seed: pattern.pixelSeed,
    paths: frame.paths,
    camera: {
      ...settings.render,
      rays: look.eye.rays,
      aperture: lensOf(look.moment.camera),
      samples: pattern.positions,
      filter: settings.filter,
      filterRadius: settings.filterRadius,
      done: frame.settled,
      depth: frame.depth,
      normal: frame.normal,
      objectId: frame.objectId,
    },
    now: clock.now,
    spent,
  };
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
