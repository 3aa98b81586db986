/** What lies on disk is what rows hold, however much was made and deleted; what is damaged is found. */
import {
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import * as schema from '@daxel/api/schemas';
import { openDatabase, type Database } from '../db/database';
import { soundCompiled } from '../import/scenes';
import { purgeDeleted } from '../sql/held';
import { hasDemo, sceneFiles, setProjectDeleted } from '../sql/projects';
import type { RunningServer } from '../serve';
import { Client, problemOf, startServer, temporaryDir } from '../testing/harness';
import { checkStoredFiles } from './checkFiles';
import { FileStore } from './fileStore';

const data = temporaryDir();
const filesDir = join(data.path, 'files');
let server: RunningServer;
let client: Client;
beforeAll(async () => {
  server = await startServer(data.path);
  client = new Client(server.url);
}, 60_000);
afterAll(async () => {
  await server.close().catch(() => undefined);
  data.remove();
});

const stored = (): string[] =>
  readdirSync(filesDir)
    .filter((shard) => shard.length === 2)
    .flatMap((shard) => readdirSync(join(filesDir, shard)).map((name) => join(filesDir, shard, name)));
/** As if nothing had been written for a day. */
const age = (): void => {
  const past = new Date(Date.now() - 86_400_000);
  for (const path of stored()) utimesSync(path, past, past);
};
const usage = (): Promise<schema.Storage> => client.get(schema.storage, '/api/storage');
const free = async (): Promise<schema.Storage> =>
  schema.storage.parse(await (await client.send('POST', '/api/storage/free')).json());
const bytesOf = (all: schema.Storage, kind: schema.StorageKind): number =>
  all.kinds.find((k) => k.kind === kind)?.bytes ?? 0;

describe('storage', () => {
  it('tells by kind what lies on disk, and every file once', async () => {
    const { shots } = await client.project();
    const shot = await client.makeSmall(shots[0]);
    await client.until((await client.still(shot.id)).id, ['done']);
    const all = await usage();
    const shown = all.kinds.filter((k) => !['database', 'dumps'].includes(k.kind));
    expect(shown.reduce((sum, k) => sum + k.bytes, 0)).toBe(stored().reduce((sum, p) => sum + statSync(p).size, 0));
    expect(bytesOf(all, 'stills')).toBeGreaterThan(0);
    expect(bytesOf(all, 'scenes')).toBeGreaterThan(0);
    expect(bytesOf(all, 'database')).toBeGreaterThan(1e6);
    expect(all.free).toBe(0);
  });

  it('keeps what is used, what can be brought back, and what is young; frees the rest when asked to', async () => {
    const project = await client.project();
    const shot = await client.makeSmall(project.shots[0], 3);
    const still = await client.until((await client.still(shot.id)).id, ['done']);
    age();
    const before = stored().length;
    expect((await free()).free).toBe(0);
    expect(stored().length).toBe(before);

    await client.send('DELETE', `/api/stills/${still.id}`);
    const marked = await usage();
    expect(bytesOf(marked, 'deleted')).toBe(still.files.reduce((sum, f) => sum + f.bytes, 0));
    expect(marked.free).toBe(bytesOf(marked, 'deleted'));
    // it is there until somebody lets go of it
    expect((await client.send('POST', `/api/stills/${still.id}/restore`)).status).toBe(200);
    expect((await client.fetch(`/api/stills/${still.id}/files/png8`)).status).toBe(200);

    await client.send('DELETE', `/api/stills/${still.id}`);
    mkdirSync(join(filesDir, 'ab'), { recursive: true });
    writeFileSync(join(filesDir, 'ab', '.half-written.part'), 'x');
    age();
    const after = await free();
    expect([after.free, bytesOf(after, 'deleted'), bytesOf(after, 'unused')]).toEqual([0, 0, 0]);
    expect(stored().length).toBe(before - still.files.length);
    expect((await client.send('POST', `/api/stills/${still.id}/restore`)).status).toBe(404);
    expect(existsSync(join(filesDir, 'ab', '.half-written.part'))).toBe(false);
  });

  it('is after a project was made, used and deleted what it was before', async () => {
    // the first has the same files: only rows of this one are its own
    const before = stored().sort();
    const project = await client.project();
    const shot = await client.makeSmall(project.shots[1], 5);
    await client.until((await client.still(shot.id)).id, ['done']);
    await client.send('DELETE', `/api/projects/${project.id}`);
    age();
    await free();
    expect(stored().sort()).toEqual(before);
  });

  it('of what was deleted a moment ago is freed when it is asked for, without waiting', async () => {
    const project = await client.project();
    const shot = await client.makeSmall(project.shots[0], 6);
    const still = await client.until((await client.still(shot.id)).id, ['done']);
    const before = stored().length;
    await client.send('DELETE', `/api/stills/${still.id}`);
    const moments = new Date(Date.now() - 20_000);
    for (const path of stored()) utimesSync(path, moments, moments);
    await free();
    expect(stored().length).toBe(before - still.files.length);
  });

  it('does not let go of what was put there a moment ago', async () => {
    const store = new FileStore(filesDir);
    const { hash } = await store.put(new TextEncoder().encode('a picture whose rig is not saved yet'));
    await free();
    expect(store.has(hash)).toBe(true);
    age();
    // put there again: it is as new as what will hold it
    await store.put(new TextEncoder().encode('a picture whose rig is not saved yet'));
    await free();
    expect(store.has(hash)).toBe(true);
    age();
    await free();
    expect(store.has(hash)).toBe(false);
  });
});

describe('damage', () => {
  it('of a still is told instead of shown', async () => {
    const { shots } = await client.project();
    const shot = await client.makeSmall(shots[0], 7);
    const still = await client.until((await client.still(shot.id)).id, ['done']);
    const png = stored().find((p) => statSync(p).size === still.files.find((f) => f.kind === 'png8')!.bytes)!;
    truncateSync(png, 40);
    const { status, message } = await problemOf(await client.fetch(`/api/stills/${still.id}/files/png8`));
    expect([status, message]).toEqual([409, 'The file of this still is lost or damaged. Render it again.']);
  });

  it('of a compiled scene is mended by itself when it is asked for', async () => {
    const project = await client.project();
    const { id, compiledHash } = project.scenes[0];
    const path = new FileStore(filesDir).path(compiledHash);
    const whole = readFileSync(path);
    truncateSync(path, 1000);
    const sent = await client.fetch(`/api/scenes/${id}/compiled`);
    expect(Buffer.from(await sent.arrayBuffer()).equals(whole)).toBe(true);
    rmSync(path);
    const shot = await client.makeSmall(project.shots[0], 9);
    expect((await client.until((await client.still(shot.id)).id, ['done', 'failed'])).state).toBe('done');
    expect(readFileSync(path).equals(whole)).toBe(true);
  });

  it('of single bits is found in the background, and the file is set aside', async () => {
    await server.close();
    const store = new FileStore(filesDir);
    const db: Database = await openDatabase(data.path, null);
    const [scene] = await sceneFiles(db);
    const path = store.path(scene.compiledHash);
    const whole = readFileSync(path);
    const bent = Uint8Array.from(whole);
    bent[bent.length >> 1] ^= 4;
    writeFileSync(path, bent);
    const damaged = await checkStoredFiles(store, new AbortController().signal);
    expect(damaged).toContain(scene.compiledHash);
    expect(store.has(scene.compiledHash)).toBe(false);
    expect(await soundCompiled(db, store, scene.compiledHash)).toBe(scene.compiledHash);
    expect(readFileSync(path).equals(whole)).toBe(true);
    expect(await checkStoredFiles(store, new AbortController().signal)).toEqual([]);
    // a demo that was deleted for good is not made again
    await db.query(`UPDATE projects SET source = 'demo', deleted_at = now()`);
    const [{ id }] = await db.query<{ id: string }>('SELECT id FROM projects LIMIT 1');
    await purgeDeleted(db, 0);
    expect(await hasDemo(db)).toBe(true);
    expect([await sceneFiles(db), await setProjectDeleted(db, id, false)]).toEqual([[], false]);
    await db.close();
  });
});
