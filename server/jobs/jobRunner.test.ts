import { describe, expect, it } from 'vitest';
import type { FromRenderProcess, RenderOrder } from '../render/renderProcess';
import type { JobKind } from './jobKind';
import { JobRunner } from './jobRunner';
import { RenderProcessGone, RenderService } from './renderService';

type End = Awaited<ReturnType<RenderService['render']>>;
interface Row {
  id: string;
  compiledHash: string;
  left: number;
}

/** A renderer that answers as it is told, and what it was asked for. */
class Told extends RenderService {
  readonly orders: RenderOrder[] = [];
  readonly cancelled: string[] = [];
  constructor(private readonly answer: (order: RenderOrder, tell: (m: FromRenderProcess) => void) => Promise<End>) {
    super();
  }
  override render(order: RenderOrder, tell: (m: FromRenderProcess) => void): Promise<End> {
    this.orders.push(order);
    return this.answer(order, tell);
  }
  override cancel(id: string): void {
    this.cancelled.push(id);
  }
}

/** A job of a few parts, and what is done with it. */
function jobOf(parts: number, state = 'running') {
  const job = { left: parts, state, said: [] as string[] };
  const kind: JobKind<Row, number> = {
    name: 'wedge',
    unfinished: async () => [],
    start: async () => undefined,
    begin: async (id) => (job.state === 'running' ? { id, compiledHash: 'scene', left: job.left } : null),
    part: (row) => (row.left > 0 ? row.left : null),
    order: async (row, part) => ({ orderId: row.id, sceneKey: row.compiledHash, frame: part }) as RenderOrder,
    take: async (_row, part) => {
      job.said.push(`took ${part}`);
      job.left--;
    },
    finish: async () => {
      job.state = 'done';
    },
    fail: async (_id, message) => {
      job.state = 'failed';
      job.said.push(message);
    },
    tooMuch: (part) => `part ${part} is too much`,
    again: async () => void job.said.push('again'),
    next: async (_id, left) => void job.said.push(left ? 'goes on' : 'rests'),
    announce: async () => undefined,
    tell: (_row, live) => void job.said.push(`at ${live.progress}`),
  };
  return { job, kind };
}
const made = (order: RenderOrder): End => ({ orderId: order.orderId, type: 'step' }) as End;
const sound = async (hash: string): Promise<string> => `sound ${hash}`;

describe('a job of several parts', () => {
  it('does one a turn, and ends with the last', async () => {
    const renderer = new Told(async (order) => made(order));
    const runner = new JobRunner(sound, renderer);
    const { job, kind } = jobOf(2);
    await runner.run(kind, 'a', 3);
    expect(job).toMatchObject({ left: 1, state: 'running', said: ['at 0', 'took 2', 'goes on'] });
    await runner.run(kind, 'a', 3);
    expect(job).toMatchObject({ left: 0, state: 'done' });
    expect(job.said.slice(3)).toEqual(['at 0', 'took 1', 'rests']);
    expect(renderer.orders.map((o) => o.sceneKey)).toEqual(['sound scene', 'sound scene']);
  });

  it('with nothing left ends without a render, and one that is not wanted does nothing', async () => {
    const renderer = new Told(async (order) => made(order));
    const runner = new JobRunner(sound, renderer);
    const [none, paused] = [jobOf(0), jobOf(3, 'paused')];
    await runner.run(none.kind, 'a', 3);
    await runner.run(paused.kind, 'b', 3);
    expect([none.job.state, paused.job.state, renderer.orders.length]).toEqual(['done', 'paused', 0]);
    expect(paused.job.said).toEqual(['rests']);
  });

  it('tells how far it is, never backwards, and shows what forms for a moment after its end', async () => {
    const runner = new JobRunner(
      sound,
      new Told(async (order, tell) => {
        const { orderId } = order;
        for (const progress of [0.5, 0.25]) tell({ orderId, type: 'progress', progress });
        tell({ orderId, type: 'picture', png: Uint8Array.of(7) });
        expect(runner.live('a')).toMatchObject({ progress: 0.5, formed: 1 });
        return made(order);
      }),
    );
    const { job, kind } = jobOf(1);
    await runner.run(kind, 'a', 3);
    expect(job.said).toEqual(['at 0', 'at 0.5', 'at 0.5', 'at 0.5', 'took 1', 'rests']);
    expect([runner.live('a'), runner.forming('a'), runner.forming('b')]).toEqual([undefined, Uint8Array.of(7), null]);
  });
});

describe('a job that is halted', () => {
  it('before the renderer has its order is never rendered', async () => {
    const renderer = new Told(async (order) => made(order));
    const { job, kind } = jobOf(2);
    const runner: JobRunner = new JobRunner(async (hash) => {
      job.state = 'paused';
      expect(runner.halt('a', true)).toBe(true);
      return hash;
    }, renderer);
    await runner.run(kind, 'a', 3);
    expect([renderer.orders.length, job.left, job.state]).toEqual([0, 2, 'paused']);
  });

  it('in the middle is cancelled, keeps nothing of the part, and says nothing more of it', async () => {
    const { job, kind } = jobOf(2);
    const renderer = new Told(async ({ orderId }, tell) => {
      job.state = 'cancelled';
      runner.halt('a');
      tell({ orderId, type: 'progress', progress: 0.9 });
      return { orderId, type: 'cancelled' } as End;
    });
    const runner: JobRunner = new JobRunner(sound, renderer);
    await runner.run(kind, 'a', 3);
    expect(job.said).toEqual(['at 0', 'rests']);
    expect(renderer.cancelled).toEqual(['a']);
    expect(runner.halt('a')).toBe(false);
  });
});

describe('a job whose render fails', () => {
  it('because of what it asks ends at once, in those words', async () => {
    const failed = async (o: RenderOrder): Promise<End> => ({ orderId: o.orderId, type: 'failed', message: 'no room' });
    const { job, kind } = jobOf(2);
    await new JobRunner(sound, new Told(failed)).run(kind, 'a', 3);
    expect([job.state, job.said]).toEqual(['failed', ['at 0', 'no room', 'rests']]);
  });

  it('because the renderer ended is tried again, until it was tried enough', async () => {
    const runner = new JobRunner(
      sound,
      new Told(async () => {
        throw new RenderProcessGone('it ended');
      }),
    );
    const { job, kind } = jobOf(2);
    await expect(runner.run(kind, 'a', 1)).rejects.toThrow(RenderProcessGone);
    expect([job.state, job.said]).toEqual(['running', ['at 0', 'again']]);
    await runner.run(kind, 'a', 0);
    expect([job.state, job.said.slice(2)]).toEqual(['failed', ['at 0', 'part 2 is too much', 'rests']]);
  });
});
