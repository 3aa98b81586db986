/** The render process as the server sees it: started when needed, replaced when it dies. */
import { fork, type ChildProcess } from 'node:child_process';
import { setTimeout as wait } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { entryUrl } from '../entries';
import type { FromRenderProcess, RenderOrder, ToRenderProcess } from '../render/renderProcess';

type End = Extract<FromRenderProcess, { type: 'done' | 'step' | 'cancelled' | 'failed' }>;

/** The render process ended while it held an order; the order can be given again. */
export class RenderProcessGone extends Error {}

export class RenderService {
  private child: ChildProcess | null = null;
  private stopped = false;
  private unanswered: NodeJS.Timeout | undefined;
  /** How often in a row it ended before it had finished anything. */
  private soonGone = 0;

  /**
   * @param patienceMs for which a cancel is waited for
   * @param startChild starts a render process; tests give others
   */
  constructor(
    private readonly patienceMs = 10_000,
    private readonly startChild: () => ChildProcess = forkRenderer,
  ) {}

  get pid(): number | undefined {
    return this.child?.pid;
  }

  /**
   * @param onMessage progress and forming pictures
   * @throws RenderProcessGone when it ends, cannot be started, or does not answer a cancel
   */
  async render(order: RenderOrder, onMessage: (m: FromRenderProcess) => void): Promise<End> {
    await this.pause();
    const child = this.start();
    return new Promise<End>((resolve, reject) => {
      const onReply = (m: FromRenderProcess): void => {
        if (m.orderId !== order.orderId) return;
        if (m.type === 'progress' || m.type === 'picture') return onMessage(m);
        cleanUp();
        this.soonGone = 0;
        resolve(m);
      };
      const gone = (why: string): void => {
        cleanUp();
        reject(new RenderProcessGone(`the render process ended (${why})`));
      };
      const onExit = (code: number | null, signal: string | null): void => gone(String(signal ?? code));
      const onError = (error: Error): void => gone(error.message);
      const cleanUp = (): void => {
        clearTimeout(this.unanswered);
        child.off('message', onReply);
        child.off('exit', onExit);
        child.off('error', onError);
      };
      child.on('message', onReply);
      child.on('exit', onExit);
      child.on('error', onError);
      child.send(order satisfies ToRenderProcess, (error) => error && gone(error.message));
    });
  }

  /** @param keep what a path-traced picture has so far stays on disk, to go on from */
  cancel(orderId: string, keep = false): void {
    const { child } = this;
    if (!child?.connected) return;
    child.send({ type: 'cancel', orderId, keep } satisfies ToRenderProcess, () => undefined);
    clearTimeout(this.unanswered);
    // whoever does not hear any more is replaced
    this.unanswered = setTimeout(() => child.kill('SIGKILL'), this.patienceMs).unref();
  }

  stop(): void {
    this.stopped = true;
    this.child?.kill('SIGKILL');
  }

  private start(): ChildProcess {
    if (this.stopped) throw new RenderProcessGone('the server is stopping');
    if (this.child?.connected) return this.child;
    const child = this.startChild();
    // one that could not be started says so here, and never exits
    const forget = (): void => {
      if (this.child !== child) return;
      this.child = null;
      this.soonGone++;
    };
    child.on('exit', forget);
    child.on('error', forget);
    this.child = child;
    return child;
  }

  /** One that keeps ending is not started again and again without a breath. */
  private async pause(): Promise<void> {
    if (!this.child && this.soonGone > 0) await wait(Math.min(MOST_PAUSE_MS, 250 * 2 ** this.soonGone));
  }
}

const MOST_PAUSE_MS = 4000;

function forkRenderer(): ChildProcess {
  return fork(fileURLToPath(entryUrl('renderProcess')), [], {
    serialization: 'advanced',
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
}
