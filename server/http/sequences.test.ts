import { spawnSync } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { decode } from 'fast-png';
import { unzipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { STILL_TAKE } from '@daxel/core/scene/take';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import { BUILD } from '../entries';
import type { RunningServer } from '../serve';
import { Client, problemOf, smallScene, startServer, temporaryDir, writeSmallGlb } from '../testing/harness';

const data = temporaryDir();
let server: RunningServer;
let client: Client;
let shot: schema.Shot;
/** Sub-pixel patterns differ from frame to frame, so that frames depend on those before them. */
const ACCUMULATED = { 'samples.history': 6, 'samples.leadIn': 2 };

beforeAll(async () => {
  process.env.DAXEL_CHECKPOINT_SECONDS = '0.01';
  server = await startServer(data.path);
  client = new Client(server.url);
  shot = await client.makeSmall((await client.project()).shots[0], 2, ACCUMULATED);
}, 60_000);
afterAll(async () => {
  await server.close();
  data.remove();
  delete process.env.DAXEL_CHECKPOINT_SECONDS;
});

const cliReport = z.object({ frames: z.array(z.object({ beautyHash: z.string() })) });
const request = (body: object, shotId = shot.id): Promise<Response> =>
  client.send('POST', `/api/shots/${shotId}/sequences`, body);
const ask = async (body: object, shotId = shot.id): Promise<schema.Sequence> =>
  schema.sequence.parse(await (await request(body, shotId)).json());
const get = (id: string): Promise<schema.Sequence> => client.get(schema.sequence, `/api/sequences/${id}`);
const act = (id: string, action: string): Promise<Response> => client.send('POST', `/api/sequences/${id}/${action}`);
async function until(id: string, holds: (q: schema.Sequence) => boolean, at = client): Promise<schema.Sequence> {
  const end = Date.now() + 60_000;
  for (;;) {
    const sequence = await at.get(schema.sequence, `/api/sequences/${id}`);
    if (holds(sequence)) return sequence;
    if (sequence.state === 'failed' || Date.now() > end) throw new Error(`${sequence.state}: ${sequence.message}`);
    await new Promise((r) => setTimeout(r, 20));
  }
}
const done = (q: schema.Sequence): boolean => q.state === 'done';
async function hashes(id: string): Promise<string[]> {
  const frames = await client.get(z.array(schema.sequenceFrame), `/api/sequences/${id}/frames`);
  return frames.map((f) => f.beautyHash);
}

describe('a sequence', () => {
  let whole: schema.Sequence;
  let expected: string[];
  beforeAll(async () => {
    whole = await until((await ask({ first: 3, last: 8, forms: ['exr-half', 'png16'] })).id, done);
    expected = await hashes(whole.id);
  }, 60_000);

  it('holds every frame with what was asked for, and a picture to look at', async () => {
    expect(whole.map).toBe('++++++');
    expect(whole.files.map((f) => f.kind).sort()).toEqual(['exr-half', 'png16', 'png8']);
    expect(whole.seconds).toBeGreaterThan(0);
    expect(new Set(expected).size).toBe(6);
    const png = await client.fetch(`/api/sequences/${whole.id}/frames/5/png8`);
    expect(decode(new Uint8Array(await png.arrayBuffer()))).toMatchObject({ width: 96, height: 64, depth: 8 });
    expect((await client.fetch(`/api/sequences/${whole.id}/frames/9/png8`)).status).toBe(404);
    expect((await client.fetch(`/api/sequences/${whole.id}/frames/5/exr-float`)).status).toBe(404);
  });

  it('has the bits that the command line renders', async () => {
    const dir = temporaryDir();
    const scene = await writeSmallGlb(dir.path);
    const final = Object.entries(shot.recipe.final).flatMap(([k, v]) => ['--set', `${k}=${String(v)}`]);
    const report = join(dir.path, 'report.json');
    const args = ['render', scene, '--shot', shot.name, '--frames', '3-8', ...final, '--report', report];
    const cli = spawnSync(
      process.execPath,
      [join(BUILD, 'server', 'cli.js'), ...args, '--out', join(dir.path, 'f.####.png')],
      { encoding: 'utf8' },
    );
    expect(cli.stderr).toBe('');
    const { frames } = cliReport.parse(JSON.parse(readFileSync(report, 'utf8')));
    expect(frames.map((f) => f.beautyHash)).toEqual(expected);
    dir.remove();
  }, 60_000);

  it('is downloaded whole as a ZIP file, its frames named as was asked', async () => {
    const response = await client.fetch(`/api/sequences/${whole.id}/zip/exr-half`);
    expect(response.headers.get('content-disposition')).toContain('front-3-8-exr-half.zip');
    const entries = unzipSync(new Uint8Array(await response.arrayBuffer()));
    expect(Object.keys(entries)).toEqual([3, 4, 5, 6, 7, 8].map((n) => `front-3-8-exr-half/front.000${n}.exr`));
    const direct = await client.fetch(`/api/sequences/${whole.id}/frames/7/exr-half`);
    expect(entries['front-3-8-exr-half/front.0007.exr']).toEqual(new Uint8Array(await direct.arrayBuffer()));
    expect((await client.fetch(`/api/sequences/${whole.id}/zip/exr-float`)).status).toBe(404);
  });

  it('paused in the middle, with a still in between, goes on to the same bits', async () => {
    // long enough that it is not done before it is paused
    const { id } = await ask({ first: 3, last: 60 });
    await until(id, (q) => q.map.startsWith('++'));
    const paused = schema.sequence.parse(await (await act(id, 'pause')).json());
    expect(paused.state).toBe('paused');
    expect((await act(id, 'pause')).status).toBe(400);
    // takes the place of the history in the memory
    const still = await client.still(shot.id);
    expect((await client.until(still.id, ['done'])).state).toBe('done');
    expect((await get(id)).state).toBe('paused');
    await act(id, 'resume');
    await until(id, (q) => q.map.startsWith('++++++'));
    expect((await hashes(id)).slice(0, 6)).toEqual(expected);
    await act(id, 'cancel');
  }, 90_000);

  it('goes on to the same bits when its renderer is killed', async () => {
    const { id } = await ask({ first: 3, last: 60 });
    await until(id, (q) => q.map.startsWith('+++'));
    process.kill(server.renderPid()!, 'SIGKILL');
    await until(id, (q) => q.map.startsWith('++++++'));
    expect((await hashes(id)).slice(0, 6)).toEqual(expected);
    await act(id, 'cancel');
  }, 90_000);

  it('renders again what was lost on disk, and says so before', async () => {
    const { hash } = await lostFile(whole.id, 4);
    rmSync(join(data.path, 'files', hash.slice(0, 2), hash));
    const refused = await problemOf(await client.fetch(`/api/sequences/${whole.id}/zip/png16`));
    expect(refused.message).toMatch(/frames 4 are gone/);
    await act(whole.id, 'resume');
    await until(whole.id, done);
    expect(await hashes(whole.id)).toEqual(expected);
    expect((await client.fetch(`/api/sequences/${whole.id}/zip/png16`)).status).toBe(200);
    expect((await problemOf(await act(whole.id, 'resume'))).message).toMatch(/every frame/i);
  }, 60_000);

  it('cancelled keeps what is finished; deleted it can be brought back', async () => {
    const { id } = await ask({ first: 0, last: 400 });
    await until(id, (q) => q.map.startsWith('+'));
    const waiting = await ask({ first: 0, last: 0 });
    expect((await get(waiting.id)).state).toBe('queued');
    await act(id, 'cancel');
    // the next in line takes its turn
    await until(waiting.id, done);
    const cancelled = await get(id);
    expect(cancelled.state).toBe('cancelled');
    expect(cancelled.map).toMatch(/^\++\.+$/);
    expect((await client.send('DELETE', `/api/sequences/${id}`)).status).toBe(204);
    expect((await client.fetch(`/api/sequences/${id}`)).status).toBe(404);
    const back = schema.sequence.parse(await (await act(id, 'restore')).json());
    expect(back.map).toBe(cancelled.map);
  }, 60_000);

  it.each<[string, object, RegExp]>([
    ['frames the wrong way round', { first: 5, last: 4 }, /comes before the first/],
    ['more frames than anyone has', { first: 0, last: 20_000 }, /at most 20000/],
    ['half a frame', { first: 0.5, last: 4 }, /first/],
    ['a form there is not', { first: 0, last: 1, forms: ['gif'] }, /forms/],
    ['a name without a number', { first: 0, last: 1, naming: '{shot}' }, /row of #/],
    ['a name that leads elsewhere', { first: 0, last: 1, naming: '../{shot}.####' }, /no slashes/],
  ])('with %s is refused in one line', async (_what, body, message) => {
    const before = await client.get(z.array(schema.sequence), '/api/sequences');
    const response = await request(body);
    expect(response.status).toBe(400);
    expect((await problemOf(response)).message).toMatch(message);
    expect(await client.get(z.array(schema.sequence), '/api/sequences')).toHaveLength(before.length);
  });
});

describe('a shaken shot', () => {
  it('has one course for one take, from server and command line, and another for another', async () => {
    const take = { ...STILL_TAKE, number: 5, large: { angleDeg: 2, shift: 0.05, hertz: 2 } };
    const scene = smallScene();
    const cameraNode = scene.nodes.findIndex((n) => n.name === 'front');
    scene.shots = [{ name: 'by hand', cameraNode, firstFrame: 0, lastFrame: 2, rate: 24, seed: 1, take }];
    const glb = await writeGlb(scene);
    const project = schema.project.parse(await (await client.import(glb)).json());
    const byHand = project.shots.find((s) => s.name === 'by hand')!;
    let own = await client.makeSmall(byHand, 2, { 'samples.shutter': 2 });
    const sequenceHashes = async (): Promise<string[]> =>
      hashes((await until((await ask({ first: 0, last: 2, forms: [] }, own.id)).id, done)).id);
    const fromFile = await sequenceHashes();
    const change = async (to: object | null): Promise<void> => {
      const response = await client.send('PATCH', `/api/shots/${own.id}`, { version: own.version, take: to });
      own = schema.shot.parse(await response.json());
    };
    await change({ ...take, number: 6 });
    const other = await sequenceHashes();
    expect(other.every((h, i) => h !== fromFile[i])).toBe(true);
    await change(take);
    expect(await sequenceHashes()).toEqual(fromFile);

    const dir = temporaryDir();
    writeFileSync(join(dir.path, 'hand.glb'), glb);
    const final = Object.entries(own.recipe.final).flatMap(([k, v]) => ['--set', `${k}=${String(v)}`]);
    const rendered = (...more: string[]): string[] => {
      const report = join(dir.path, 'report.json');
      const args = ['render', join(dir.path, 'hand.glb'), '--shot', 'by hand', '--frames', '0-2', ...final, ...more];
      const out = ['--report', report, '--out', join(dir.path, 'f.####.png')];
      spawnSync(process.execPath, [join(BUILD, 'server', 'cli.js'), ...args, ...out]);
      return cliReport.parse(JSON.parse(readFileSync(report, 'utf8'))).frames.map((f) => f.beautyHash);
    };
    expect(rendered()).toEqual(fromFile);
    expect(rendered('--take', '6')).toEqual(other);
    dir.remove();
  }, 90_000);
});

describe('a path-traced sequence', () => {
  it('paused within a frame goes on with the samples it has', async () => {
    const own = await client.makeSmall((await client.project()).shots[1], 60, { 'samples.method': 'path' });
    const { id } = await ask({ first: 0, last: 1 }, own.id);
    await until(id, (q) => q.progress > 0.2);
    await act(id, 'pause');
    await act(id, 'resume');
    const finished = await until(id, done);
    expect(finished.map).toBe('++');
    const again = await until((await ask({ first: 0, last: 1 }, own.id)).id, done);
    expect(await hashes(again.id)).toEqual(await hashes(id));
  }, 120_000);
});

describe('a sequence whose server ended', () => {
  it('is taken up again with the first frame that is missing, to the same bits', async () => {
    const dir = temporaryDir();
    const first = await startServer(dir.path);
    const a = new Client(first.url);
    const own = await a.makeSmall((await a.project()).shots[0], 2, ACCUMULATED);
    const body = { first: 3, last: 8 };
    const asked = schema.sequence.parse(await (await a.send('POST', `/api/shots/${own.id}/sequences`, body)).json());
    await until(asked.id, (q) => q.map.startsWith('+'), a);
    await first.close();
    const second = await startServer(dir.path);
    const b = new Client(second.url);
    await until(asked.id, done, b);
    const frames = await b.get(z.array(schema.sequenceFrame), `/api/sequences/${asked.id}/frames`);
    const reference = await until((await ask({ first: 3, last: 8 })).id, done);
    expect(frames.map((f) => f.beautyHash)).toEqual(await hashes(reference.id));
    await second.close();
    dir.remove();
  }, 120_000);
});

/** The stored file of a frame's 16-bit PNG, by its contents. */
async function lostFile(id: string, frame: number): Promise<{ hash: string }> {
  const bytes = await (await client.fetch(`/api/sequences/${id}/frames/${frame}/png16`)).arrayBuffer();
  const digest = await crypto.subtle.digest('SHA-256', bytes);
  return { hash: Buffer.from(digest).toString('hex') };
}
