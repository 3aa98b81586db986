import type { ChildProcess } from 'node:child_process';
import { DEMO_SCENES } from '@daxel/demo/scenes';
import { existsSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, describe, expect, it } from 'vitest';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { checkpointFile } from './render/unfinishedFile';
import type { RunningServer } from './serve';
import { Client, smallGlb, startProgram, startServer, temporaryDir } from './testing/harness';

const cleanups: (() => void | Promise<void>)[] = [];
afterEach(async () => {
  for (const clean of cleanups.splice(0).reverse()) await clean();
});

function folder(): string {
  const dir = temporaryDir();
  cleanups.push(dir.remove);
  return dir.path;
}
async function running(dir: string): Promise<[RunningServer, Client]> {
  const server = await startServer(dir);
  return [server, new Client(server.url)];
}

async function program(dir: string): Promise<{ process: ChildProcess; client: Client }> {
  const { process, url } = await startProgram(dir);
  cleanups.push(() => void process.kill('SIGKILL'));
  return { process, client: new Client(url) };
}

describe('a restart', () => {
  it('keeps projects, recipes and finished stills', async () => {
    const dir = folder();
    const [first, a] = await running(dir);
    const shot = await a.makeSmall((await a.project()).shots[0]);
    const done = await a.until((await a.still(shot.id)).id, ['done']);
    const png = await (await a.fetch(`/api/stills/${done.id}/files/png8`)).arrayBuffer();
    await first.close();
    const [second, b] = await running(dir);
    const [project] = await b.get(z.array(schema.project), '/api/projects');
    expect(project.shots[0].recipe).toEqual(shot.recipe);
    expect(await b.get(schema.still, `/api/stills/${done.id}`)).toEqual({ ...done, formed: 0 });
    expect(await (await b.fetch(`/api/stills/${done.id}/files/png8`)).arrayBuffer()).toEqual(png);
    await second.close();
  });
});

describe('a killed render process', () => {
  it('is replaced, and its still is rendered to the end with the same bits', async () => {
    const [server, client] = await running(folder());
    const shot = await client.makeSmall((await client.project()).shots[0], 300);
    const asked = await client.still(shot.id);
    await client.until(asked.id, ['running']);
    await new Promise((r) => setTimeout(r, 300));
    const pid = server.renderPid();
    expect(pid).toBeDefined();
    process.kill(pid!, 'SIGKILL');
    const done = await client.until(asked.id, ['done', 'failed'], 60_000);
    expect(done.state).toBe('done');
    expect(server.renderPid()).not.toBe(pid);
    const again = await client.until((await client.still(shot.id)).id, ['done'], 60_000);
    expect(again.beautyHash).toBe(done.beautyHash);
    await server.close();
  }, 150_000);
});

describe('a killed render process, path tracing', () => {
  it('goes on from the samples it had kept, to the same bits', async () => {
    process.env.DAXEL_CHECKPOINT_SECONDS = '0.01';
    cleanups.push(() => void delete process.env.DAXEL_CHECKPOINT_SECONDS);
    const dir = folder();
    const [server, client] = await running(dir);
    const shot = await client.makeSmall((await client.project()).shots[0], 110, { 'samples.method': 'path' });
    const asked = await client.still(shot.id);
    const kept = join(dir, 'files', 'unfinished', asked.id);
    await expect.poll(() => existsSync(kept), { timeout: 20_000, interval: 5 }).toBe(true);
    process.kill(server.renderPid()!, 'SIGKILL');
    const checkpoint = await checkpointFile(kept, `${asked.id} ${asked.frame} ${asked.recipeHash}`).read();
    expect(checkpoint!.samples).toBeGreaterThan(0);
    const done = await client.until(asked.id, ['done', 'failed'], 90_000);
    expect(done.state).toBe('done');
    expect(done.samples).toBe(110);
    expect(existsSync(kept)).toBe(false);
    const again = await client.until((await client.still(shot.id)).id, ['done'], 90_000);
    expect(again.beautyHash).toBe(done.beautyHash);
    await server.close();
  }, 200_000);
});

