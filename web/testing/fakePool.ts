/** A render pool that renders nothing: it notes what is asked for and answers with even frames, when it is told to. */
import type { FrameRequest, RenderedFrame, RenderTicket } from '@daxel/core/frame/renderPool';
import { SUMS } from '@daxel/core/light/components';

export class FakePool {
  readonly asked: FrameRequest[] = [];
  cancelled = 0;
  /** Number of the request that breaks. */
  failAt = -1;
  /** Answers wait for `answer` while this is true. */
  held = false;
  /** Added to every frame. */
  more: Partial<RenderedFrame> = {};
  /** Light of a pixel, times the number of its request. */
  light = 1;
  /** Metres that every pixel lies away. */
  depth = 5;
  private waiting: (() => void)[] = [];

  holds = (): boolean => false;

  render = (request: FrameRequest): RenderTicket => {
    const number = this.asked.push(request) - 1;
    const ticket = { finished: true };
    const promise = new Promise<RenderedFrame>((resolve, reject) => {
      const answer = (): void => {
        if (number === this.failAt) reject(new Error('It broke.'));
        else resolve(this.frameOf(request, number, ticket.finished));
      };
      if (this.held) this.waiting.push(answer);
      else setTimeout(answer, 0);
    });
    const cancel = (): void => {
      this.cancelled++;
      ticket.finished = false;
    };
    return { promise, cancel, progress: () => 0.5, bakes: () => false };
  };

  /** Answers the oldest request that waits. */
  answer(): void {
    this.waiting.shift()?.();
  }

  /** A frame all pixels of which hold the number of the request. */
  private frameOf({ recipe }: FrameRequest, number: number, finished: boolean): RenderedFrame {
    const [width, height] = [recipe['output.width'] as number, recipe['output.height'] as number];
    const pixels = width * height;
    const views = {
      beauty: new Float32Array(pixels * 3).fill(number * this.light),
      depth: new Float32Array(pixels).fill(this.depth),
      objectId: new Uint32Array(pixels).fill(this.depth > 0 ? 1 : 0),
      sums: new Float32Array(pixels * SUMS),
      display: new Uint8Array(pixels * 4).fill(number),
    };
    const stages = { geometry: 0.1, shadows: 0.2, samples: 0.3 };
    return {
      ...{ finished, width, height, samples: 1, threads: 2, seconds: 0.6, stages, bytes: { samples: 1000 } },
      ...{ keptShadows: false, keptSamples: false, notes: [], path: null, views },
      ...this.more,
    } as unknown as RenderedFrame;
  }
}

/** Lets everything that waits for nothing but its turn go on. */
export async function settle(): Promise<void> {
  for (let i = 0; i < 12; i++) await new Promise((done) => setTimeout(done, 0));
}
