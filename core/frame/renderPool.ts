/** A team of render threads and the memory they share. One frame runs at a time; the next waits for it to end. */
import { KernelHeap, NO_REGION, type Region } from '@daxel/kernel/heap';
import { kernelModule, kernelsInUse } from '@daxel/kernel/load';
import { BadInputError } from '../errors';
import { isPathTraced } from '../recipe/pathSettings';
import type { StageId } from '../recipe/settings';
import type { CompiledScene } from '../scene/compiled';
import { exp2 } from '../math/exact';
import type { Checkpoint } from '../trace/checkpoint';
import { BVH_FITTED } from '../trace/bvhBuilder';
import { pathFigures, type PathFigures } from '../trace/pathFigures';
import { choiceKey, HIDDEN, trianglesAt } from '../scene/detail';
import { unpackScene } from '../scene/packScene';
import type { EnvironmentPicture, Lighting } from '../scene/source';
import { planShadows } from '../shadows/planShadows';
import type { Softness } from '../shadows/softness';
import { computedViews, framePlan, posePlan, shadowPlan, type FrameViews, type ShadowNeeds } from './frameMemory';
import { frameSettings } from './frameSettings';
import { putHistory, type KeptHistory } from './keptHistory';
import { Glow } from './glow';
import { hasGlass } from './materialRules';
import { detailOf, mapsKey, momentAt } from './moment';
import { samplesKey } from './requestKey';
import { frameInstants } from './shutter';
import { arenaBytes, arenaBytesByStage, arenaViews } from './memory';
import type { FrameJob, FrameOutcome } from './renderFrame';
import { createControl, requestCancel, workDone } from './team';
import type { FromThread, ToThread } from './threadProgram';

/** One thread as its owner sees it. */
export interface ThreadPort {
  post(message: ToThread): void;
  listen(handler: (message: FromThread) => void): void;
  terminate(): void;
}

type Kept = 'levels' | 'keepPose' | 'keepShadows' | 'keepEnvironment' | 'keepSamples' | 'samplesBefore';
export type FrameRequest = Omit<FrameJob, Kept | 'lighting' | 'view'> & {
  sceneId: string;
  /** A rig's light; the scene's own when absent. */
  lighting?: Lighting;
  view?: FrameJob['view'];
  /** Makes everything anew, so that its time is that of a first frame. */
  fresh?: boolean;
  /** Develops the samples that stand in memory anew where only that has changed; its time is no measure of a frame then. */
  reuse?: boolean;
  /** Goes on from here; of a path-traced frame of the same request. */
  resume?: Checkpoint;
  /** History of the frame before, where it was kept outside. */
  kept?: KeptHistory;
};

export interface RenderedFrame extends FrameOutcome {
  width: number;
  height: number;
  threads: number;
  /** Bytes booked to each stage, scene and frame together. */
  bytes: Partial<Record<StageId, number>>;
  /** Shadow maps of an earlier frame served again, so their time is not in `stages`. */
  keptShadows: boolean;
  /** Its samples served again: `stages` are what it took to draw them, `seconds` what it took now. */
  keptSamples: boolean;
  /** What the artist should know of this frame, a sentence each. */
  notes: string[];
  /** Metres from the camera where sun shadows end, if something is seen beyond. */
  sunEnds: number | null;
  /** How the softness of lights was drawn; null where paths are traced. */
  softness: Softness | null;
  /** Of a path-traced frame: its remaining noise and what was cut. */
  path: PathFigures | null;
  /** Valid until the pool renders another frame of the same size, or of three other sizes. */
  views: FrameViews;
}

/** Room for a scene that arrives. One of `keep` and `discard` ends it. */
export interface SceneRoom {
  bytes: Uint8Array;
  /** All of it is there: it goes to all threads under a name that no other scene has. */
  keep(id: string): CompiledScene;
  discard(): void;
}

export interface RenderTicket {
  promise: Promise<RenderedFrame>;
  cancel(): void;
  /** 0…1 */
  progress(): number;
}

interface Held {
  scene: CompiledScene;
  region: Region;
  glass: boolean;
  glow: Glow;
}