describe('a killed server', () => {
  it('takes its running and its waiting still up again when it comes back', async () => {
    const dir = folder();
    const first = await program(dir);
    const imported = schema.project.parse(await (await first.client.import(await smallGlb())).json());
    const shot = await first.client.makeSmall(imported.shots[0], 300);
    const runs = await first.client.still(shot.id);
    const waits = await first.client.still(shot.id);
    await first.client.until(runs.id, ['running']);
    first.process.kill('SIGKILL');
    await new Promise((r) => first.process.once('exit', r));
    const second = await program(dir);
    for (const id of [runs.id, waits.id])
      expect((await second.client.until(id, ['done', 'failed'], 90_000)).state).toBe('done');
    const list = await second.client.get(z.array(schema.still), '/api/stills');
    expect(list.length).toBe(2);
  }, 240_000);
});

describe('a still that many servers died with', () => {
  it('is rendered all the same once one lives long enough', async () => {
    const dir = folder();
    const [first, a] = await running(dir);
    const shot = await a.makeSmall((await a.project()).shots[0], 500);
    const asked = await a.still(shot.id);
    await a.until(asked.id, ['running']);
    await first.close();
    for (let k = 0; k < 4; k++) {
      const [server, client] = await running(dir);
      await client.until(asked.id, ['running']);
      await server.close();
    }
    const [last, client] = await running(dir);
    expect((await client.until(asked.id, ['done', 'failed'], 120_000)).state).toBe('done');
    await last.close();
  }, 240_000);
});

describe('one folder, one server', () => {
  it('refuses a second one with a line that says what to do', async () => {
    const dir = folder();
    const [first] = await running(dir);
    await expect(startServer(dir)).rejects.toThrow(/another Daxel is running.*--data/);
    await first.close();
    const [again] = await running(dir);
    await again.close();
  });

  it('and one port: a taken one is told with the remedy', async () => {
    const [first] = await running(folder());
    const port = Number(new URL(first.url).port);
    await expect(startServer(folder(), { port })).rejects.toThrow(
      `Port ${port} is in use. Stop what uses it, or choose another with --port.`,
    );
    await first.close();
  });
});

describe('after an upgrade', () => {
  it('scenes whose compiled form is lost or old are compiled again from their file', async () => {
    const dir = folder();
    const [first, a] = await running(dir);
    const project = await a.project();
    await first.close();
    const { compiledHash, id } = project.scenes[0];
    const path = join(dir, 'files', compiledHash.slice(0, 2), compiledHash);
    const bytes = readFileSync(path);
    rmSync(path);
    const [second, b] = await running(dir);
    const served = new Uint8Array(await (await b.fetch(`/api/scenes/${id}/compiled`)).arrayBuffer());
    expect(Buffer.compare(served, bytes)).toBe(0);
    await second.close();
  });
});

describe('the demo', () => {
  it('is there at the first start, and stays deleted once it is', async () => {
    const dir = folder();
    const first = await startServer(dir, { demo: true });
    const a = new Client(first.url);
    const projects = await a.get(z.array(schema.project), '/api/projects');
    expect(projects.map((p) => p.name)).toEqual(['Marrow Skerry Light', 'Charts']);
    expect(projects.flatMap((p) => p.shots.map((s) => s.name))).toEqual([
      'lamp-room',
      ...DEMO_SCENES.slice(1).map((d) => d.shot),
    ]);
    for (const shot of projects.flatMap((p) => p.shots)) expect((await a.fetch(shot.thumbnail ?? '')).status).toBe(200);
    await a.send('DELETE', `/api/projects/${projects[1].id}`);
    await first.close();
    const second = await startServer(dir, { demo: true });
    const left = await new Client(second.url).get(z.array(schema.project), '/api/projects');
    expect(left.map((p) => p.name)).toEqual(['Marrow Skerry Light']);
    await second.close();
  });
});
