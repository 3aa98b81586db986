/** Twelve tabs, fifty slow senders and a render at once: everyone is answered. Figures are printed in the long form. */
import { connect, type Socket } from 'node:net';
import { monitorEventLoopDelay } from 'node:perf_hooks';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { cases } from '@daxel/core/testing/cases';
import type { RunningServer } from '../serve';
import { Client, startServer, temporaryDir } from '../testing/harness';

const TABS = 12;
const SLOW = 50;
const data = temporaryDir();
let server: RunningServer;
let client: Client;
beforeAll(async () => {
  server = await startServer(data.path);
  client = new Client(server.url);
}, 60_000);
afterAll(async () => {
  await server.close();
  data.remove();
});

describe('under load', () => {
  it('the interface answers', { timeout: 120_000 }, async () => {
    const { shots } = await client.project();
    const shot = await client.makeSmall(shots[0], 64, { 'output.width': 640, 'output.height': 400 });
    const still = await client.still(shot.id);
    const { port } = new URL(server.url);
    const sockets: Socket[] = [];
    const sender = async (text: string): Promise<void> => {
      const socket = connect(Number(port), '127.0.0.1');
      socket.on('error', () => undefined);
      sockets.push(socket);
      await new Promise((done) => socket.once('connect', done));
      socket.write(text);
    };
    const host = `Host: localhost:${port}\r\n`;
    for (let i = 0; i < TABS; i++) await sender(`GET /api/events HTTP/1.1\r\n${host}\r\n`);
    for (let i = 0; i < SLOW; i++)
      await sender(
        `PATCH /api/shots/${shot.id} HTTP/1.1\r\n${host}Content-Type: application/json\r\nContent-Length: 99\r\n\r\n{`,
      );
    const delay = monitorEventLoopDelay({ resolution: 5 });
    delay.enable();
    const times: number[] = [];
    for (let i = 0; i < cases(30); i++) {
      const began = performance.now();
      const path = ['/api/projects', '/api/stills', `/api/stills/${still.id}`, '/api/health'][i % 4];
      expect((await client.fetch(path)).status).toBe(200);
      times.push(performance.now() - began);
    }
    delay.disable();
    for (const socket of sockets) socket.destroy();
    times.sort((a, b) => a - b);
    const p95 = times[Math.floor(times.length * 0.95)];
    if (cases(1) > 1)
      process.stdout.write(
        `${TABS} tabs, ${SLOW} slow senders, a render: ${times.length} answers, median ${times[times.length >> 1].toFixed(1)} ms, 95 % within ${p95.toFixed(1)} ms; longest delay of the loop ${(delay.max / 1e6).toFixed(0)} ms\n`,
      );
    await client.until(still.id, ['done', 'running', 'queued']);
  });
});
