/**
 * One frame, from scene to display picture. Every thread of the team runs this same program on shared memory; preview,
 * still and sequence differ only in the job they pass.
 */
import { spreadGlow } from '../film/bloom';
import { createEnvironmentFiller, ENVIRONMENT_ITEMS } from '../light/environmentTables';
import { exp2 } from '../math/exact';
import { hashCombine } from '../math/random';
import { touchedPixels, type Rect } from '../measure/rect';
import { measureChunk, measureQuickly } from '../raster/chunkBounds';
import { TILE_SHIFT, type PixelBox } from '../raster/tile';
import type { ViewMode } from '../raster/views';
import { rayFrame, type CameraView } from '../scene/camera';
import { INSTANCE_STRIDE, type CompiledScene } from '../scene/compiled';
import { drawnScene, fillDrawn } from '../scene/detail';
import { poseInstances } from '../scene/pose';
import type { EnvironmentPicture, Lighting } from '../scene/source';
import { buildBvh } from '../trace/buildBvh';
import { BvhBuilder } from '../trace/bvhBuilder';
import { bvhOf } from '../trace/bvhLayout';
import type { Checkpoint } from '../trace/checkpoint';
import { RayKernel, scratchBytes } from '../trace/rayKernel';
import { PATH_TILE } from '../trace/pathKernel';
import {
  developKernel,
  encodeQuickly,
  encodeRows,
  gatherBeauty,
  gatherQuickly,
  spreadQuickly,
  type DevelopInput,
} from './develop';
import { computedRect, scaleRows, scalingOf } from './scaling';
import {
  chunkCount,
  computedViews,
  TIMED_STAGES,
  tilesAcross,
  type FrameViews,
  type PoseViews,
  type ShadowViews,
} from './frameMemory';
import type { FrameSettings, PathOptions } from './frameSettings';
import { accumulateRows, keepRows, type HistoryInput } from './history';
import { seeThroughInstances } from './materialRules';
import { pointMotion } from './motion';
import { momentAt, type Moment } from './moment';
import { renderPaths } from './pathFrame';
import { renderRaster } from './rasterFrame';
import type { Team } from './team';

export interface FrameJob {
  settings: FrameSettings;
  /** Seconds, in the order in which they are drawn. */
  instants: readonly number[];
  camera: CameraView;
  timeSeconds: number;
  seed: number;
  /** The frame is one of a run that accumulates over time: see `FrameHistory`. */
  history?: FrameHistory;
  lighting: Lighting;
  /** An instrument instead of the picture. */
  view: ViewMode;
  /** Parts of the picture that are wanted, pixels; the rest is left as it is. Absent for the whole picture. */
  regions?: readonly Rect[];
  /** Path tracing: samples that stand in the memory already, and seconds between checkpoints (0 for none). */
  samplesBefore?: number;
  checkpointSeconds?: number;
  /** Level of detail per instance, or null where all are full: see `chooseLevels`. */
  levels: Uint8Array | null;
  /** What in the memory is still right and is not made again: the pose with its ray structure, maps, environment. */
  keepPose: boolean;
  keepShadows: boolean;
  keepEnvironment: boolean;
  /** The samples themselves: they are only developed. */
  keepSamples: boolean;
}

/** Ties a frame to those before it. Frames of one run are rendered in order, into the same memory. */
export interface FrameHistory {
  /** Any name; runs of other names keep memory of their own. */
  run: string;
  /** Counts the frames of the shot: each takes the next samples of the pattern. */
  frame: number;
  /** When and from where the geometry of the frame before was seen; null for the first one. */
  before: { timeSeconds: number; camera: CameraView } | null;
}

export interface FrameHooks {
  /** Milliseconds from any origin. */
  now: () => number;
  /** The leading thread calls this whenever a picture of so many samples a pixel stands in `display`. */
  onPicture?: (samples: number) => void;
  /** Any thread calls this with a copy from which a path-traced frame can go on. */
  onCheckpoint?: (checkpoint: Checkpoint) => void;
}

/** How often each stage's seconds stand for one thread's busy time: wall time is busy time over threads. */
export type StageSeconds = Record<(typeof TIMED_STAGES)[number], number>;

export interface FrameOutcome {
  finished: boolean;
  samples: number;
  seconds: number;
  stages: StageSeconds;
}

