/** Baked probes between a page and the server. */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { packProbes, probeFileName } from '@daxel/core/frame/probeFile';
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import * as schema from '@daxel/api/schemas';
import type { RunningServer } from '../serve';
import { Client, problemOf, startServer, temporaryDir } from '../testing/harness';

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

const key = JSON.stringify(['scene', {}, 'pose', [], 512, []]);
const file = packProbes(key, new Float32Array(PROBE_STRIDE * 3).fill(0.5));
const path = `/api/probes/${probeFileName(key)}`;
const put = (to: string, body: Uint8Array): Promise<Response> =>
  client.fetch(to, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/octet-stream' },
    body: body as Uint8Array<ArrayBuffer>,
  });

describe('baked probes', () => {
  it('are kept for whoever asks for the same, and counted among what lies on disk', async () => {
    expect((await client.fetch(path)).status).toBe(204);
    expect((await put(path, file)).status).toBe(204);
    const found = await client.fetch(path);
    expect(found.status).toBe(200);
    expect(new Uint8Array(await found.arrayBuffer())).toEqual(file);
    const { kinds } = await client.get(schema.storage, '/api/storage');
    expect(kinds.find((k) => k.kind === 'baked')).toEqual({ kind: 'baked', bytes: file.length, files: 1 });
  });

  it('are refused where they are not what their name says, and nothing is lost by it', async () => {
    const other = `/api/probes/${'0'.repeat(16)}`;
    for (const [to, body] of [
      [other, file],
      [path, file.slice(0, 100)],
      [path, new Uint8Array()],
    ] as const) {
      const problem = await problemOf(await put(to, body));
      expect(problem.status).toBe(400);
      expect(problem.message).toMatch(/no probes of this version\. Reload/);
    }
    expect((await client.fetch(other)).status).toBe(204);
    expect((await client.fetch(path)).status).toBe(200);
    for (const name of ['..%2f..%2fetc%2fpasswd', 'xyz', `${'0'.repeat(15)}G`])
      expect((await client.fetch(`/api/probes/${name}`)).status).toBe(400);
  });
});
