/**
 * One frame, from scene to display picture. Every thread of the team runs this same program on shared memory; preview,
 * still and sequence differ only in the job they pass.
 */
import { bindKernel } from '@daxel/kernel/load';
import { spreadGlow } from '../film/bloom';
import { samplePosition } from '../film/pixelFilter';
import { createEnvironmentFiller, ENVIRONMENT_ITEMS } from '../light/environmentTables';
import { frameLight, type FrameLight } from '../light/frameLight';
import { exp2 } from '../math/exact';
import { hash32, hashCombine } from '../math/random';
import { binChunk, type BinTarget } from '../raster/binTriangles';
import { CoverageKernel, coverageScratchBytes } from '../raster/coverageKernel';
import { bindMaterials, canShade, ShadeKernel, shadeScratchBytes, tileIn } from '../raster/shadeKernel';
import { shadeTile, type ShadeInput } from '../raster/shadeTile';
import { createTile, TILE_SHIFT, type Tile } from '../raster/tile';
import { transformVertices } from '../raster/transform';
import type { ViewMode } from '../raster/views';
import { drawTile, type VisibilityInput } from '../raster/visibility';
import type { ResolvedRecipe } from '../recipe/recipe';
import { PARALLEL_RANGE, rayFrame, worldToPixels, type CameraView } from '../scene/camera';
import { INSTANCE_STRIDE, type CompiledScene } from '../scene/compiled';
import { environmentRadiance, useStrength } from '../scene/environment';
import { poseInstances, poseNodes } from '../scene/pose';
import type { EnvironmentPicture, Lighting, PlacedLight } from '../scene/source';
import { blurMomentsTile } from '../shadows/moments';
import { planShadows, roundLights } from '../shadows/planShadows';
import type { ShadowReading } from '../shadows/shadowAt';
import { drawShadowTile, SHADOW_TILE_SHIFT, type ShadowView } from '../shadows/shadowMap';
import { buildBvh } from '../trace/buildBvh';
import { bvhOf } from '../trace/bvhLayout';
import type { Checkpoint } from '../trace/checkpoint';
import { placePortals } from '../trace/portals';
import { RayKernel, scratchBytes } from '../trace/rayKernel';
import { PATH_TILE } from '../trace/tracePaths';
import { developKernel, developRows, developRowsQuickly } from './develop';
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
import { frameSettings, type FrameSettings, type PathOptions } from './frameSettings';
import { renderPaths } from './pathFrame';
import { castKinds, casterRule, faceRule, materialKinds, rayKinds } from './materialRules';
import type { Team } from './team';

