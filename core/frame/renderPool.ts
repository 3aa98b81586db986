/** A team of render threads and the memory they share. One frame runs at a time; the next waits for it to end. */
import { KernelHeap, type Region } from '@daxel/kernel/heap';
import { kernelModule, kernelsInUse } from '@daxel/kernel/load';
import type { BakedProbes } from '../around/probes/figures';
import type { VoxelFigures } from '../around/voxels/figures';
import { BadInputError } from '../errors';
import type { ViewMode } from '../shading/views';
import { isPathTraced } from '../recipe/pathSettings';
import type { ResolvedRecipe } from '../recipe/recipe';
import type { StageId } from '../recipe/settings';
import type { CompiledScene } from '../scene/compiled';
import { exp2 } from '../math/exact';
import type { Checkpoint } from '../trace/checkpoint';
import { pathFigures, type PathFigures } from '../trace/pathFigures';
import { unpackScene } from '../scene/packScene';
import type { EnvironmentPicture, Lighting } from '../scene/source';
import type { Softness } from '../shadows/softness';
import type { FrameJob, FrameOutcome, FrameWish } from './frameJob';
import { computedViews, type FrameViews } from './frameMemory';
import { frameNotes, isWorthSaying, shareBeyond } from './frameNotes';
import { putHistory, type KeptHistory } from './keptHistory';
import { Glow } from './glow';
import { samplesKey } from './requestKey';
import { arenaViews } from './memory';
import { planFrame, plannedBytes } from './planFrame';
import { goOnFrom } from './pathSamples';
import { ProbeBakes, withBaking } from './probeBakes';
import type { ProbeStore } from './probeStore';
import { StageRooms } from './stageRooms';
import { STAGE_NAMES } from './stages/frameStages';
import { figuresOfVoxels, lackedRoom } from './voxelRoom';
import { createControl, requestCancel, workDone } from './team';
import type { FromThread, ToThread } from './threadProgram';

/** One thread as its owner sees it. */
export interface ThreadPort {
  post(message: ToThread): void;
  listen(handler: (message: FromThread) => void): void;
  terminate(): void;
}

export interface FrameRequest extends FrameWish {
  sceneId: string;
  recipe: ResolvedRecipe;
  /** A rig's light; the scene's own when absent. */
  lighting?: Lighting;
  view?: ViewMode;
  /** Makes everything anew, so that its time is that of a first frame. */
  fresh?: boolean;
  /** Develops the samples that stand in memory anew where only that has changed; its time is no measure of a frame then. */
  reuse?: boolean;
  /** Goes on from here; of a path-traced frame of the same request. */
  resume?: Checkpoint;
  /** History of the frame before, where it was kept outside. */
  kept?: KeptHistory;
}

export interface RenderedFrame extends Omit<FrameOutcome, 'stands'> {
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
  /** Of a frame that asks probes. */
  probes: BakedProbes | null;
  /** Of a frame that asks voxels, where they were asked now. */
  voxels: VoxelFigures | null;
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
  /** 0…1, of baking first where anything is to be baked. */
  progress(): number;
  /** Is anything being baked for it now? */
  bakes(): boolean;
}

interface Held {
  scene: CompiledScene;
  region: Region;
  glow: Glow;
}

/** Control words of what a request comes to. */
interface Phases {
  bake: Int32Array;
  frame: Int32Array;
  /** It is being baked for. */
  baking: boolean;
}

interface Drawn {
  key: string;
  stages: FrameOutcome['stages'];
  keptShadows: boolean;
  voxels: VoxelFigures | null;
}

