/** The render process as the server sees it: started when needed, replaced when it dies. */
import { fork, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { entryUrl } from '../entries';
import type { FromRenderProcess, RenderOrder, ToRenderProcess } from '../render/renderProcess';

type End = Extract<FromRenderProcess, { type: 'done' | 'step' | 'cancelled' | 'failed' }>;

/** The render process ended while it held an order; the order can be given again. */
export class RenderProcessGone extends Error {}

export class RenderService {
  private child: ChildProcess | null = null;
  private stopped = false;

  get pid(): number | undefined {
    return this.child?.pid;
  }

  /** @param onMessage progress and forming pictures */
  async render(order: RenderOrder, onMessage: (m: FromRenderProcess) => void): Promise<End> {
    const child = this.start();
    return new Promise<End>((resolve, reject) => {
      const onReply = (m: FromRenderProcess): void => {
        if (m.orderId !== order.orderId) return;
        if (m.type === 'progress' || m.type === 'picture') return onMessage(m);
        cleanUp();
        resolve(m);
      };
      const onExit = (code: number | null, signal: string | null): void => {
        cleanUp();
        reject(new RenderProcessGone(`the render process ended (${signal ?? code})`));
      };
      const cleanUp = (): void => {
        child.off('message', onReply);
        child.off('exit', onExit);
      };
      child.on('message', onReply);
      child.on('exit', onExit);
      child.send(order satisfies ToRenderProcess);
    });
  }

  /** @param keep what a path-traced picture has so far stays on disk, to go on from */
  cancel(orderId: string, keep = false): void {
    if (this.child?.connected) this.child.send({ type: 'cancel', orderId, keep } satisfies ToRenderProcess);
  }

  stop(): void {
    this.stopped = true;
    this.child?.kill('SIGKILL');
  }

  private start(): ChildProcess {
    if (this.stopped) throw new RenderProcessGone('the server is stopping');
    if (this.child?.connected) return this.child;
    const child = fork(fileURLToPath(entryUrl('renderProcess')), [], {
      serialization: 'advanced',
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    });
    child.on('exit', () => {
      if (this.child === child) this.child = null;
    });
    this.child = child;
    return child;
  }
}