export interface FrameJob {
  recipe: ResolvedRecipe;
  camera: CameraView;
  timeSeconds: number;
  seed: number;
  lighting: Lighting;
  /** An instrument instead of the picture. */
  view: ViewMode;
  /** Parts of the picture that are wanted, pixels; the rest is left as it is. Absent for the whole picture. */
  regions?: readonly { x: number; y: number; width: number; height: number }[];
  /** Path tracing: samples that stand in the memory already, and seconds between checkpoints (0 for none). */
  samplesBefore?: number;
  checkpointSeconds?: number;
  /** What in the memory is still right and is not made again: the pose with its ray structure, maps, environment. */
  keepPose: boolean;
  keepShadows: boolean;
  keepEnvironment: boolean;
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
const VERTEX_BLOCK = 8192;
const ROW_BLOCK = 16;
/** After so many samples a picture is shown each time; up to there the sizes of groups double. */
const LARGEST_GROUP = 16;

/** All memory a frame works in. */
export interface FrameArenas {
  pose: PoseViews;
  shadows: ShadowViews;
  frame: FrameViews;
  /** Holds `pose`, when the compiled loops can work on it. */
  memory: WebAssembly.Memory | null;
}

export function renderFrame(
  scene: CompiledScene,
  picture: EnvironmentPicture | null,
  job: FrameJob,
  { pose, shadows, frame: whole, memory }: FrameArenas,
  team: Team,
  hooks: FrameHooks,
): FrameOutcome {
  const settings = frameSettings(job.recipe, job.view);
  const frame = computedViews(whole, settings);
  const { width, height } = settings.render;
  const { lights: sources, environment } = job.lighting;
  const { bounds } = scene.meta;
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

  const aspect = width / height;
  const world = poseNodes(scene, job.timeSeconds);
  const plan = planShadows(sources, bounds, world, job.camera, aspect, settings.shadows);
  const rounds = Math.ceil(plan.positions / plan.slots);
  const tilesX = tilesAcross(width, TILE_SHIFT);
  const tilesY = tilesAcross(height, TILE_SHIFT);
  const regions = job.regions?.map((r) => computedRect(r, settings));
  const tiles = wantedTiles(regions, tilesX, tilesY, 1 << TILE_SHIFT);
  team.announce(tiles.length * settings.samples * rounds);
  const scaling = scalingOf(whole, frame, settings);
  const eye = rayFrame(job.camera, width, height);
  const seed = settings.movingPattern ? hashCombine(job.seed, Math.round(job.timeSeconds * 24000)) : job.seed;

  // Geometry: the pose, and its ray structure
  const traces = pose.bvhOrder.length > 0;
  const bvh = bvhOf(pose);
  const own = scratchBytes(scene.meta.materials.length);
  const scratch = pose.bvhScratch.subarray(team.index * own, (team.index + 1) * own);
  const kernel = traces && memory ? new RayKernel(memory, bvh, scratch) : null;
  const instances = scene.instances.length / INSTANCE_STRIDE;
  if (!job.keepPose) {
    const posed = timed(GEOMETRY, (i) => poseInstances(scene, world, i, i + 1, pose));
    if (!team.share(instances, posed)) return outcome(false);
    const built = timed(SHADOWS, () => {
      if (kernel) kernel.build(pose.positions, scene.triangles, pose.bvhWork);
      else buildBvh(pose.positions, scene.triangles, bvh);
      bvh.bvhOrder.forEach((t, place) => (bvh.bvhMaterials[place] = scene.triangleMaterial[t] ?? 0));
    });
    if (traces && !team.share(1, built)) return outcome(false);
  }

  // Bounce: the environment
  if (!job.keepEnvironment) {
    const fill = createEnvironmentFiller(environment, picture);
    const filled = timed(BOUNCE, (i) => fill(i, pose.environmentSh, pose.environmentMap));
    if (!team.share(ENVIRONMENT_ITEMS, filled)) return outcome(false);
  }

  const developer = memory ? developKernel(memory, frame.codes) : null;
  if (settings.path) return pathTraced(settings.path);

  // Shadows
  const casts = castKinds(scene, settings.glassShadows);
  const rule = casterRule(casts);
  const chunks = chunkCount(scene);
  const surface = { scene, posed: pose, clip: frame.clip, textureBias: settings.textureBias, steady: settings.steady };
  const ownShade = shadeScratchBytes(settings.glassLayers);
  const shadeScratch = frame.shadeScratch.subarray(team.index * ownShade, (team.index + 1) * ownShade);
  const record = memory ? bindMaterials(memory, shadeScratch, surface) : null;
  const ownCoverage = coverageScratchBytes(scene.meta.materials.length);
  const coverageScratch = frame.coverageScratch.subarray(team.index * ownCoverage, (team.index + 1) * ownCoverage);
  const coverage = memory ? new CoverageKernel(memory, scene, coverageScratch, frame.clip, frame.boxes) : null;
  const project = (matrix: Float64Array, stage: number): boolean => {
    const vertices = pose.positions.length / 3;
    return team.share(
      Math.ceil(vertices / VERTEX_BLOCK),
      timed(stage, (b) => {
        const end = Math.min(vertices, (b + 1) * VERTEX_BLOCK);
        if (coverage) coverage.transform(matrix, pose.positions, b * VERTEX_BLOCK, end);
        else transformVertices(matrix, pose.positions, frame.clip, b * VERTEX_BLOCK, end);
      }),
    );
  };
  const bin = (target: BinTarget, faces: Uint8Array, reach: number, stage: number): boolean =>
    team.share(
      chunks,
      timed(stage, (c) => binChunk(c, frame.clip, scene.triangles, scene.triangleMaterial, faces, reach, target)),
    );
  const readings = sources.map((source) => readingOf(source, settings));
  const drawMap = (view: ShadowView, reading: ShadowReading): boolean => {
    const side = tilesAcross(view.resolution, SHADOW_TILE_SHIFT);
    const target = binTarget(frame, view.resolution, view.resolution, SHADOW_TILE_SHIFT);
    const draw = timed(SHADOWS, (t) =>
      drawShadowTile(scene, frame.clip, target, chunks, t, view, casts, shadows, coverage),
    );
    const blur = timed(SHADOWS, (t) => blurMomentsTile(shadows, view, t, reading.radius));
    return (
      project(view.matrix, SHADOWS) &&
      bin(target, rule, 0, SHADOWS) &&
      team.share(side * side, draw) &&
      (reading.filter !== 'moment' || team.share(side * side, blur))
    );
  };
  if (!job.keepShadows)
    for (const light of plan.lights)
      for (const view of new Set(light.maps)) if (!drawMap(view, readings[light.index])) return outcome(false);

  // Geometry: the picture
  const bins = binTarget(frame, width, height, TILE_SHIFT);
  const reach = settings.samples > 1 ? settings.filterRadius : 0;
  const toPixels = worldToPixels(job.camera, width, height);
  const facesDrawn = faceRule(scene);
  const binPicture = (): boolean => project(toPixels, GEOMETRY) && bin(bins, facesDrawn, reach, GEOMETRY);
  if (plan.soft.length === 0 && !binPicture()) return outcome(false);

  // Samples
  const visibility: VisibilityInput = {
    scene,
    clip: frame.clip,
    bins,
    chunks,
    kinds: materialKinds(scene),
    kernel: coverage,
  };
  const rays = traces ? { scene, bvh, casts, kernel } : null;
  kernel?.bind(rayKinds(casts));
  const seen = useStrength(environment, 'camera');
  const mirror = useStrength(environment, 'reflection');
  const shade: ShadeInput = {
    surface,
    lighting: {
      scene,
      lights: plan.lights,
      memory: shadows,
      readings,
      rays: settings.shadows.traced ? rays : null,
      lightSamples: settings.shadows.lightSamples,
      sample: 0,
      seed,
      contact: null,
      camera: eye,
      bounce: settings.bounce,
      reflections: settings.reflections,
      environmentSh: pose.environmentSh,
      environmentMap: pose.environmentMap,
      sharp: picture && mirror > 0 ? environmentRadiance(environment, picture, mirror) : null,
    },
    rays: eye,
    width,
    background: seen > 0 ? environmentRadiance(environment, picture, seen) : null,
    sums: frame.sums,
    depth: frame.depth,
    normal: frame.normal,
    objectId: frame.objectId,
    view: null,
  };
  if (job.view !== 'picture') {
    const parallel = !eye.perspective;
    shade.view = { mode: job.view, lighting: shade.lighting, rays, pixelSize: lengthOf(eye.right), parallel };
  }
  const mostLights = plan.lights.length + plan.soft.length * plan.slots;
  const shader =
    memory && record && canShade(shade, mostLights) ? new ShadeKernel(memory, shadeScratch, shade, record) : null;
  const tile = memory ? tileIn(shadeScratch, settings.glassLayers) : createTile(settings.glassLayers);
  const position = new Float64Array(2);
  const pixelSeed = hash32(seed);
  if (settings.contact.length > 0) {
    if (plan.soft.length > 0 && !binPicture()) return outcome(false);
    const before = timed(SHADOWS, (k) => {
      drawTile(visibility, tiles[k], 0.5, 0.5, tile);
      writeTileDepth(tile, frame.contactDepth, width, job.camera);
    });
    if (!team.share(tiles.length, before)) return outcome(false);
    shade.lighting.contact = {
      depth: frame.contactDepth,
      width,
      height,
      matrix: toPixels,
      rays: eye,
      ...settings.contact,
    };
    shader?.setLights();
  }
  let group = 1;
  while (samplesDone < settings.samples) {
    const from = samplesDone;
    const to = Math.min(settings.samples, from + group);
    for (let round = 0; round < rounds; round++) {
      const first = round * plan.slots;
      const count = Math.min(plan.slots, plan.positions - first);
      const share = count / plan.positions;
      if (plan.soft.length > 0) {
        const lights = softLights(from * plan.positions + first, count);
        if (!lights || !binPicture()) return outcome(false);
        shade.lighting.lights = lights;
        shader?.setLights();
      }
      const drawSamples = (k: number): void => {
        const t = tiles[k];
        for (let s = from; s < to; s++) {
          samplePosition(s, settings.samples, settings.filter, settings.filterRadius, pixelSeed, position);
          const t0 = hooks.now();
          drawTile(visibility, t, position[0], position[1], tile);
          book(GEOMETRY, t0);
          const t1 = hooks.now();
          const opening = s === 0 && round === 0;
          if (opening) {
            clearTile(frame, tile, width);
            writeOverlaid(scene, tile, frame.overlaid, width);
          }
          shade.lighting.sample = s;
          if (shader) shader.shade(tile, position[0], position[1], share, opening);
          else shadeTile(shade, tile, position[0], position[1], share, opening);
          book(SAMPLES, t1);
        }
      };
      if (!team.share(tiles.length, drawSamples, to - from)) return outcome(false);
    }
    samplesDone = to;
    if (!develop(to)) return outcome(false);
    if (team.leads) hooks.onPicture?.(to);
    // positions on soft lights change with every sample, so that all samples together cover them
    group = plan.soft.length > 0 ? 1 : Math.min(LARGEST_GROUP, Math.max(1, samplesDone));
  }
  return outcome(true);

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
        lights: sources.map((source, i) => frameLight(source, i, world)),
        portals: placePortals(scene.meta.portals ?? [], world),
        pose,
        bvh,
        kernel,
        loops: memory && bindKernel(memory),
        frame,
        surface: { scene, posed: pose, clip: frame.clip, textureBias: settings.textureBias, steady: settings.steady },
        eye,
        seed,
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

  function softLights(first: number, count: number): FrameLight[] | null {
    const at = [sources, bounds, job.camera, aspect, settings.shadows, seed] as const;
    const { lights, drawn } = roundLights(plan, ...at, first, count);
    for (const { view, index } of drawn) if (!drawMap(view, readings[index])) return null;
    return lights;
  }

  function develop(samples: number): boolean {
    // instruments but the grey one are not exposed: their colours are their meaning
    const picturing = job.view === 'picture' || job.view === 'light';
    const { width, height } = settings;
    const input = {
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
    const blocks = Math.ceil(height / ROW_BLOCK);
    const rows = (part: 'gather' | 'encode') =>
      timed(LENS, (b) => {
        const end = Math.min(height, (b + 1) * ROW_BLOCK);
        if (developer) developRowsQuickly(developer, input, part, b * ROW_BLOCK, end);
        else developRows(input, part, b * ROW_BLOCK, end);
      });
    if (scaling) {
      const resize = timed(LENS, (b) => scaleRows(scaling, b * ROW_BLOCK, Math.min(height, (b + 1) * ROW_BLOCK)));
      if (!team.share(blocks, resize)) return false;
    }
    if (!team.share(blocks, rows('gather'))) return false;
    if (settings.bloom > 0) {
      const spread = timed(LENS, () => whole.glow.set(spreadGlow(whole.beauty, width, height).rgb));
      if (!team.share(1, spread)) return false;
    }
    return team.share(blocks, rows('encode'));
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

function tilesAcrossPaths(pixels: number): number {
  return Math.ceil(pixels / PATH_TILE);
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

/** Writes the instance + 1 of the see-through surface that lies first before each pixel's nearest solid one, else 0. */
function writeOverlaid(scene: CompiledScene, tile: Tile, overlaid: Uint32Array, width: number): void {
  const { layerCount, layerTriangle, layerLimit } = tile;
  for (let y = tile.y0; y < tile.y1; y++)
    for (let x = tile.x0; x < tile.x1; x++) {
      const i = ((y - tile.y0) << TILE_SHIFT) + x - tile.x0;
      const t = layerCount[i] > 0 ? layerTriangle[i * layerLimit] : -1;
      overlaid[y * width + x] = t < 0 ? 0 : scene.triangleInstance[t] + 1;
    }
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

/** How a light's maps are read: as the recipe says, but for what the light has otherwise. */
function readingOf(source: PlacedLight, settings: FrameSettings): ShadowReading {
  const own = source.shadow ?? {};
  const manual = own.slopeBias !== undefined || own.normalOffset !== undefined;
  const { reading } = settings;
  return {
    ...reading,
    filter: own.filter ?? reading.filter,
    slopeBias: own.slopeBias ?? reading.slopeBias,
    normalOffset: own.normalOffset ?? reading.normalOffset,
    automatic: reading.automatic && !manual,
  };
}

function lengthOf(v: readonly number[]): number {
  return Math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
}

/** Metres along the view axis of what a tile sees, 0 where nothing is. */
function writeTileDepth(tile: Tile, depth: Float32Array, width: number, camera: CameraView): void {
  const { lens } = camera;
  const parallel = lens.kind !== 'perspective';
  for (let y = tile.y0; y < tile.y1; y++) {
    for (let x = tile.x0; x < tile.x1; x++) {
      const z = tile.depth[((y - tile.y0) << TILE_SHIFT) + x - tile.x0];
      const metres = parallel ? lens.near + (1 - z) * PARALLEL_RANGE : lens.near / z;
      depth[y * width + x] = z > 0 ? metres : 0;
    }
  }
}