interface Drawn {
  key: string;
  stages: FrameOutcome['stages'];
  keptShadows: boolean;
}

/** Frame sizes whose memory is kept. */
const KEPT_SIZES = 3;
/** Scene and frame memory above this is refused rather than left to fail half way. */
const MEMORY_LIMIT = 6 * 2 ** 30;

export class RenderPool {
  private readonly heap: KernelHeap;
  private readonly scenes = new Map<string, Held>();
  private readonly pictures = new Map<string, { width: number; height: number }>();
  private readonly frames = new Map<string, Region>();
  /** The frame of a run that each region holds the history of. */
  private readonly histories = new WeakMap<Region, number>();
  /** What the samples in each region are of, and what they took. */
  private readonly drawn = new WeakMap<Region, Drawn>();
  private poseRegion = NO_REGION;
  private shadowRegion = NO_REGION;
  private poseKey = '';
  private shadowKey = '';
  private environmentKey = '';
  private tail: Promise<unknown> = Promise.resolve();
  private tickets = 0;
  private handlers = new Map<number, (m: FromThread) => void>();

  /** @param ports at least one thread @param kernels whether the compiled loops may be used */
  constructor(
    private readonly ports: readonly ThreadPort[],
    kernels = kernelsInUse(),
  ) {
    this.heap = new KernelHeap(kernels);
    const { memory } = this.heap;
    const kernel = memory && kernelModule();
    if (kernel) for (const port of ports) port.post({ type: 'memory', memory, kernel });
    for (const port of ports) port.listen((m) => this.handlers.get(m.ticket)?.(m));
  }

  get threads(): number {
    return this.ports.length;
  }

  /** Gives a copy of a packed scene to all threads. */
  setScene(id: string, buffer: ArrayBufferLike): CompiledScene {
    const known = this.scenes.get(id);
    if (known) return known.scene;
    const room = this.receiveScene(buffer.byteLength);
    room.bytes.set(new Uint8Array(buffer));
    return room.keep(id);
  }

  /** Memory that a packed scene of so many bytes is written into as it arrives, so that it need not be copied. */
  receiveScene(size: number): SceneRoom {
    const region = this.heap.allocate(size);
    return {
      bytes: new Uint8Array(region.buffer, region.base, size),
      keep: (id) => {
        const scene = unpackScene(region.buffer, region.base);
        this.scenes.set(id, { scene, region, glass: hasGlass(scene), glow: new Glow(scene) });
        for (const port of this.ports) port.post({ type: 'scene', id, region });
        return scene;
      },
      discard: () => this.heap.release(region),
    };
  }

  /** Gives an environment picture to all threads. @param rgb in shared memory */
  setPicture(id: string, picture: EnvironmentPicture): void {
    if (this.pictures.has(id)) return;
    const { width, height, rgb } = picture;
    this.pictures.set(id, { width, height });
    for (const port of this.ports) port.post({ type: 'picture', id, width, height, rgb });
  }

  hasPicture(id: string): boolean {
    return this.pictures.has(id);
  }

  /** Lets go of a scene and of everything made from it. */
  forgetScene(id: string): void {
    const held = this.scenes.get(id);
    if (!held) return;
    this.scenes.delete(id);
    for (const port of this.ports) port.post({ type: 'forget', id });
    // a frame that runs still reads them
    this.tail = this.tail.then(() => {
      for (const region of [held.region, ...this.frames.values()]) this.heap.release(region);
      this.frames.clear();
      this.poseKey = this.shadowKey = this.environmentKey = '';
    });
  }

  /** Whether a request that may `reuse` samples would find them. */
  holds(request: FrameRequest): boolean {
    const key = keptKey(request);
    return key !== null && [...this.frames.values()].some((region) => this.drawn.get(region)?.key === key);
  }

  /** Queues a frame. @param onPicture called with each better picture until the promise settles */
  render(
    request: FrameRequest,
    onPicture?: (frame: FrameViews, samples: number) => void,
    onCheckpoint?: (checkpoint: Checkpoint) => void,
  ): RenderTicket {
    const control = createControl();
    const promise = this.tail.then(() => this.run(request, control, onPicture, onCheckpoint));
    this.tail = promise.catch(() => undefined);
    return { promise, cancel: () => requestCancel(control), progress: () => workDone(control) };
  }

