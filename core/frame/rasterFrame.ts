/** The rasterised part of a frame: instant by instant its shadow maps, then sample by sample what the lens sees. */
import { samplePosition } from '../film/pixelFilter';
import type { FrameLight } from '../light/frameLight';
import { hash32 } from '../math/random';
import type { Rect } from '../measure/rect';
import { binChunk, type BinTarget, type FaceRule } from '../raster/binTriangles';
import { boxOfChunks, CHUNK_VERTICES, chunksSeen, partsOfTiles, type ChunkBounds } from '../raster/chunkBounds';
import { CoverageKernel, coverageScratchBytes, fillBox } from '../raster/coverageKernel';
import { bindScene, canShade, ShadeKernel, shadeScratchBytes, tileIn, type WholeSample } from '../raster/shadeKernel';
import { shadeTile, type ShadeInput } from '../raster/shadeTile';
import { createTile, TILE_SHIFT, type PixelBox } from '../raster/tile';
import { transformVertices } from '../raster/transform';
import type { ViewMode } from '../raster/views';
import { drawTile, type VisibilityInput } from '../raster/visibility';
import { lensOf, lensSample, type Aperture } from '../scene/aperture';
import { rayFrame, worldToPixels, type CameraView } from '../scene/camera';
import type { CompiledScene } from '../scene/compiled';
import { environmentRadiance, gradientOf, useStrength, type EnvironmentUse } from '../scene/environment';
import type { EnvironmentPicture, Lighting, PlacedLight } from '../scene/source';
import type { Seen } from '../shadows/askedTiles';
import { planShadows, roundLights, type ShadowPlan } from '../shadows/planShadows';
import type { ShadowReading } from '../shadows/shadowAt';
import type { BvhArrays } from '../trace/bvhLayout';
import type { RayKernel } from '../trace/rayKernel';
import { chunkCount, tilesAcross, type FrameViews, type PoseViews, type ShadowViews } from './frameMemory';
import type { FrameSettings } from './frameSettings';
import { createMapDrawer } from './mapDrawer';
import { clearGeometry, clearSums, writeOverlaid, writeTileDepth } from './tileArrays';
import { castKinds, faceRule, materialKinds, rayKinds } from './materialRules';
import { mapsKey, type Moment } from './moment';
import type { Team } from './team';

export interface RasterFrameInput {
  scene: CompiledScene;
  settings: FrameSettings;
  lighting: Lighting;
  picture: EnvironmentPicture | null;
  view: ViewMode;
  /** Level of detail per instance, or null where all are full. */
  levels: Uint8Array | null;
  pose: PoseViews;
  shadows: ShadowViews;
  frame: FrameViews;
  memory: WebAssembly.Memory | null;
  /** Null when nothing is traced. */
  bvh: BvhArrays | null;
  kernel: RayKernel | null;
  seed: number;
  /** Samples of the pattern that frames before this one took; null for a frame by itself. */
  sampleBase: number | null;
  /** Numbers of the tiles that are wanted, and what they cover, pixels. */
  tiles: readonly number[];
  parts: readonly Rect[];
  /** The maps of the first instant stand in the memory already. */
  keepShadows: boolean;
}

/** Stages that time is booked to. */
export interface RasterStages {
  geometry: number;
  shadows: number;
  samples: number;
}

export interface RasterFrameHooks {
  team: Team;
  now: () => number;
  stages: RasterStages;
  /** Books the time since `from` to a stage. */
  book: (stage: number, from: number) => void;
  /** Puts scene and camera where they are at an instant of the shutter. @returns null when cancelled */
  moveTo: (instant: number) => Moment | null;
  /**
   * Takes the sums of so many samples of a tile together while they are near, and says where a single one goes at once;
   * null where something else comes before that. All tiles are wanted then.
   */
  gather: { tile(tile: PixelBox, samples: number): void; whole(): WholeSample } | null;
  /** Turns the sums of so many samples, or what was gathered of them, into the display picture. @returns false when cancelled */
  develop: (samples: number, last: boolean, gathered: boolean) => boolean;
  onPicture: (samples: number) => void;
}

const VERTEX_BLOCK = 8192;
/** After so many samples a picture is shown each time; up to there the sizes of groups double. */
const LARGEST_GROUP = 16;

