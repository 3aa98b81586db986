/** Runs the parts of jobs of all kinds, one at a time: renders, tells how far it is, keeps, tries again, ends. */
import { BadInputError } from '@daxel/core/errors';
import type { FromRenderProcess } from '../render/renderProcess';
import type { JobKind, Live } from './jobKind';
import { RenderProcessGone, RenderService } from './renderService';

interface Running extends Live {
  /** Nobody wants it any more. */
  halted: boolean;
}

export class JobRunner {
  private readonly running = new Map<string, Running>();
  /** The newest that forms. It outlives its job for the moment in which a page has yet to hear of the end. */
  private picture: { id: string; png: Uint8Array } | null = null;
  private stopping = false;

  /** @param sound the hash under which a compiled scene is found whole, made again where it was damaged */
  constructor(
    private readonly sound: (compiledHash: string) => Promise<string>,
    readonly renderer = new RenderService(),
  ) {}

  stop(): void {
    this.stopping = true;
    this.renderer.stop();
  }

  /** What is known of a job whose part is worked on right now. */
  live(id: string): Live | undefined {
    return this.running.get(id);
  }

  /** The last picture that was seen of a job while it formed. */
  forming(id: string): Uint8Array | null {
    return this.picture?.id === id ? this.picture.png : null;
  }

  /** @param keep what a path-traced picture has so far stays, to go on from @returns whether it was worked on */
  halt(id: string, keep = false): boolean {
    const live = this.running.get(id);
    if (!live) return false;
    live.halted = true;
    this.running.delete(id);
    this.renderer.cancel(id, keep);
    return true;
  }

  /**
   * Works on the next missing part of a job whose turn it is.
   * @throws what the queue tries again after
   */
  async run<Row extends { id: string; compiledHash: string }, Part>(
    kind: JobKind<Row, Part>,
    id: string,
    attemptsLeft: number,
  ): Promise<void> {
    const row = await kind.begin(id);
    if (!row) return kind.next(id, false);
    let part: Part | null = null;
    const live: Running = { since: performance.now(), progress: 0, formed: 0, halted: false };
    this.running.set(id, live);
    kind.tell(row, live);
    let left = false;
    try {
      part = kind.part(row);
      if (part === null) await kind.finish(row);
      else left = await this.make(kind, row, part, live);
    } catch (error) {
      if (this.stopping) throw error;
      const gone = error instanceof RenderProcessGone;
      if (gone && attemptsLeft > 0) {
        await kind.again?.(id);
        throw error;
      }
      await kind.fail(id, gone && part !== null ? kind.tooMuch(part) : (error as Error).message);
    } finally {
      if (this.running.get(id) === live) this.running.delete(id);
      if (!this.stopping) await kind.announce(id).catch(() => undefined);
    }
    await kind.next(id, left);
  }

  /** @returns whether something is missing still */
  private async make<Row extends { id: string; compiledHash: string }, Part>(
    kind: JobKind<Row, Part>,
    row: Row,
    part: Part,
    live: Running,
  ): Promise<boolean> {
    const order = await kind.order({ ...row, compiledHash: await this.sound(row.compiledHash) }, part);
    // halted while its order was made: the renderer has nothing to cancel yet
    if (live.halted) return false;
    if (order) {
      const made = await this.renderer.render(order, (m) => {
        this.onMessage(row.id, live, m);
        if (!live.halted) kind.tell(row, live);
      });
      if (made.type === 'failed') throw new BadInputError(made.message);
      if (made.type === 'cancelled') return false;
      await kind.take(row, part, made);
      // it counts among what is there now
      live.progress = 0;
    }
    const after = await kind.begin(row.id);
    if (!after) return false;
    if (kind.part(after) !== null) return true;
    await kind.finish(after);
    return false;
  }

  private onMessage(id: string, live: Running, m: FromRenderProcess): void {
    if (m.type === 'progress') live.progress = Math.max(live.progress, m.progress);
    if (m.type === 'picture') {
      this.picture = { id, png: m.png };
      live.formed++;
    }
  }
}