  terminate(): void {
    for (const port of this.ports) port.terminate();
  }

  private async run(
    request: FrameRequest,
    control: Int32Array,
    onPicture?: (frame: FrameViews, samples: number) => void,
    onCheckpoint?: (checkpoint: Checkpoint) => void,
  ): Promise<RenderedFrame> {
    const { sceneId, resume, kept, fresh, reuse, ...rest } = request;
    if (fresh) this.poseKey = this.shadowKey = this.environmentKey = '';
    const held = this.scenes.get(sceneId);
    if (!held) throw new BadInputError(`Scene ${sceneId} is not loaded.`);
    const { scene } = held;
    const { meta } = scene;
    held.glow.scale(request.lighting?.glow ?? 1);
    const settings = frameSettings(request.recipe, request.view);
    const { width, height } = settings;
    const lighting = request.lighting ?? { lights: meta.lights, environment: meta.environment };
    const { environment } = lighting;
    if (
      environment.kind === 'picture' &&
      environment.picture !== 'scene' &&
      !this.hasPicture(environment.picture ?? '')
    )
      throw new BadInputError('The environment picture of this light is not loaded.');
    const view = request.view ?? 'picture';
    const aspect = width / height;
    const instants = frameInstants(request, settings);
    const at = (timeSeconds: number) => {
      const { world, camera, poseKey } = momentAt(scene, request.camera, request.timeSeconds, timeSeconds);
      return { poseKey, maps: planShadows(lighting.lights, meta.bounds, world, camera, aspect, settings.shadows) };
    };
    const first = at(instants[0]);
    const last = instants.length > 1 ? at(instants[instants.length - 1]) : first;
    const { maps } = first;
    const used = lighting.lights.map((l) => l.shadow?.filter ?? settings.reading.filter);
    const own = lighting.lights.map((l) => l.shadow?.resolution ?? 0);
    const resolutions =
      maps.soft.length > 0 ? [settings.shadows.resolution, settings.shadows.localResolution, ...own] : [];
    const needs: ShadowNeeds = {
      sizes: maps.all,
      glass: settings.glassShadows && held.glass,
      moments: used.includes('moment'),
      largest: Math.max(0, ...resolutions, ...maps.lights.flatMap((l) => l.maps.map((m) => m.resolution))),
    };
    const rays = settings.shadows.traced || view === 'faults';
    const levels = settings.detail && detailOf(scene, request, settings.detail);
    const pose = posePlan(scene, rays, levels !== null);
    const shadows = shadowPlan(needs);
    const contact = settings.contact.length > 0;
    const plan = framePlan(scene, settings, needs.largest, this.ports.length, request.history !== undefined);
    const needed = arenaBytes(pose) + arenaBytes(shadows) + arenaBytes(plan) + held.region.bytes;
    if (needed > MEMORY_LIMIT)
      throw new BadInputError(
        `This frame needs ${(needed / 2 ** 30).toFixed(1)} GB. Lower output.width, output.height, shadows.resolution or shadows.cascades.`,
      );

    const environmentKey = JSON.stringify([sceneId, environment, rays, levels !== null]);
    const blurs = needs.moments ? [used, settings.reading.radius] : [];
    // the arrays of the maps lie one behind the other: other sizes move them
    const layout = [needs.glass, needs.moments, maps.kept.texels, maps.all.texels, maps.all.blocks, ...blurs].join();
    const detailKey = levels ? choiceKey(levels) : 'all';
    const keysOf = (moment: typeof first) => {
      const pose = [sceneId, moment.poseKey, rays, detailKey].join();
      return { pose, shadows: [pose, layout, mapsKey(moment.maps)].join('|') };
    };
    const [before, after] = [keysOf(first), keysOf(last)];
    if (this.poseRegion.bytes < arenaBytes(pose)) {
      this.heap.release(this.poseRegion);
      this.poseRegion = this.heap.allocate(arenaBytes(pose));
      this.poseKey = this.environmentKey = '';
    }
    if (this.shadowRegion.bytes < arenaBytes(shadows)) {
      this.heap.release(this.shadowRegion);
      this.shadowRegion = this.heap.allocate(arenaBytes(shadows));
      this.shadowKey = '';
    }
    const keepPose = this.poseKey === before.pose;
    const keepEnvironment = this.environmentKey === environmentKey;
    const keepShadows = keepPose && this.shadowKey === before.shadows;
    const frameRegion = this.frameRegion(
      `${sceneId} ${width}×${height} ${Object.values(settings.render)} ${needs.largest} ${contact} ${settings.path ? 'path' : ''} ${request.history?.run ?? ''}`,
      arenaBytes(plan),
    );
    const { history } = request;
    const views = arenaViews(plan, frameRegion.buffer, frameRegion.base);
    const restored = kept?.frame === (history?.frame ?? 0) - 1 && putHistory(views, kept);
    if (history?.before && !restored && this.histories.get(frameRegion) !== history.frame - 1)
      throw new Error('The frame before is no longer in memory: render this run from its start.');
    this.histories.delete(frameRegion);
    const key = keptKey(request);
    const drawn = this.drawn.get(frameRegion);
    const reused = reuse && key !== null && drawn?.key === key ? drawn : null;
    // developing alone touches none of what these are of
    if (!reused) {
      this.drawn.delete(frameRegion);
      this.poseKey = this.shadowKey = this.environmentKey = '';
    }
    if (settings.path && resume) goOnFrom(computedViews(views, settings), resume);
    const samplesBefore = settings.path && resume ? resume.samples : 0;
    const ticket = ++this.tickets;
    const outcome = await new Promise<FrameOutcome>((resolve, reject) => {
      let waiting = this.ports.length;
      let lead: FrameOutcome | null = null;
      this.handlers.set(ticket, (m) => {
        if (m.type === 'picture') return onPicture?.(views, m.samples);
        if (m.type === 'checkpoint') return onCheckpoint?.(m.checkpoint);
        if (m.type === 'failed') {
          return reject(new Error(m.message));
        }
        if (m.index === 0) lead = m.outcome;
        if (--waiting === 0 && lead) resolve(lead);
      });
      this.ports.forEach((port, index) =>
        port.post({
          type: 'frame',
          ticket,
          sceneId,
          job: {
            ...rest,
            ...{ lighting, view, levels, keepPose, keepShadows, keepEnvironment, samplesBefore },
            keepSamples: reused !== null,
          },
          needs,
          rays,
          poseRegion: this.poseRegion,
          shadowRegion: this.shadowRegion,
          frameRegion,
          control,
          index,
          size: this.ports.length,
        }),
      );
    }).finally(() => this.handlers.delete(ticket));
    if (history && outcome.finished) this.histories.set(frameRegion, history.frame);
    const keptShadows = keepShadows && maps.soft.length === 0 && !settings.path;
    if (!reused) {
      if (outcome.finished || outcome.samples > 0) this.environmentKey = environmentKey;
      if (outcome.finished || (outcome.samples > 0 && instants.length === 1)) {
        const { bvhState } = arenaViews(pose, this.poseRegion.buffer, this.poseRegion.base);
        // another frame would build what this one fitted
        this.poseKey = bvhState[BVH_FITTED] === 1 ? '' : after.pose;
        this.shadowKey = after.shadows;
      }
      if (key !== null && outcome.finished) this.drawn.set(frameRegion, { key, stages: outcome.stages, keptShadows });
    }
    const bytes = arenaBytesByStage({ ...pose, ...shadows, ...plan });
    bytes.geometry = (bytes.geometry ?? 0) + held.region.bytes;
    const path = settings.path ? pathFigures(views.paths, exp2(-settings.exposureEv)) : null;
    const beyond = path ? 0 : shareBeyond(maps.sunEnd, views.depth);
    const notes = path ? pathNotes(path) : beyondNotes(maps.sunEnd, beyond);
    if (settings.history && !history)
      notes.push('A single frame: temporal accumulation is seen in runs and finished frames only.');
    if (levels) notes.push(...detailNotes(scene, levels));
    const { length: threads } = this.ports;
    return {
      ...outcome,
      ...(reused && { stages: { ...reused.stages, lens: outcome.stages.lens } }),
      width,
      height,
      threads,
      bytes,
      keptShadows: reused ? reused.keptShadows : keptShadows,
      keptSamples: reused !== null,
      notes,
      sunEnds: beyond >= WORTH_SAYING ? maps.sunEnd : null,
      softness: settings.path ? null : maps.softness,
      path,
      views,
    };
  }