const [GEOMETRY, SHADOWS, BOUNCE, SAMPLES, LENS] = [0, 1, 2, 3, 4];
const ROW_BLOCK = 16;
/** Frames may be numbered below zero. */
const FRAMES_BEFORE = 1 << 10;

/** All memory a frame works in. */
export interface FrameArenas {
  pose: PoseViews;
  shadows: ShadowViews;
  frame: FrameViews;
  /** Holds `pose`, when the compiled loops can work on it. */
  memory: WebAssembly.Memory | null;
}

export function renderFrame(
  source: CompiledScene,
  picture: EnvironmentPicture | null,
  job: FrameJob,
  { pose, shadows, frame: whole, memory }: FrameArenas,
  team: Team,
  hooks: FrameHooks,
): FrameOutcome {
  const { settings, instants } = job;
  const frame = computedViews(whole, settings);
  const { width, height } = settings.render;
  const { lights: sources, environment } = job.lighting;
  const { levels } = job;
  const scene = levels ? drawnScene(source, levels, pose) : source;
  const started = hooks.now();
  const timers = frame.timers;
  const book = (stage: number, from: number): void => {
    timers[team.index * TIMED_STAGES.length + stage] += (hooks.now() - from) / 1000;
  };
  for (let s = 0; s < TIMED_STAGES.length; s++) timers[team.index * TIMED_STAGES.length + s] = 0;
  const timed =
    (stage: number, run: (item: number) => void) =>
    (item: number): void => {
      const from = hooks.now();
      run(item);
      book(stage, from);
    };
  let samplesDone = 0;
  const outcome = (finished: boolean): FrameOutcome => {
    const stages = Object.fromEntries(
      TIMED_STAGES.map((name, s) => {
        let sum = 0;
        for (let t = 0; t < team.size; t++) sum += timers[t * TIMED_STAGES.length + s];
        return [name, sum / team.size];
      }),
    ) as StageSeconds;
    return { finished, samples: samplesDone, seconds: (hooks.now() - started) / 1000, stages };
  };

  const tilesX = tilesAcross(width, TILE_SHIFT);
  const tilesY = tilesAcross(height, TILE_SHIFT);
  const regions = job.regions?.map((r) => computedRect(r, settings));
  const scaling = scalingOf(whole, frame, settings);
  const eye = rayFrame(job.camera, width, height);
  const accumulation = job.history ? settings.history : null;
  // frames that are averaged share one pattern, each with the next samples of it
  const sampleBase = accumulation ? (Math.max(0, job.history!.frame + FRAMES_BEFORE) * settings.samples) >>> 0 : null;
  const seed =
    settings.movingPattern && !accumulation ? hashCombine(job.seed, Math.round(job.timeSeconds * 24000)) : job.seed;

  const traces = pose.bvhOrder.length > 0;
  const bvh = bvhOf(pose);
  const own = scratchBytes(scene.meta.materials.length);
  const scratch = pose.bvhScratch.subarray(team.index * own, (team.index + 1) * own);
  const kernel = traces && memory ? new RayKernel(memory, bvh, scratch) : null;
  const { triangles, triangleMaterial } = scene;
  const builder =
    kernel && memory ? new BvhBuilder(memory, bvh, { ...pose, triangles, triangleMaterial }, scratch) : null;
  /** Makes the ray structure of the pose. @param stands whether one of this frame does: bits may not depend on frames before */
  const structure = (stands: boolean): boolean => {
    if (builder) return builder.move((count, run) => team.share(count, timed(SHADOWS, run)), stands);
    const built = timed(SHADOWS, () => {
      // what lay here before is no state of this one
      pose.bvhState.fill(0);
      buildBvh(pose.positions, triangles, bvh);
      bvh.bvhOrder.forEach((t, place) => (bvh.bvhMaterials[place] = triangleMaterial[t] ?? 0));
    });
    return team.share(1, built);
  };
  let held = '';
  /** Geometry: the pose at an instant of the shutter, and its ray structure. */
  const moveTo = (instant: number): Moment | null => {
    const moment = momentAt(scene, job.camera, job.timeSeconds, instants[instant]);
    const first = held === '';
    const stands = first ? job.keepPose : held === moment.poseKey;
    held = moment.poseKey;
    if (stands) return moment;
    const posed = timed(GEOMETRY, (i) => poseInstances(scene, moment.world, i, i + 1, pose));
    if (!team.share(scene.instances.length / INSTANCE_STRIDE, posed)) return null;
    const measured = timed(GEOMETRY, (c) => {
      if (memory) measureQuickly(memory, c, pose.positions, triangles, pose);
      else measureChunk(c, pose.positions, triangles, pose);
    });
    if (!team.share(chunkCount(scene), measured)) return null;
    if (traces && !structure(!first)) return null;
    return moment;
  };

  const developer = memory ? developKernel(memory, frame.codes) : null;
  if (job.keepSamples) {
    samplesDone = settings.samples;
    return outcome(develop(samplesDone, true));
  }

  if (levels && !job.keepPose) {
    const filled = timed(GEOMETRY, () => fillDrawn(source, levels, pose));
    if (!team.share(1, filled)) return outcome(false);
  }

  // Bounce: the environment
  if (!job.keepEnvironment) {
    const fill = createEnvironmentFiller(environment, picture);
    const filled = timed(BOUNCE, (i) => fill(i, pose.environmentSh, pose.environmentMap));
    if (!team.share(ENVIRONMENT_ITEMS, filled)) return outcome(false);
  }

  if (settings.path) return pathTraced(settings.path);

  const { samples, finished } = renderRaster(
    {
      scene,
      settings,
      lighting: job.lighting,
      picture,
      view: job.view,
      levels,
      pose,
      shadows,
      frame,
      memory,
      bvh: traces ? bvh : null,
      kernel,
      seed,
      sampleBase,
      tiles: wantedTiles(regions, tilesX, tilesY, 1 << TILE_SHIFT),
      parts: regions ? regions.map(inWholeTiles) : [{ x: 0, y: 0, width, height }],
      keepShadows: job.keepShadows,
    },
    {
      team,
      now: hooks.now,
      stages: { geometry: GEOMETRY, shadows: SHADOWS, samples: SAMPLES },
      book,
      moveTo,
      gather: scaling || accumulation || regions ? null : { tile: gatherTile, whole: () => developing(1) },
      develop,
      onPicture: (n) => hooks.onPicture?.(n),
    },
  );
  samplesDone = samples;
  return outcome(finished);

  function pathTraced(options: PathOptions): FrameOutcome {
    const spent = new Float64Array(4);
    const tileSide = [tilesAcrossPaths(width), tilesAcrossPaths(height)] as const;
    const { samples, finished } = renderPaths(
      {
        scene,
        settings,
        options,
        environment,
        picture,
        lights: sources,
        moveTo,
        pose,
        bvh,
        kernel,
        memory,
        frame,
        surface: { scene, posed: pose, clip: frame.clip, textureBias: settings.textureBias, steady: settings.steady },
        seed,
        sampleBase,
        noise: job.view === 'noise',
        tiles: regions ? wantedTiles(regions, ...tileSide, PATH_TILE) : null,
        from: job.samplesBefore ?? 0,
        checkpointSeconds: job.checkpointSeconds ?? 0,
      },
      {
        team,
        now: hooks.now,
        spent,
        develop,
        onPicture: (n) => hooks.onPicture?.(n),
        onCheckpoint: hooks.onCheckpoint,
      },
    );
    samplesDone = samples;
    [GEOMETRY, SAMPLES, BOUNCE, SHADOWS].forEach((stage, i) => {
      timers[team.index * TIMED_STAGES.length + stage] += spent[i] / 1000;
    });
    // the others' times are read only once all have booked theirs
    if (!team.share(0, () => undefined)) return outcome(false);
    return outcome(finished);
  }

  /** Averages what this frame shows with the frames before it, in place. @returns false when cancelled */
  function accumulate(samples: number): boolean {
    if (!accumulation || !job.history) return true;
    const { before } = job.history;
    const seen = { timeSeconds: instants[0], camera: momentAt(scene, job.camera, job.timeSeconds, instants[0]).camera };
    const motion =
      before &&
      pointMotion({
        scene,
        width,
        height,
        depth: frame.depth,
        objectId: frame.objectId,
        seeThrough: seeThroughInstances(scene),
        overlaid: frame.overlaid,
        behind: settings.path ? 'unknown' : 'background',
        ...seen,
        nextCamera: before.camera,
        nextTimeSeconds: before.timeSeconds,
      });
    const input: HistoryInput = {
      width,
      height,
      sums: frame.sums,
      samples,
      depth: frame.depth,
      objectId: frame.objectId,
      before: frame.history,
      after: frame.historyNext,
      depthBefore: frame.historyDepth,
      idBefore: frame.historyId,
      motion,
      white: exp2(-settings.exposureEv),
      ...accumulation,
    };
    const blocks = Math.ceil(height / ROW_BLOCK);
    const rows = (run: typeof accumulateRows) =>
      timed(SAMPLES, (b) => run(input, b * ROW_BLOCK, Math.min(height, (b + 1) * ROW_BLOCK)));
    return team.share(blocks, rows(accumulateRows)) && team.share(blocks, rows(keepRows));
  }

  function gatherTile(tile: PixelBox, samples: number): void {
    const from = hooks.now();
    gather(developing(samples), tile);
    book(LENS, from);
  }

  function gather(input: DevelopInput, box: PixelBox): void {
    if (developer) gatherQuickly(developer, input, box);
    else gatherBeauty(input, box);
  }

  function developing(samples: number): DevelopInput {
    // instruments but the grey one are not exposed: their colours are their meaning
    const picturing = job.view === 'picture' || job.view === 'light';
    const { width, height } = settings;
    return {
      width,
      height,
      sums: whole.sums,
      scale: (picturing ? exp2(settings.exposureEv) : 1) / samples,
      beauty: whole.beauty,
      glow: whole.glow,
      display: whole.display,
      tone: picturing ? settings.tone : 'none',
      bloom: picturing ? settings.bloom : 0,
      vignette: picturing ? settings.vignette : 0,
      dither: settings.dither,
      rays: scaling ? rayFrame(job.camera, width, height) : eye,
    };
  }

  /** @param gathered the tiles stand in `beauty` already */
  function develop(samples: number, last: boolean, gathered = false): boolean {
    if (last && !accumulate(samples)) return false;
    const { width, height } = settings;
    const input = developing(samples);
    const blocks = Math.ceil(height / ROW_BLOCK);
    const rows = (run: (from: number, to: number) => void) =>
      timed(LENS, (b) => run(b * ROW_BLOCK, Math.min(height, (b + 1) * ROW_BLOCK)));
    const gathering = rows((y0, y1) => gather(input, { x0: 0, y0, x1: width, y1 }));
    const encode = rows((from, to) => {
      if (developer) encodeQuickly(developer, input, from, to);
      else encodeRows(input, from, to);
    });
    if (scaling) {
      // of parts alone no more is scaled than of them: a price by parts would be that of the whole picture otherwise
      const parts = (job.regions ?? [{ x: 0, y: 0, width, height }]).map((r) => touchedPixels(r, width, height));
      const resize = timed(LENS, (b) => {
        for (const { x0, y0, x1, y1 } of parts)
          scaleRows(scaling, Math.max(y0, b * ROW_BLOCK), Math.min(y1, (b + 1) * ROW_BLOCK), x0, x1);
      });
      if (!team.share(blocks, resize)) return false;
    }
    if (input.bloom === 0) {
      return team.share(blocks, (b) => {
        if (!gathered) gathering(b);
        encode(b);
      });
    }
    // the glow of a place comes from all others
    if (!gathered && !team.share(blocks, gathering)) return false;
    const spread = timed(LENS, () => {
      if (developer) spreadQuickly(developer, input);
      else whole.glow.set(spreadGlow(whole.beauty, width, height).rgb);
    });
    return team.share(1, spread) && team.share(blocks, encode);
  }
}

/** Numbers of the tiles that any of the regions touches; all tiles without regions. */
function wantedTiles(regions: FrameJob['regions'], across: number, down: number, side: number): number[] {
  const all = Array.from({ length: across * down }, (_, i) => i);
  if (!regions) return all;
  return all.filter((i) => {
    const x = (i % across) * side;
    const y = Math.floor(i / across) * side;
    return regions.some((r) => x < r.x + r.width && x + side > r.x && y < r.y + r.height && y + side > r.y);
  });
}

/** A region with all of the tiles that it touches. */
function inWholeTiles({ x, y, width, height }: Rect): Rect {
  const down = (v: number): number => (v >> TILE_SHIFT) << TILE_SHIFT;
  const side = 1 << TILE_SHIFT;
  const [left, top] = [down(x), down(y)];
  return { x: left, y: top, width: down(x + width - 1) + side - left, height: down(y + height - 1) + side - top };
}

function tilesAcrossPaths(pixels: number): number {
  return Math.ceil(pixels / PATH_TILE);
}
