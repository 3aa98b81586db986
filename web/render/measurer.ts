/** Questions to the measuring thread, one answer each. */
import type { MeasuredImage } from '@daxel/core/measure/imageError';
import type { PlacePart } from '@daxel/core/measure/partLevel';
import type { Rect } from '@daxel/core/measure/rect';
import type { ToneCurve } from '@daxel/core/film/tone';
import type { DifferenceView, FromMeasure, PlaceFigures, Shown, ToMeasure } from './measureWorker';

export class Measurer {
  private readonly worker = new Worker(new URL('./measureWorker.ts', import.meta.url), { type: 'module' });
  private readonly waiting = new Map<number, { done: (a: FromMeasure) => void; failed: (e: Error) => void }>();
  private tickets = 0;

  constructor() {
    this.worker.onmessage = (e: MessageEvent<{ ticket: number; answer?: FromMeasure; failure?: string }>) => {
      const { ticket, answer, failure } = e.data;
      const asked = this.waiting.get(ticket);
      this.waiting.delete(ticket);
      if (failure !== undefined) asked?.failed(new Error(failure));
      else asked?.done(answer ?? null);
    };
  }

  putImage = (key: string, image: MeasuredImage): Promise<Shown> =>
    this.ask(key, { type: 'image', image }, [image.rgb.buffer]) as Promise<Shown>;
  putBytes = (key: string, bytes: Uint8Array, name: string, tone?: ToneCurve): Promise<Shown> =>
    this.ask(key, { type: 'bytes', bytes, name, tone }, [bytes.buffer]) as Promise<Shown>;
  figures = (key: string, reference: string, rects: Rect[]): Promise<PlaceFigures[]> =>
    this.ask(key, { type: 'figures', key, reference, rects }) as Promise<PlaceFigures[]>;
  difference = (key: string, reference: string, view: DifferenceView): Promise<Uint8ClampedArray<ArrayBuffer>> =>
    this.ask(key, { type: 'difference', key, reference, view }) as Promise<Uint8ClampedArray<ArrayBuffer>>;
  pixel = (x: number, y: number): Promise<Record<string, number[]>> =>
    this.ask('', { type: 'pixel', x, y }) as Promise<Record<string, number[]>>;
  small = (key: string, width: number, height: number): Promise<Float32Array> =>
    this.ask(key, { type: 'small', key, width, height }) as Promise<Float32Array>;
  /** Bounced light of a place; null where the picture does not say. */
  bounce = (key: string, rect: Rect): Promise<PlacePart | null> =>
    this.ask(key, { type: 'bounce', key, rect }) as Promise<PlacePart | null>;
  forget = (key: string): Promise<unknown> => this.ask(key, { type: 'forget', key });

  terminate(): void {
    this.worker.terminate();
  }

  private ask(key: string, request: ToMeasure, transfer: ArrayBufferLike[] = []): Promise<FromMeasure> {
    const ticket = ++this.tickets;
    return new Promise((done, failed) => {
      this.waiting.set(ticket, { done, failed });
      // shared memory is not handed over but seen by both
      const owned = transfer.filter((b): b is ArrayBuffer => b instanceof ArrayBuffer);
      this.worker.postMessage({ ticket, key, request }, owned);
    });
  }
}