const VOXELS = STAGE_NAMES.indexOf('voxels');
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
  private readonly rooms: StageRooms;
  private readonly bakes: ProbeBakes;
  private tail: Promise<unknown> = Promise.resolve();
  private tickets = 0;
  private handlers = new Map<number, (m: FromThread) => void>();

  /** @param ports at least one thread @param kernels whether the compiled loops may be used */
  constructor(
    private readonly ports: readonly ThreadPort[],
    kernels = kernelsInUse(),
  ) {
    this.heap = new KernelHeap(kernels);
    this.rooms = new StageRooms(this.heap);
    this.bakes = new ProbeBakes({
      ...{ heap: this.heap, rooms: this.rooms, threads: ports.length, checkMemory },
      run: (order) => this.runThreads(order, () => undefined),
    });
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
        this.scenes.set(id, { scene, region, glow: new Glow(scene) });
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
      this.rooms.forget();
    });
  }

  /** Whether a request that may `reuse` samples would find them. */
  holds(request: FrameRequest): boolean {
    const key = keptKey(request);
    return key !== null && [...this.frames.values()].some((region) => this.drawn.get(region)?.key === key);
  }

  /** Asks a store for baked probes before it bakes any, and gives it those that it baked. */
  keepProbesIn(store: ProbeStore): void {
    this.bakes.store = store;
  }

  /** Queues baking alone, of what a frame would ask. The promise gives null where that is nothing. */
  bake(request: FrameRequest): Pick<RenderTicket, 'cancel' | 'progress'> & { promise: Promise<BakedProbes | null> } {
    const control = createControl();
    const promise = this.tail.then(() => {
      const { scene, region } = this.litScene(request);
      const plan = planFrame(scene, request, this.ports.length);
      this.checkPicture(plan.frame.lighting.environment);
      return this.bakes.bakeFor({ plan, request, scene, sceneBytes: region.bytes, control });
    });
    this.tail = promise.catch(() => undefined);
    return { promise, cancel: () => requestCancel(control), progress: () => workDone(control) };
  }

  /** Queues a frame. @param onPicture called with each better picture until the promise settles */
  render(
    request: FrameRequest,
    onPicture?: (frame: FrameViews, samples: number) => void,
    onCheckpoint?: (checkpoint: Checkpoint) => void,
  ): RenderTicket {
    const phases = { bake: createControl(), frame: createControl(), baking: false };
    const promise = this.tail.then(() => this.run(request, phases, onPicture, onCheckpoint));
    this.tail = promise.catch(() => undefined);
    return {
      promise,
      cancel() {
        requestCancel(phases.bake);
        requestCancel(phases.frame);
      },
      progress: () => workDone(phases.baking ? phases.bake : phases.frame),
      bakes: () => phases.baking,
    };
  }

  terminate(): void {
    for (const port of this.ports) port.terminate();
  }

  private async run(
    request: FrameRequest,
    phases: Phases,
    onPicture?: (frame: FrameViews, samples: number) => void,
    onCheckpoint?: (checkpoint: Checkpoint) => void,
  ): Promise<RenderedFrame> {
    const { resume, kept, fresh, reuse, history } = request;
    if (fresh) this.rooms.forget();
    const held = this.litScene(request);
    const { scene } = held;
    const plan = planFrame(scene, request, this.ports.length);
    const { settings, lighting } = plan.frame;
    this.checkPicture(lighting.environment);
    checkMemory(plan.stages.reduce((sum, s) => sum + s.bytes, plan.bytes + held.region.bytes));

    phases.baking = this.bakes.lacks(plan);
    const control = phases.bake;
    const sceneBytes = held.region.bytes;
    const probes = await this.bakes
      .bakeFor({ plan, request, scene, sceneBytes, control })
      .finally(() => (phases.baking = false));
    const stages = plan.stages.map((stage) => this.rooms.orderOf(stage));
    const frameRegion = this.frameRegion(plan.key, plan.bytes);
    const views = arenaViews(plan.arena, frameRegion.buffer, frameRegion.base);
    const restored = kept?.frame === (history?.frame ?? 0) - 1 && putHistory(views, kept);
    const stood = this.histories.get(frameRegion);
    if (history?.before && !restored && stood !== history.frame - 1)
      throw new Error('The frame before is no longer in memory: render this run from its start.');
    this.histories.delete(frameRegion);
    const key = keptKey(request);
    const drawn = this.drawn.get(frameRegion);
    const reused = reuse && key !== null && drawn?.key === key ? drawn : null;
    if (!reused) this.drawn.delete(frameRegion);
    // what a thread leaves behind that fails is nothing to go by
    const idle = this.rooms.standsOf(plan.stages.filter(({ options }) => options === null));
    this.rooms.forget();
    if (settings.path && resume) goOnFrom(computedViews(views, settings), resume);
    const job: FrameJob = {
      ...plan.frame,
      ...wishOf(request),
      samplesBefore: settings.path && resume ? resume.samples : 0,
      keepSamples: reused !== null,
    };
    const frame = { region: frameRegion, arena: plan.arena };
    const outcome = await this.runThreads({ job, stages, frame, control: phases.frame }, (m) => {
      if (m.type === 'picture') onPicture?.(views, m.samples);
      else onCheckpoint?.(m.checkpoint);
    });
    STAGE_NAMES.forEach((name, i) => this.rooms.setStands(name, idle.get(name) ?? outcome.stands[i]));
    if (!outcome.finished && lackedRoom(scene, plan, this.rooms)) {
      // nothing was drawn yet
      if (stood !== undefined) this.histories.set(frameRegion, stood);
      return this.run(request, phases, onPicture, onCheckpoint);
    }
    if (history && outcome.finished) this.histories.set(frameRegion, history.frame);
    const shadows = stages[STAGE_NAMES.indexOf('shadows')];
    const keptShadows = shadows.stands !== '' && plan.maps.soft.length === 0;
    const path = settings.path ? pathFigures(views.paths, exp2(-settings.exposureEv)) : null;
    const beyond = path ? 0 : shareBeyond(plan.maps.sunEnd, views.depth);
    const voxels = reused ? reused.voxels : figuresOfVoxels(plan, this.rooms, stages[VOXELS].stands !== '');
    if (!reused && key !== null && outcome.finished)
      this.drawn.set(frameRegion, { key, stages: outcome.stages, keptShadows, voxels });
    const notes = frameNotes({ scene, plan, path, beyond, alone: !history, probes, voxels });
    const { length: threads } = this.ports;
    const { stands: _stands, ...drawnNow } = outcome;
    return {
      ...drawnNow,
      ...(reused && { stages: { ...reused.stages, lens: outcome.stages.lens } }),
      ...(probes?.follows && withBaking(outcome, probes)),
      width: settings.width,
      height: settings.height,
      threads,
      bytes: plannedBytes(plan, held.region.bytes),
      keptShadows: reused ? reused.keptShadows : keptShadows,
      keptSamples: reused !== null,
      notes,
      sunEnds: isWorthSaying(beyond) ? plan.maps.sunEnd : null,
      softness: settings.path ? null : plan.maps.softness,
      path,
      probes,
      voxels,
      views,
    };
  }

  /** All threads draw a frame. @param say is told what they say of it meanwhile */
  private runThreads(
    order: Pick<Extract<ToThread, { type: 'frame' }>, 'job' | 'stages' | 'frame' | 'control'>,
    say: (m: Extract<FromThread, { type: 'picture' | 'checkpoint' }>) => void,
  ): Promise<FrameOutcome> {
    const ticket = ++this.tickets;
    const { length: size } = this.ports;
    return new Promise<FrameOutcome>((resolve, reject) => {
      let waiting = size;
      let lead: FrameOutcome | null = null;
      this.handlers.set(ticket, (m) => {
        if (m.type === 'failed') return reject(new Error(m.message));
        if (m.type !== 'done') return say(m);
        if (m.index === 0) lead = m.outcome;
        if (--waiting === 0 && lead) resolve(lead);
      });
      this.ports.forEach((port, index) => port.post({ type: 'frame', ticket, index, size, ...order }));
    }).finally(() => this.handlers.delete(ticket));
  }

  /** What glows in the scene does so as the request's light has it. */
  private litScene({ sceneId, lighting }: FrameRequest): Held {
    const held = this.scenes.get(sceneId);
    if (!held) throw new BadInputError(`Scene ${sceneId} is not loaded.`);
    held.glow.scale(lighting?.glow ?? 1);
    return held;
  }

  private checkPicture({ kind, picture }: Lighting['environment']): void {
    if (kind === 'picture' && picture !== 'scene' && !this.hasPicture(picture ?? ''))
      throw new BadInputError('The environment picture of this light is not loaded.');
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

function checkMemory(needed: number): void {
  if (needed > MEMORY_LIMIT)
    throw new BadInputError(
      `This frame needs ${(needed / 2 ** 30).toFixed(1)} GB. Lower output.width, output.height, shadows.resolution or shadows.cascades.`,
    );
}

function wishOf({ camera, timeSeconds, seed, history, regions, checkpointSeconds }: FrameWish): FrameWish {
  return { camera, timeSeconds, seed, history, regions, checkpointSeconds };
}

/** Names all that a picture's samples depend on; null where they are no picture's, or depend on more. */
function keptKey(request: FrameRequest): string | null {
  const { view, history, regions, resume, kept } = request;
  // a traced frame looks at its exposure for where it may stop, and instruments are developed in their own ways
  const more = (view ?? 'picture') !== 'picture' || isPathTraced(request.recipe);
  return more || history || regions || resume || kept ? null : samplesKey(request);
}