  /** Regions of the last few sizes are kept: dragging a setting alternates between a coarse and a full one. */
  private frameRegion(key: string, bytes: number): Region {
    let region = this.frames.get(key);
    this.frames.delete(key);
    if (region && region.bytes < bytes) {
      this.heap.release(region);
      region = undefined;
    }
    region ??= this.heap.allocate(bytes);
    this.frames.set(key, region);
    for (const [old, held] of this.frames) {
      if (this.frames.size <= KEPT_SIZES) break;
      this.frames.delete(old);
      this.heap.release(held);
    }
    return region;
  }
}

/** Names all that a picture's samples depend on; null where they are no picture's, or depend on more. */
function keptKey(request: FrameRequest): string | null {
  const { view, history, regions, resume, kept } = request;
  // a traced frame looks at its exposure for where it may stop, and instruments are developed in their own ways
  const more = (view ?? 'picture') !== 'picture' || isPathTraced(request.recipe);
  return more || history || regions || resume || kept ? null : samplesKey(request);
}

/** Puts a checkpoint in place. @throws BadInputError when it is of another size */
function goOnFrom(views: FrameViews, from: Checkpoint): void {
  if (from.paths.length !== views.paths.length || from.settled.length !== views.settled.length)
    throw new BadInputError('This checkpoint is of another picture size. Delete it and render from the start.');
  views.paths.set(from.paths);
  views.settled.set(from.settled);
  views.depth.set(from.depth);
  views.normal.set(from.normal);
  views.objectId.set(from.objectId);
}