/** @returns samples done, and whether all were */
export function renderRaster(input: RasterFrameInput, hooks: RasterFrameHooks): { samples: number; finished: boolean } {
  const { scene, settings, pose, shadows, frame, memory, kernel, seed, tiles } = input;
  const { team, now, book, stages } = hooks;
  const { width, height } = settings.render;
  const { lights: sources, environment } = input.lighting;
  const { bounds } = scene.meta;
  const aspect = width / height;
  const timed =
    (stage: number, run: (item: number) => void) =>
    (item: number): void => {
      const from = now();
      run(item);
      book(stage, from);
    };

  const casts = castKinds(scene, settings.glassShadows);
  const facesDrawn = faceRule(scene);
  const chunks = chunkCount(scene);
  const surface = { scene, posed: pose, clip: frame.clip, textureBias: settings.textureBias, steady: settings.steady };
  const ownShade = shadeScratchBytes(settings.glassLayers);
  const shadeScratch = frame.shadeScratch.subarray(team.index * ownShade, (team.index + 1) * ownShade);
  if (memory) bindScene(memory, shadeScratch, surface);
  const ownCoverage = coverageScratchBytes(scene.meta.materials.length);
  const coverageScratch = frame.coverageScratch.subarray(team.index * ownCoverage, (team.index + 1) * ownCoverage);
  const coverage = memory ? new CoverageKernel(memory, scene, coverageScratch, frame.clip, frame.boxes) : null;
  const tile = memory ? tileIn(shadeScratch, settings.glassLayers) : createTile(settings.glassLayers);

  /** Transforms the corners of what may be seen in some tiles, and sorts that into these. @returns false when cancelled */
  const sortInto = (
    target: BinTarget,
    wanted: readonly number[],
    matrix: Float64Array,
    faces: FaceRule,
    reach: number,
    stage: number,
  ): boolean => {
    const parts = partsOfTiles(wanted, target.tilesX, target.tileShift);
    const seen = chunksSeen(matrix, parts, reach, pose, chunks);
    const blocks = vertexBlocks(pose, seen);
    const project = timed(stage, (k) => {
      const from = blocks[k] * VERTEX_BLOCK;
      const end = Math.min(pose.positions.length / 3, from + VERTEX_BLOCK);
      if (coverage) coverage.transform(matrix, pose.positions, from, end);
      else transformVertices(matrix, pose.positions, frame.clip, from, end);
    });
    const sort = timed(stage, (c) => {
      if (!seen[c]) leaveOut(coverage, c, target);
      else if (coverage) coverage.binChunk(c, faces, reach, target);
      else binChunk(c, frame.clip, scene.triangles, scene.triangleMaterial, faces, reach, target);
    });
    return team.share(blocks.length, project) && team.share(chunks, sort);
  };

  // Shadows
  /** How the maps of each light are read at this instant. */
  let readings!: ShadowReading[];
  const drawMap = createMapDrawer({
    ...{ scene, shadows, clip: frame.clip, casts, chunks, coverage, team },
    binsFor: (across, down, tileShift) => binTarget(frame, across, down, tileShift),
    sortInto: (target, wanted, matrix, faces) => sortInto(target, wanted, matrix, faces, 0, stages.shadows),
    timed: (run) => timed(stages.shadows, run),
  });
  const drawKeptMaps = ({ lights }: ShadowPlan, seen: Seen | null, stand: boolean): boolean =>
    lights.every((light) =>
      [...new Set(light.maps)].every((view) => drawMap(view, readings[light.index], seen, stand)),
    );

  // What a sample is shaded with; camera and lights come with each instant
  const bins = binTarget(frame, width, height, TILE_SHIFT);
  const visibility: VisibilityInput = {
    scene,
    clip: frame.clip,
    bins,
    chunks,
    kinds: materialKinds(scene),
    kernel: coverage,
  };
  const rays = input.bvh ? { scene, bvh: input.bvh, casts, kernel } : null;
  const around = (use: EnvironmentUse): number => environment.strength * useStrength(environment, use);
  const seen = useStrength(environment, 'camera');
  const mirror = useStrength(environment, 'reflection');
  const background = seen > 0 ? environmentRadiance(environment, input.picture, seen) : null;
  const gradient = seen > 0 ? gradientOf(environment, seen) : null;
  const sharp = input.picture && mirror > 0 ? environmentRadiance(environment, input.picture, mirror) : null;
  const kinds = rayKinds(casts);
  const base = input.sampleBase ?? 0;
  // a frame by itself with one sample takes it in the middle
  const positions = input.sampleBase === null ? settings.samples : Infinity;
  const reach = positions > 1 ? settings.filterRadius : 0;
  const position = new Float64Array(2);
  const pixelSeed = hash32(seed);
  /** What the picture shows, as far as that says where shadows are asked for: not of instruments and open lenses. */
  const seenFrom = (camera: CameraView): Seen | null => {
    if (input.view !== 'picture' || lensOf(camera)) return null;
    return {
      toPixels: worldToPixels(camera, width, height),
      parts: input.parts,
      reach: 1 + reach,
      bounds: boxOfChunks(pose, chunks),
    };
  };
  let toPixels!: Float64Array;
  /** How the picture is shaded from where it is looked at. */
  let look!: { shade: ShadeInput; shader: ShadeKernel | null };

  /** Prepares the picture as it is seen from one place. @returns false when cancelled */
  const lookFrom = (camera: CameraView, plan: ShadowPlan): boolean => {
    const eye = rayFrame(camera, width, height);
    toPixels = worldToPixels(camera, width, height);
    // positions on soft lights overwrite the bins: there the picture is binned in every round
    const contact = settings.contact.length > 0;
    if ((plan.soft.length === 0 || contact) && !binPicture()) return false;
    kernel?.bind(kinds);
    const shade: ShadeInput = {
      surface,
      lighting: {
        scene,
        lights: plan.lights,
        memory: shadows,
        readings,
        rays: settings.shadows.traced ? rays : null,
        positions: plan.softness.moving.length > 0 ? plan.softness.positions : 0,
        sample: 0,
        seed,
        contact: null,
        camera: eye,
        bounce: around('light') > 0 ? settings.bounce : 0,
        reflections: around('reflection') > 0 ? settings.reflections : 0,
        environmentSh: pose.environmentSh,
        environmentMap: pose.environmentMap,
        sharp,
      },
      rays: eye,
      width,
      background,
      gradient,
      sums: frame.sums,
      depth: frame.depth,
      normal: frame.normal,
      objectId: frame.objectId,
      view: null,
    };
    if (input.view !== 'picture') {
      const parallel = !eye.perspective;
      const pixelSize = lengthOf(eye.right);
      shade.view = { mode: input.view, lighting: shade.lighting, levels: input.levels, rays, pixelSize, parallel };
    }
    if (contact) {
      const before = timed(stages.shadows, (k) => {
        drawTile(visibility, tiles[k], 0.5, 0.5, tile);
        writeTileDepth(tile, frame.contactDepth, width, camera);
      });
      if (!team.share(tiles.length, before)) return false;
      shade.lighting.contact = {
        depth: frame.contactDepth,
        width,
        height,
        matrix: toPixels,
        rays: eye,
        ...settings.contact,
      };
    }
    const mostLights = plan.lights.length + plan.soft.length * plan.slots;
    const compiled = memory && canShade(shade, mostLights);
    look = { shade, shader: compiled ? new ShadeKernel(memory, shadeScratch, shade) : null };
    return true;
  };
  function binPicture(): boolean {
    return sortInto(bins, tiles, toPixels, facesDrawn, reach, stages.geometry);
  }
  const shadeSample = (
    ox: number,
    oy: number,
    share: number,
    opening: boolean,
    whole: WholeSample | null = null,
  ): void => {
    if (look.shader) look.shader.shade(tile, ox, oy, share, opening, whole);
    else shadeTile(look.shade, tile, ox, oy, share, opening);
  };
  /** Clears the tile for its first sample: the compiled loops write all of it by themselves. */
  const clear = (): void => {
    if (look.shader) return;
    clearSums(frame, tile, width, coverage);
    clearGeometry(frame, tile, width, coverage);
  };
  /** Depth, normals and objects as seen through the middle of a lens that is otherwise sampled all over. */
  const lookThroughMiddle = (): boolean =>
    team.share(
      tiles.length,
      timed(stages.geometry, (k) => {
        drawTile(visibility, tiles[k], 0.5, 0.5, tile);
        clear();
        writeOverlaid(scene, tile, frame.overlaid, width, coverage);
        shadeSample(0.5, 0.5, 1, true);
        clearSums(frame, tile, width, coverage);
      }),
    );

  let samplesDone = 0;
  const end = (finished: boolean): { samples: number; finished: boolean } => ({ samples: samplesDone, finished });
  let shown = 0;
  let heldKey = '';
  let heldMaps = '';
  for (let instant = 0; instant < settings.shutter; instant++) {
    const moment = hooks.moveTo(instant);
    if (!moment) return end(false);
    const plan = planShadows(sources, bounds, moment.world, moment.camera, aspect, settings.shadows);
    const rounds = Math.ceil(plan.positions / plan.slots);
    readings = sources.map((source, i) => readingOf(source, settings, plan.softness.estimated.includes(i)));
    if (instant === 0) team.announce(tiles.length * settings.samples * rounds);
    const maps = mapsKey(plan);
    const keep = instant === 0 ? input.keepShadows : moment.poseKey === heldKey && maps === heldMaps;
    const inView = seenFrom(moment.camera);
    if (!drawKeptMaps(plan, inView, keep)) return end(false);
    [heldKey, heldMaps] = [moment.poseKey, maps];
    const aperture = lensOf(moment.camera);
    if ((!aperture || instant === 0) && !lookFrom(moment.camera, plan)) return end(false);
    if (aperture && instant === 0) {
      if (plan.soft.length > 0 && !binPicture()) return end(false);
      if (!lookThroughMiddle()) return end(false);
    }
    const last = (instant + 1) * settings.perInstant;
    while (samplesDone < last) {
      const from = samplesDone;
      // positions on soft lights and on the lens change with every sample, so that all samples together cover them
      const single = plan.soft.length > 0 || aperture !== null;
      const due = shown + Math.min(LARGEST_GROUP, Math.max(1, shown));
      const to = Math.min(last, single ? from + 1 : due);
      if (aperture && !lookFrom(throughLens(moment.camera, aperture, base + from, pixelSeed), plan)) return end(false);
      const shows = to === due || to === settings.samples;
      for (let round = 0; round < rounds; round++) {
        const gather = shows && round === rounds - 1 ? hooks.gather : null;
        const first = round * plan.slots;
        const count = Math.min(plan.slots, plan.positions - first);
        const share = count / plan.positions;
        const alone = to === 1 && rounds === 1 && !aperture && look.shader && gather;
        const whole = alone ? alone.whole() : null;
        if (plan.soft.length > 0) {
          const lights = softLights(plan, moment.camera, inView, (base + from) * plan.positions + first, count);
          if (!lights || !binPicture()) return end(false);
          look.shade.lighting.lights = lights;
          look.shader?.setLights();
        }
        const drawSamples = (k: number): void => {
          const t = tiles[k];
          for (let s = from; s < to; s++) {
            samplePosition(base + s, positions, settings.filter, settings.filterRadius, pixelSeed, position);
            const t0 = now();
            drawTile(visibility, t, position[0], position[1], tile);
            book(stages.geometry, t0);
            const t1 = now();
            const opening = s === 0 && round === 0 && !aperture;
            if (opening) {
              clear();
              writeOverlaid(scene, tile, frame.overlaid, width, coverage);
            }
            look.shade.lighting.sample = base + s;
            shadeSample(position[0], position[1], share, opening, whole);
            book(stages.samples, t1);
          }
          if (!whole) gather?.tile(tile, to);
        };
        if (!team.share(tiles.length, drawSamples, to - from)) return end(false);
      }
      samplesDone = to;
      if (!shows) continue;
      if (!hooks.develop(to, to === settings.samples, hooks.gather !== null)) return end(false);
      shown = to;
      if (team.leads) hooks.onPicture(to);
    }
  }
  return end(true);

  function softLights(
    plan: ShadowPlan,
    camera: CameraView,
    seen: Seen | null,
    first: number,
    count: number,
  ): FrameLight[] | null {
    const at = [sources, bounds, camera, aspect, settings.shadows, seed] as const;
    const { lights, drawn } = roundLights(plan, ...at, first, count);
    for (const { view, index } of drawn) if (!drawMap(view, readings[index], seen, false)) return null;
    return lights;
  }
}

