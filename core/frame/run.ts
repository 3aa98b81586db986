/** Frames of a shot in order: with temporal accumulation each builds on the one before, after frames of lead-in. */
import type { CompiledScene } from '../scene/compiled';
import type { CameraView } from '../scene/camera';
import type { Checkpoint } from '../trace/checkpoint';
import type { FrameViews } from './frameMemory';
import type { KeptHistory } from './keptHistory';
import { historyOptions } from './frameSettings';
import { momentAt } from './moment';
import type { FrameRequest, RenderedFrame, RenderTicket } from './renderPool';
import { geometryView } from './shutter';

/** What renders single frames. */
export interface FrameRenderer {
  render(
    request: FrameRequest,
    onPicture?: (frame: FrameViews, samples: number) => void,
    onCheckpoint?: (checkpoint: Checkpoint) => void,
  ): RenderTicket;
}

export interface FrameCallbacks {
  onPicture?: (frame: FrameViews, samples: number) => void;
  onCheckpoint?: (checkpoint: Checkpoint) => void;
}

export interface RunStart {
  /**
   * First frame of the run, where it is one of many frames that are to be the same however often it is broken off: all
   * from here on are rendered again where history is lost. Absent where frames are asked for in any order: then lead-in
   * stands in for what is lost.
   */
  first?: number;
  /** History of an earlier frame of the same run, to go on from. */
  kept?: KeptHistory;
}

let runs = 0;

export class FrameRun {
  private readonly name = `run ${++runs}`;
  /** The frame whose history stands in the memory, or is about to be put there. */
  private last: number | null = null;
  private kept: KeptHistory | null;

  constructor(
    private readonly renderer: FrameRenderer,
    private readonly scene: CompiledScene,
    /** Frames a second. */
    private readonly rate: number,
    private readonly start: RunStart = {},
  ) {
    this.kept = start.kept ?? null;
    this.last = this.kept?.frame ?? null;
  }

  /**
   * Renders a frame of the shot, and those before it that it needs. Wait for one before asking for the next.
   * @param request its camera may ride on a node: lead-in frames are seen from where that was
   */
  frame(number: number, request: FrameRequest, { onPicture, onCheckpoint }: FrameCallbacks = {}): RenderTicket {
    const history = historyOptions(request.recipe);
    if (!history) return this.renderer.render(request, onPicture, onCheckpoint);
    const from = this.startFor(number, history.leadIn);
    const frames = number - from + 1;
    let ticket: RenderTicket | null = null;
    let cancelled = false;
    let done = 0;
    const all = async (): Promise<RenderedFrame> => {
      for (let n = from; ; n++) {
        const last = n === number;
        const order = this.orderOf(n, number, request, n > from || this.last === n - 1);
        this.kept = null;
        ticket = this.renderer.render(order, last ? onPicture : undefined, last ? onCheckpoint : undefined);
        if (cancelled) ticket.cancel();
        const frame = await ticket.promise;
        this.last = frame.finished ? n : null;
        done++;
        if (last || !frame.finished) return frame;
      }
    };
    return {
      promise: all(),
      cancel: () => {
        cancelled = true;
        ticket?.cancel();
      },
      bakes: () => ticket?.bakes() ?? false,
      progress: () => (done >= frames ? 1 : (done + (ticket?.progress() ?? 0)) / frames),
    };
  }

  /** The first frame that is to be rendered for one that is wanted. */
  private startFor(number: number, leadIn: number): number {
    const { last } = this;
    if (last === number - 1) return number;
    const { first } = this.start;
    if (first === undefined || number < first) return number - leadIn;
    return last !== null && last < number ? last + 1 : first - leadIn;
  }

  /** @param follows the frame builds on the one before */
  private orderOf(n: number, number: number, request: FrameRequest, follows: boolean): FrameRequest {
    const timeSeconds = request.timeSeconds + (n - number) / this.rate;
    const cameraAt = (t: number): CameraView => momentAt(this.scene, request.camera, request.timeSeconds, t).camera;
    const instants = request.recipe['samples.shutter'] as number;
    const before = follows ? geometryView(cameraAt, timeSeconds - 1 / this.rate, instants) : null;
    return {
      ...request,
      timeSeconds,
      camera: n === number ? request.camera : cameraAt(timeSeconds),
      // only the frame that was asked for can be gone on with
      ...(n !== number && { resume: undefined, checkpointSeconds: 0 }),
      history: { run: this.name, frame: n, before },
      ...(before && this.kept && { kept: this.kept }),
    };
  }
}
