/** Server-sent events with resume: a browser that was away gets what it missed, or is told to load everything again. */
import { randomUUID } from 'node:crypto';
import type { Request, Response } from 'express';
import type { ServerEvent } from '@daxel/api/schemas';

const KEPT = 500;
const BEAT_MS = 20_000;

export class EventStream {
  private readonly epoch = randomUUID().slice(0, 8);
  private readonly kept: { number: number; text: string }[] = [];
  private number = 0;
  private readonly open = new Set<Response>();
  private readonly beat = setInterval(() => {
    for (const response of this.open) response.write(': \n\n');
  }, BEAT_MS).unref();

  send(event: ServerEvent): void {
    this.number++;
    const text = `id: ${this.epoch}-${this.number}\ndata: ${JSON.stringify(event)}\n\n`;
    this.kept.push({ number: this.number, text });
    if (this.kept.length > KEPT) this.kept.shift();
    for (const response of this.open) response.write(text);
  }

  connect(request: Request, response: Response): void {
    response.set({ 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store' });
    response.flushHeaders();
    const [epoch, last] = (request.get('Last-Event-ID') ?? '').split('-');
    const missedFrom = Number(last) + 1;
    const oldest = this.kept[0]?.number ?? this.number + 1;
    if (epoch === this.epoch && missedFrom >= oldest) {
      for (const k of this.kept) if (k.number >= missedFrom) response.write(k.text);
    } else {
      response.write(
        `id: ${this.epoch}-${this.number}\ndata: ${JSON.stringify({ type: 'hello' } satisfies ServerEvent)}\n\n`,
      );
    }
    this.open.add(response);
    request.on('close', () => this.open.delete(response));
  }

  close(): void {
    clearInterval(this.beat);
    for (const response of this.open) response.end();
    this.open.clear();
  }
}
