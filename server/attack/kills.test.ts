/**
 * The program is killed again and again while a browser's requests are under way: what was acknowledged is there
 * afterwards, renders end with the same bits, and no file is left without a row, nor a row without its file.
 */
import type { ChildProcess } from 'node:child_process';
import { readFileSync, utimesSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { afterAll, describe, expect, it } from 'vitest';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { hashCombine } from '@daxel/core/math/random';
import { cases } from '@daxel/core/testing/cases';
import { openDatabase } from '../db/database';
import { heldFiles } from '../sql/held';
import { checkStoredFiles } from '../store/checkFiles';
import { FileStore } from '../store/fileStore';
import { StorageKeeper } from '../store/storage';
import { Client, smallGlb, startProgram, temporaryDir } from '../testing/harness';

const KILLS = cases(2);
/** For all that was asked for to be rendered: the more kills, the more that is. */
const PATIENCE_MS = 120_000 + KILLS * 15_000;
const dir = temporaryDir();
let child: ChildProcess | null = null;
afterAll(() => {
  child?.kill('SIGKILL');
  dir.remove();
}, 60_000);

async function start(): Promise<Client> {
  const program = await startProgram(dir.path);
  child = program.process;
  return new Client(program.url);
}

/** Processes that the server has started, where the system tells. */
function childrenOf(pid: number): number[] {
  try {
    return readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(' ').filter(Boolean).map(Number);
  } catch {
    return [];
  }
}

/** What the server has acknowledged. */
const kept = {
  projects: new Set<string>(),
  stills: new Set<string>(),
  sequences: new Set<string>(),
  wedges: new Set<string>(),
};
/** The last edit that was acknowledged, and one whose answer was lost. */
let [edited, asked] = [0, 0];

describe('a server that is killed at any moment', () => {
  it(`keeps what it has acknowledged, ${KILLS} times over`, { timeout: 4 * PATIENCE_MS + KILLS * 30_000 }, async () => {
    let draws = 0;
    const draw = (below: number): number => hashCombine(2031, draws++) % below;
    const glb = await smallGlb();
    let client = await start();
    const project = await client.project();
    kept.projects.add(project.id);
    const shot = await client.makeSmall(project.shots[0]);

    for (let kill = 0; kill < KILLS; kill++) {
      const storm = Promise.allSettled([
        edits(client, shot.id),
        repeated(3, async () => {
          const made = await client.import(glb);
          if (made.status === 201) kept.projects.add(schema.project.parse(await made.json()).id);
        }),
        repeated(2, async () => void kept.stills.add((await client.still(shot.id)).id)),
        repeated(1, async () => {
          const answer = await client.send('POST', `/api/shots/${shot.id}/sequences`, { first: 0, last: 1 });
          if (answer.status === 202) kept.sequences.add(schema.sequence.parse(await answer.json()).id);
        }),
        repeated(1, async () => {
          const axes = [{ id: 'samples.pixel', values: [1, 2] }];
          const answer = await client.send('POST', `/api/shots/${shot.id}/wedges`, { name: 'w', axes, tier: 'final' });
          if (answer.status === 202) kept.wedges.add(schema.wedge.parse(await answer.json()).id);
        }),
      ]);
      await wait(100 + draw(2500));
      const below = childrenOf(child!.pid!);
      if (draw(3) === 0 && below.length > 0) {
        // a renderer or an importer first
        killNow(below[draw(below.length)]);
        await wait(draw(800));
      }
      const gone = new Promise((done) => child!.once('exit', done));
      child!.kill('SIGKILL');
      await gone;
      await storm;
      client = await start();
      const all = await client.get(z.array(schema.project), '/api/projects');
      const ids = new Set(all.map((p) => p.id));
      expect([...kept.projects].filter((id) => !ids.has(id))).toEqual([]);
      const now = all.flatMap((p) => p.shots).find((s) => s.id === shot.id)!;
      expect([edited, asked]).toContain(nameOf(now));
      edited = nameOf(now);
    }

    // what was asked for is rendered in the end, every time to the same bits
    const ends = new Map<string, number>();
    for (const id of kept.stills) {
      const { state, message, beautyHash } = await client.until(id, ['done', 'failed'], PATIENCE_MS);
      const end = `${state} ${message ?? beautyHash}`;
      ends.set(end, (ends.get(end) ?? 0) + 1);
    }
    expect([...ends.keys()]).toEqual([[...ends.keys()].find((end) => end.startsWith('done'))]);
    for (const id of kept.sequences) {
      const end = () => client.get(schema.sequence, `/api/sequences/${id}`);
      await expect.poll(async () => (await end()).state, { timeout: PATIENCE_MS }).toBe('done');
    }
    const wedges = () => client.get(z.array(schema.wedge), `/api/shots/${shot.id}/wedges`);
    await expect
      .poll(async () => (await wedges()).filter((w) => w.state === 'queued' || w.state === 'running').length, {
        timeout: PATIENCE_MS,
      })
      .toBe(0);
    const gone = new Promise((done) => child!.once('exit', done));
    child!.kill('SIGTERM');
    await gone;
    await everyFileHasItsRow();
  });
});

const killNow = (pid: number): void => {
  try {
    process.kill(pid, 'SIGKILL');
  } catch {
    // it has ended by itself
  }
};

/** Calls until the server is gone, so many times at most. */
async function repeated(times: number, run: () => Promise<void>): Promise<void> {
  for (let i = 0; i < times; i++) await run();
}

/** Edits one after the other, each a number in the name of a patch, until the server is gone. */
async function edits(client: Client, shotId: string): Promise<void> {
  let { version } = await shotOf(client, shotId);
  for (;;) {
    asked++;
    const patches = [{ id: 'p', name: `edit ${asked}`, x: 0, y: 0, width: 0.5, height: 0.5 }];
    const answer = await client.send('PATCH', `/api/shots/${shotId}`, { version, patches });
    if (answer.status !== 200) throw new Error(`an edit was answered ${answer.status}`);
    version = schema.shot.parse(await answer.json()).version;
    edited = asked;
  }
}

async function shotOf(client: Client, id: string): Promise<schema.Shot> {
  const all = await client.get(z.array(schema.project), '/api/projects');
  return all.flatMap((p) => p.shots).find((s) => s.id === id)!;
}

const nameOf = (shot: schema.Shot): number => Number(shot.patches[0]?.name.slice(5) ?? 0);

async function everyFileHasItsRow(): Promise<void> {
  const files = new FileStore(join(dir.path, 'files'));
  const db = await openDatabase(dir.path, null);
  expect(await checkStoredFiles(files, new AbortController().signal)).toEqual([]);
  const held = await heldFiles(db);
  expect([...held.keys()].filter((hash) => !files.has(hash))).toEqual([]);
  const past = new Date(Date.now() - 86_400_000);
  const stored = async (): Promise<string[]> => {
    const paths: string[] = [];
    for await (const { path } of files.entries()) paths.push(path);
    return paths;
  };
  for (const path of await stored()) utimesSync(path, past, past);
  await new StorageKeeper(db, files, dir.path).sweep(7);
  expect((await stored()).length).toBe(held.size);
  await db.close();
}