/** The camera as one sample sees through its lens. */
function throughLens(camera: CameraView, aperture: Aperture, sample: number, seed: number): CameraView {
  lensSample(aperture, sample, seed, onLens);
  return { ...camera, offset: [onLens[0], onLens[1]] };
}
const onLens = new Float64Array(2);

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

/** How a light's maps are read: as the recipe says, but for what the light has otherwise. */
function readingOf(source: PlacedLight, settings: FrameSettings, estimated: boolean): ShadowReading {
  const own = source.shadow ?? {};
  const manual = own.slopeBias !== undefined || own.normalOffset !== undefined;
  const { reading } = settings;
  return {
    ...reading,
    filter: own.filter ?? (estimated ? 'soft' : reading.filter),
    slopeBias: own.slopeBias ?? reading.slopeBias,
    normalOffset: own.normalOffset ?? reading.normalOffset,
    automatic: reading.automatic && !manual,
  };
}

/** Numbers of the blocks of vertices that the chunks which are so may need. */
function vertexBlocks({ chunkVertices }: ChunkBounds, so: readonly boolean[]): number[] {
  const needed = new Set<number>();
  so.forEach((needs, c) => {
    if (!needs) return;
    const last = Math.ceil(chunkVertices[c * CHUNK_VERTICES + 1] / VERTEX_BLOCK);
    for (let b = Math.floor(chunkVertices[c * CHUNK_VERTICES] / VERTEX_BLOCK); b < last; b++) needed.add(b);
  });
  return [...needed];
}

/** Empties the lists of a chunk of which nothing is seen. */
function leaveOut(coverage: CoverageKernel | null, chunk: number, { starts, tilesX, tilesY }: BinTarget): void {
  const each = tilesX * tilesY + 2;
  fillBox(coverage, starts, each, { x0: 0, y0: chunk, x1: each, y1: chunk + 1 }, 0);
}

function lengthOf(v: readonly number[]): number {
  return Math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
}
