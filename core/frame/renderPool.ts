/** A team of render threads and the memory they share. One frame runs at a time; the next waits for it to end. */
import { BadInputError } from '../errors';
import type { StageId } from '../recipe/settings';
import type { CompiledScene } from '../scene/compiled';
import { unpackScene } from '../scene/packScene';
import { poseNodes, sceneMoves } from '../scene/pose';
import { frameLights } from '../shadows/frameLights';
import { framePlan, posePlan, type FrameViews } from './frameMemory';
import { frameSettings } from './frameSettings';
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

export type FrameRequest = Omit<FrameJob, 'keepPose' | 'keepShadows'> & { sceneId: string };

export interface RenderedFrame extends FrameOutcome {
  width: number;
  height: number;
  threads: number;
  /** Bytes booked to each stage, scene and frame together. */
  bytes: Partial<Record<StageId, number>>;
  /** Shadow maps of an earlier frame served again, so their time is not in `stages`. */
  keptShadows: boolean;
  /** Valid until the pool renders another frame of the same size. */
  views: FrameViews;
}

export interface RenderTicket {
  promise: Promise<RenderedFrame>;
  cancel(): void;
  /** 0…1 */
  progress(): number;
}

/** Scene and frame memory above this is refused rather than left to fail half way. */
const MEMORY_LIMIT = 6 * 2 ** 30;

export class RenderPool {
  private readonly scenes = new Map<string, { scene: CompiledScene; bytes: number }>();
  private readonly frames = new Map<string, ArrayBufferLike>();
  private poseBuffer: ArrayBufferLike = new ArrayBuffer(0);
  private poseKey = '';
  private shadowKey = '';
  private tail: Promise<unknown> = Promise.resolve();
  private tickets = 0;
  private handlers = new Map<number, (m: FromThread) => void>();

  /** @param ports at least one thread */
  constructor(private readonly ports: readonly ThreadPort[]) {
    for (const port of ports) port.listen((m) => this.handlers.get(m.ticket)?.(m));
  }

  get threads(): number {
    return this.ports.length;
  }

  /** Gives a packed scene to all threads. @param buffer shared memory */
  setScene(id: string, buffer: ArrayBufferLike): CompiledScene {
    const known = this.scenes.get(id);
    if (known) return known.scene;
    const scene = unpackScene(buffer as ArrayBuffer);
    this.scenes.set(id, { scene, bytes: buffer.byteLength });
    for (const port of this.ports) port.post({ type: 'scene', id, buffer });
    return scene;
  }

  /** Lets go of a scene and of everything made from it. */
  forgetScene(id: string): void {
    if (!this.scenes.delete(id)) return;
    this.frames.clear();
    this.poseKey = this.shadowKey = '';
    for (const port of this.ports) port.post({ type: 'forget', id });
  }

  /** Queues a frame. @param onPicture called with each better picture until the promise settles */
  render(request: FrameRequest, onPicture?: (frame: FrameViews, samples: number) => void): RenderTicket {
    const control = createControl();
    const promise = this.tail.then(() => this.run(request, control, onPicture));
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
  ): Promise<RenderedFrame> {
    const { sceneId, ...rest } = request;
    const held = this.scenes.get(sceneId);
    if (!held) throw new BadInputError(`Scene ${sceneId} is not loaded.`);
    const { scene } = held;
    const settings = frameSettings(request.recipe);
    const { width, height } = settings;
    const world = poseNodes(scene, request.timeSeconds);
    const { lights, texelCount, blockCount } = frameLights(
      scene,
      world,
      request.camera,
      width / height,
      settings.shadows,
    );
    const largestShadowMap = Math.max(0, ...lights.flatMap((l) => l.maps.map((m) => m.resolution)));
    const pose = posePlan(scene, texelCount, blockCount);
    const plan = framePlan(scene, width, height, largestShadowMap);
    const needed = arenaBytes(pose) + arenaBytes(plan) + held.bytes;
    if (needed > MEMORY_LIMIT)
      throw new BadInputError(
        `This frame needs ${(needed / 2 ** 30).toFixed(1)} GB. Lower output.width, output.height or shadows.resolution.`,
      );

    const poseKey = [sceneId, sceneMoves(scene) ? request.timeSeconds : 0, texelCount, blockCount].join();
    const maps = lights.flatMap((l) => l.maps.map((m) => [...m.matrix, m.resolution, m.depthCodes]));
    const shadowKey = `${poseKey}|${maps.join()}`;
    if (this.poseKey !== poseKey && this.poseBuffer.byteLength < arenaBytes(pose)) {
      this.poseBuffer = new SharedArrayBuffer(arenaBytes(pose));
    }
    const keepPose = this.poseKey === poseKey;
    const keepShadows = keepPose && this.shadowKey === shadowKey;
    const frameBuffer = this.frameBuffer(`${sceneId} ${width}×${height} ${largestShadowMap}`, arenaBytes(plan));
    const views = arenaViews(plan, frameBuffer);
    this.poseKey = this.shadowKey = '';
    const ticket = ++this.tickets;
    const outcome = await new Promise<FrameOutcome>((resolve, reject) => {
      let waiting = this.ports.length;
      let lead: FrameOutcome | null = null;
      this.handlers.set(ticket, (m) => {
        if (m.type === 'picture') return onPicture?.(views, m.samples);
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
          job: { ...rest, keepPose, keepShadows },
          shadowTexels: texelCount,
          shadowBlocks: blockCount,
          largestShadowMap,
          poseBuffer: this.poseBuffer,
          frameBuffer,
          control,
          index,
          size: this.ports.length,
        }),
      );
    }).finally(() => this.handlers.delete(ticket));
    if (outcome.finished || outcome.samples > 0) {
      this.poseKey = poseKey;
      this.shadowKey = shadowKey;
    }
    const bytes = arenaBytesByStage({ ...pose, ...plan });
    bytes.geometry = (bytes.geometry ?? 0) + held.bytes;
    return { ...outcome, width, height, threads: this.ports.length, bytes, keptShadows: keepShadows, views };
  }

  /** Buffers of the last few sizes are kept: dragging a setting alternates between a coarse and a full one. */
  private frameBuffer(key: string, bytes: number): ArrayBufferLike {
    let buffer = this.frames.get(key);
    if (!buffer || buffer.byteLength < bytes) buffer = new SharedArrayBuffer(bytes);
    this.frames.delete(key);
    this.frames.set(key, buffer);
    for (const old of this.frames.keys()) {
      if (this.frames.size <= 3) break;
      this.frames.delete(old);
    }
    return buffer;
  }
}
