/**
 * A render pool for pages that may not share memory: one worker works alone and sends copies of its pictures. It cannot
 * hear while it works, so a frame that is no longer wanted and does not end soon ends with its worker.
 */
import { BadInputError } from '@daxel/core/errors';
import type { FrameViews } from '@daxel/core/frame/frameMemory';
import type { FrameRequest, RenderedFrame, RenderPool, RenderTicket, SceneRoom } from '@daxel/core/frame/renderPool';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { unpackScene } from '@daxel/core/scene/packScene';
import type { EnvironmentPicture } from '@daxel/core/scene/source';
import { sharedBytes } from '@daxel/kernel/load';
import type { FromLone, ToLone } from './loneProgram';

/** What a page needs of a pool. */
export type Renderer = Pick<
  RenderPool,
  | 'threads'
  | 'setScene'
  | 'receiveScene'
  | 'holds'
  | 'forgetScene'
  | 'setPicture'
  | 'hasPicture'
  | 'render'
  | 'terminate'
>;

/** The worker as its owner sees it. */
export interface LonePort {
  post(message: ToLone): void;
  listen(handler: (message: FromLone) => void): void;
  terminate(): void;
}

/** Milliseconds that a frame nobody wants any more gets to end by itself: starting anew takes about as long. */
const GRACE_MS = 400;

interface Running {
  ticket: number;
  resolve: (frame: RenderedFrame) => void;
  reject: (error: Error) => void;
  onPicture?: (views: FrameViews, samples: number) => void;
}

export class LonePool implements Renderer {
  readonly threads = 1;
  private port: LonePort | null = null;
  private readonly scenes = new Map<string, { scene: CompiledScene; buffer: ArrayBufferLike }>();
  private readonly pictures = new Map<string, EnvironmentPicture>();
  private running: Running | null = null;
  private tail: Promise<unknown> = Promise.resolve();
  private tickets = 0;

  constructor(
    private readonly createPort: () => LonePort,
    private readonly graceMs = GRACE_MS,
  ) {}

  setScene(id: string, buffer: ArrayBufferLike): CompiledScene {
    const known = this.scenes.get(id);
    if (known) return known.scene;
    const scene = unpackScene(buffer);
    this.scenes.set(id, { scene, buffer });
    this.port?.post({ type: 'scene', id, buffer });
    return scene;
  }

  receiveScene(size: number): SceneRoom {
    const buffer = sharedBytes(size);
    return { bytes: new Uint8Array(buffer), keep: (id) => this.setScene(id, buffer), discard: () => undefined };
  }

  forgetScene(id: string): void {
    if (this.scenes.delete(id)) this.port?.post({ type: 'forget', id });
  }

  /** The worker knows, and cannot be asked. */
  holds(): boolean {
    return false;
  }

  setPicture(id: string, picture: EnvironmentPicture): void {
    if (this.pictures.has(id)) return;
    this.pictures.set(id, picture);
    this.port?.post({ type: 'picture', id, ...picture });
  }

  hasPicture(id: string): boolean {
    return this.pictures.has(id);
  }

  render(request: FrameRequest, onPicture?: (views: FrameViews, samples: number) => void): RenderTicket {
    const ticket = ++this.tickets;
    let cancelled = false;
    let finished = false;
    const promise = this.tail.then(async () => {
      if (cancelled) return unfinished(request);
      return new Promise<RenderedFrame>((resolve, reject) => {
        this.running = { ticket, resolve, reject, onPicture };
        this.open().post({ type: 'frame', ticket, request, pictures: onPicture !== undefined });
      });
    });
    this.tail = promise.catch(() => undefined).then(() => (finished = true));
    const cancel = (): void => {
      if (cancelled) return;
      cancelled = true;
      setTimeout(() => {
        if (finished || this.running?.ticket !== ticket) return;
        const { resolve } = this.running;
        this.terminate();
        resolve(unfinished(request));
      }, this.graceMs);
    };
    return { promise, cancel, progress: () => (finished ? 1 : 0), bakes: () => false };
  }

  terminate(): void {
    this.port?.terminate();
    this.port = null;
    this.running = null;
  }

  /** The worker, started anew with all it needs when there is none. */
  private open(): LonePort {
    if (this.port) return this.port;
    const port = (this.port = this.createPort());
    port.listen((m) => {
      if (this.port === port) this.hear(m);
    });
    for (const [id, { buffer }] of this.scenes) port.post({ type: 'scene', id, buffer });
    for (const [id, picture] of this.pictures) port.post({ type: 'picture', id, ...picture });
    return port;
  }

  private hear(m: FromLone): void {
    const { running } = this;
    if (running?.ticket !== m.ticket) return;
    if (m.type === 'picture') return running.onPicture?.(m.views, m.samples);
    this.running = null;
    if (m.type === 'done') running.resolve(m.frame);
    else running.reject(m.badInput ? new BadInputError(m.message) : new Error(m.message));
  }
}

/** What stands for a frame that was cancelled before anything of it stood. */
function unfinished({ recipe }: FrameRequest): RenderedFrame {
  return {
    finished: false,
    samples: 0,
    seconds: 0,
    stages: { geometry: 0, shadows: 0, bounce: 0, reflections: 0, samples: 0, lens: 0, output: 0 },
    width: recipe['output.width'] as number,
    height: recipe['output.height'] as number,
    threads: 1,
    bytes: {},
    keptShadows: false,
    keptSamples: false,
    notes: [],
    sunEnds: null,
    softness: null,
    probes: null,
    voxels: null,
    path: null,
    views: {} as FrameViews,
  };
}
