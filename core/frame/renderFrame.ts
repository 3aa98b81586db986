/**
 * One frame, from scene to display picture. Every thread of the team runs this same program on shared memory; preview,
 * still and sequence differ only in the job they pass.
 */
import { spreadGlow } from '../film/bloom';
import { samplePosition } from '../film/pixelFilter';
import { exp2 } from '../math/exact';
import { hash32 } from '../math/random';
import { binChunk, type BinTarget } from '../raster/binTriangles';
import { environmentReflectance } from '../raster/reflectance';
import { shadeTile, type ShadeInput } from '../raster/shadeTile';
import { createTile, TILE_SHIFT, type Tile } from '../raster/tile';
import { transformVertices } from '../raster/transform';
import { drawTile, KIND_GLASS, KIND_MASK, KIND_OPAQUE, type VisibilityInput } from '../raster/visibility';
import type { ResolvedRecipe } from '../recipe/recipe';
import { rayFrame, worldToPixels, type CameraView } from '../scene/camera';
import { INSTANCE_STRIDE, type CompiledScene } from '../scene/compiled';
import { environmentRadiance } from '../scene/environment';
import {
  ALPHA_BLEND,
  ALPHA_MASK,
  M_ALPHA_MODE,
  M_DOUBLE_SIDED,
  M_TRANSMISSION,
  MATERIAL_STRIDE,
} from '../scene/materialTable';
import { poseInstances, poseNodes } from '../scene/pose';
import { frameLights } from '../shadows/frameLights';
import { drawShadowTile, SHADOW_TILE_SHIFT, type ShadowView } from '../shadows/shadowMap';
import { developRows } from './develop';
import { chunkCount, TIMED_STAGES, tilesAcross, type FrameViews, type PoseViews } from './frameMemory';
import { frameSettings } from './frameSettings';
import type { Team } from './team';

export interface FrameJob {
  recipe: ResolvedRecipe;
  camera: CameraView;
  timeSeconds: number;
  seed: number;
  /** The pose (and the shadow maps) in the memory are still right and are not made again. */
  keepPose: boolean;
  keepShadows: boolean;
}

export interface FrameHooks {
  /** Milliseconds from any origin. */
  now: () => number;
  /** The leading thread calls this whenever a picture of so many samples a pixel stands in `display`. */
  onPicture?: (samples: number) => void;
}

/** How often each stage's seconds stand for one thread's busy time: wall time is busy time over threads. */
export type StageSeconds = Record<(typeof TIMED_STAGES)[number], number>;

export interface FrameOutcome {
  finished: boolean;
  samples: number;
  seconds: number;
  stages: StageSeconds;
}

const VERTEX_BLOCK = 8192;
const ROW_BLOCK = 16;
/** After so many samples a picture is shown each time; up to there the sizes of groups double. */
const LARGEST_GROUP = 16;

let scratchTile: Tile | null = null;