/** What a path-traced picture says of itself. */
function pathNotes({ noise, clamped }: PathFigures): string[] {
  const percent = (x: number): string => `${Number((x * 100).toPrecision(2))} %`;
  const notes = [`Noise left: ${percent(noise)} of the light, as a mean over the picture.`];
  if (clamped > 0.0005) notes.push(`The firefly clamp took ${percent(clamped)} of the light.`);
  return notes;
}

/** Says how much of the scene is drawn, where that is not all. */
function detailNotes(scene: CompiledScene, levels: Uint8Array): string[] {
  const all = scene.triangleMaterial.length;
  let drawn = 0;
  let coarse = 0;
  let hidden = 0;
  levels.forEach((level, i) => {
    drawn += trianglesAt(scene, i, level);
    if (level === HIDDEN) hidden++;
    else if (level > 0) coarse++;
  });
  if (drawn === all && hidden === 0) return [];
  const count = (n: number): string => n.toLocaleString('en');
  const objects = (n: number): string => `${count(n)} ${n === 1 ? 'object' : 'objects'}`;
  const simplified = coarse > 0 ? ` ${objects(coarse)} simplified.` : '';
  const left = hidden > 0 ? ` ${objects(hidden)} beyond their draw distance.` : '';
  return [`${count(drawn)} of ${count(all)} triangles drawn.${simplified}${left}`];
}

/** Every so many pixels are looked at: a share in percent needs no more. A prime, so that no column is left out. */
const BEYOND_STEP = 7;

/** Share of the picture that is said. */
const WORTH_SAYING = 0.005;

/** Share of what a picture shows that lies beyond the reach of a sun's maps. */
function shareBeyond(end: number, depth: Float32Array): number {
  if (end === Infinity) return 0;
  let [beyond, looked] = [0, 0];
  for (let i = 0; i < depth.length; i += BEYOND_STEP) {
    looked++;
    if (depth[i] > end) beyond++;
  }
  return beyond / looked;
}

function beyondNotes(end: number, share: number): string[] {
  if (share < WORTH_SAYING) return [];
  return [`Sun shadows end ${end} m from the camera: ${Math.round(100 * share)} % of the picture lies beyond.`];
}
