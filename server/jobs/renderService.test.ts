/** Renderers that end, do not start, or do not listen: the order comes back, and the server lives on. */
import { fork, spawn, type ChildProcess } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import type { StillOrder } from '../render/renderProcess';
import { temporaryDir } from '../testing/harness';
import { RenderProcessGone, RenderService } from './renderService';

const dir = temporaryDir();
const started: ChildProcess[] = [];
afterAll(() => {
  for (const child of started) child.kill('SIGKILL');
  dir.remove();
});

/** A renderer that does as the text says. */
function renderer(name: string, text: string): () => ChildProcess {
  const path = join(dir.path, `${name}.cjs`);
  writeFileSync(path, text);
  return () => {
    const child = fork(path, [], { serialization: 'advanced', stdio: ['ignore', 'ignore', 'ignore', 'ipc'] });
    started.push(child);
    return child;
  };
}
const order = { type: 'still', orderId: 'one' } as StillOrder;
const none = (): undefined => undefined;

describe('a renderer', () => {
  it('that cannot be started gives the order back', async () => {
    const service = new RenderService(1000, () => spawn(join(dir.path, 'nothing-here'), { stdio: ['ipc'] }));
    for (let i = 0; i < 3; i++) await expect(service.render(order, none)).rejects.toBeInstanceOf(RenderProcessGone);
    service.stop();
  });

  it('that ends at once gives the order back, every time', async () => {
    const service = new RenderService(1000, renderer('ends', 'process.exit(3)'));
    for (let i = 0; i < 3; i++) await expect(service.render(order, none)).rejects.toThrow(/ended/);
    service.stop();
  });

  it('that does not answer a cancel is ended, and the next one renders', async () => {
    let count = 0;
    const deaf = renderer('deaf', 'setInterval(() => {}, 1000); process.on("message", () => {});');
    const good = renderer(
      'good',
      'process.on("message", (m) => process.send({ orderId: m.orderId, type: "failed", message: "as told" }));',
    );
    const service = new RenderService(300, () => (count++ === 0 ? deaf() : good()));
    const rendered = service.render(order, none);
    setTimeout(() => service.cancel('one'), 100);
    await expect(rendered).rejects.toThrow(/SIGKILL/);
    expect(await service.render(order, none)).toMatchObject({ type: 'failed', message: 'as told' });
    service.stop();
  });

  it('that answers a cancel is left alone', async () => {
    const polite = renderer(
      'polite',
      'process.on("message", (m) => m.type === "cancel" && process.send({ orderId: m.orderId, type: "cancelled" }));',
    );
    const service = new RenderService(4000, polite);
    const rendered = service.render(order, none);
    setTimeout(() => service.cancel('one'), 100);
    expect((await rendered).type).toBe('cancelled');
    const { pid } = service;
    await new Promise((r) => setTimeout(r, 4500));
    expect(service.pid).toBe(pid);
    service.stop();
  });
});