export function renderFrame(
  scene: CompiledScene,
  job: FrameJob,
  pose: PoseViews,
  frame: FrameViews,
  team: Team,
  hooks: FrameHooks,
): FrameOutcome {
  const settings = frameSettings(job.recipe);
  const { width, height } = settings;
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
  const tiles = tilesX * tilesY;
  team.announce(tiles * settings.samples);

  // Geometry: the pose
  const world = poseNodes(scene, job.timeSeconds);
  const instances = scene.instances.length / INSTANCE_STRIDE;
  if (!job.keepPose) {
    if (
      !team.share(
        instances,
        timed(0, (i) => poseInstances(scene, world, i, i + 1, pose)),
      )
    )
      return outcome(false);
  }

  // Shadows
  const { lights } = frameLights(scene, world, job.camera, width / height, settings.shadows);
  const chunks = chunkCount(scene);
  const project = (matrix: Float64Array, stage: number): boolean => {
    const vertices = pose.positions.length / 3;
    return team.share(
      Math.ceil(vertices / VERTEX_BLOCK),
      timed(stage, (b) => {
        const end = Math.min(vertices, (b + 1) * VERTEX_BLOCK);
        transformVertices(matrix, pose.positions, frame.clip, b * VERTEX_BLOCK, end);
      }),
    );
  };
  const bin = (target: BinTarget, rule: Uint8Array, reach: number, stage: number): boolean =>
    team.share(
      chunks,
      timed(stage, (c) => binChunk(c, frame.clip, scene.triangles, scene.triangleMaterial, rule, reach, target)),
    );
  const drawMap = (view: ShadowView): boolean => {
    const side = tilesAcross(view.resolution, SHADOW_TILE_SHIFT);
    const target = binTarget(frame, view.resolution, view.resolution, SHADOW_TILE_SHIFT);
    return (
      project(view.matrix, 1) &&
      bin(target, casterRule(scene), 0, 1) &&
      team.share(
        side * side,
        timed(1, (t) =>
          drawShadowTile(scene, frame.clip, target, chunks, t, view, pose.shadowTexels, pose.shadowBlocks),
        ),
      )
    );
  };
  if (!job.keepShadows)
    for (const light of lights) for (const view of light.maps) if (!drawMap(view)) return outcome(false);

  // Geometry: the picture
  const bins = binTarget(frame, width, height, TILE_SHIFT);
  const reach = settings.samples > 1 ? settings.filterRadius : 0;
  if (!project(worldToPixels(job.camera, width, height), 0) || !bin(bins, faceRule(scene), reach, 0))
    return outcome(false);

  // Samples
  const visibility: VisibilityInput = { scene, clip: frame.clip, bins, chunks, kinds: materialKinds(scene) };
  const surface = { scene, posed: pose, clip: frame.clip, textureBias: settings.textureBias, steady: settings.steady };
  const shade: ShadeInput = {
    surface,
    lighting: {
      scene,
      lights,
      shadowTexels: pose.shadowTexels,
      shadowBlocks: pose.shadowBlocks,
      taps: settings.taps,
      radius: settings.shadowRadius,
      slopeBias: settings.slopeBias,
      normalOffset: settings.normalOffset,
      bounce: settings.bounce,
      reflections: settings.reflections,
      reflectance: environmentReflectance(),
    },
    rays: rayFrame(job.camera, width, height),
    width,
    background: scene.meta.environment.seenByCamera ? environmentRadiance(scene.meta.environment) : null,
    sums: frame.sums,
    depth: frame.depth,
    normal: frame.normal,
    objectId: frame.objectId,
  };
  if (scratchTile?.layerLimit !== settings.glassLayers) scratchTile = createTile(settings.glassLayers);
  const tile = scratchTile;
  const position = new Float64Array(2);
  const pixelSeed = hash32(job.seed);
  let group = 1;
  while (samplesDone < settings.samples) {
    const from = samplesDone;
    const to = Math.min(settings.samples, from + group);
    const drawSamples = (t: number): void => {
      for (let s = from; s < to; s++) {
        samplePosition(s, settings.samples, settings.filter, settings.filterRadius, pixelSeed, position);
        const t0 = hooks.now();
        drawTile(visibility, t, position[0], position[1], tile);
        book(0, t0);
        const t1 = hooks.now();
        if (s === 0) clearTile(frame, tile, width);
        shadeTile(shade, tile, position[0], position[1], s === 0);
        book(2, t1);
      }
    };
    if (!team.share(tiles, drawSamples, to - from)) return outcome(false);
    samplesDone = to;
    // Lens
    if (!develop(to)) return outcome(false);
    if (team.leads) hooks.onPicture?.(to);
    group = Math.min(LARGEST_GROUP, Math.max(1, samplesDone));
  }
  return outcome(true);

  function develop(samples: number): boolean {
    const input = {
      width,
      height,
      sums: frame.sums,
      scale: exp2(settings.exposureEv) / samples,
      beauty: frame.beauty,
      glow: frame.glow,
      display: frame.display,
      tone: settings.tone,
      bloom: settings.bloom,
      vignette: settings.vignette,
      dither: settings.dither,
      rays: shade.rays,
    };
    const blocks = Math.ceil(height / ROW_BLOCK);
    const rows = (part: 'gather' | 'encode') =>
      timed(3, (b) => developRows(input, part, b * ROW_BLOCK, Math.min(height, (b + 1) * ROW_BLOCK)));
    if (!team.share(blocks, rows('gather'))) return false;
    if (settings.bloom > 0) {
      const spread = timed(3, () => frame.glow.set(spreadGlow(frame.beauty, width, height).rgb));
      if (!team.share(1, spread)) return false;
    }
    return team.share(blocks, rows('encode'));
  }
}

function binTarget(frame: FrameViews, width: number, height: number, tileShift: number): BinTarget {
  return {
    width,
    height,
    tileShift,
    tilesX: tilesAcross(width, tileShift),
    tilesY: tilesAcross(height, tileShift),
    starts: frame.starts,
    entries: frame.entries,
    boxes: frame.boxes,
  };
}

function clearTile(frame: FrameViews, tile: Tile, width: number): void {
  const stride = frame.sums.length / frame.depth.length;
  for (let y = tile.y0; y < tile.y1; y++) {
    const from = y * width + tile.x0;
    const to = y * width + tile.x1;
    frame.sums.fill(0, from * stride, to * stride);
    frame.depth.fill(0, from, to);
    frame.normal.fill(0, from * 3, to * 3);
    frame.objectId.fill(0, from, to);
  }
}

function isGlass(scene: CompiledScene, material: number): boolean {
  const m = material * MATERIAL_STRIDE;
  return scene.materials[m + M_ALPHA_MODE] === ALPHA_BLEND || scene.materials[m + M_TRANSMISSION] > 0;
}

function perMaterial(scene: CompiledScene, value: (material: number, at: number) => number): Uint8Array {
  return Uint8Array.from({ length: scene.materials.length / MATERIAL_STRIDE }, (_, i) => value(i, i * MATERIAL_STRIDE));
}

function materialKinds(scene: CompiledScene): Uint8Array {
  return perMaterial(scene, (i, m) => {
    if (isGlass(scene, i)) return KIND_GLASS;
    return scene.materials[m + M_ALPHA_MODE] === ALPHA_MASK ? KIND_MASK : KIND_OPAQUE;
  });
}

/** Both faces of thin and of see-through materials are drawn, the front alone of the others. */
function faceRule(scene: CompiledScene): Uint8Array {
  return perMaterial(scene, (i, m) => (scene.materials[m + M_DOUBLE_SIDED] === 1 || isGlass(scene, i) ? 2 : 1));
}

/** See-through materials cast no shadow here; the others cast with both faces. */
function casterRule(scene: CompiledScene): Uint8Array {
  return perMaterial(scene, (i) => (isGlass(scene, i) ? 0 : 2));
}
