import { existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from 'vitest';
import type { Checkpoint } from '@daxel/core/trace/checkpoint';
import { PATH_SUMS } from '@daxel/core/trace/pathSums';
import { temporaryDir } from '../testing/harness';
import { checkpointFile } from './unfinishedFile';

let dir: { path: string; remove: () => void };
beforeEach(() => (dir = temporaryDir()));
afterEach(() => dir.remove());
const checkpoint = (samples: number): Checkpoint => ({
  samples,
  paths: new Float32Array(PATH_SUMS).fill(samples / 3),
  settled: new Uint8Array(1),
  depth: new Float32Array(1),
  normal: new Float32Array(3),
  objectId: new Uint32Array(1),
});
async function read(path: string, key: string): Promise<number | undefined> {
  return (await checkpointFile(path, key).read())?.samples;
}

it('keeps the newest checkpoint for the same picture, and nothing once it is removed', async () => {
  const path = join(dir.path, 'x.unfinished');
  const file = checkpointFile(path, 'picture');
  expect(await file.read()).toBeUndefined();
  for (const n of [1, 2, 4]) file.write(checkpoint(n));
  await expect.poll(() => read(path, 'picture')).toBe(4);
  expect((await checkpointFile(path, 'picture').read())!.paths[0]).toBe(Math.fround(4 / 3));
  expect(await read(path, 'another picture')).toBeUndefined();
  await file.remove();
  file.write(checkpoint(8));
  await new Promise((done) => setTimeout(done, 50));
  expect(existsSync(path)).toBe(false);
});

it('that is damaged is ignored', async () => {
  const path = join(dir.path, 'x');
  writeFileSync(path, 'not a checkpoint');
  expect(await read(path, 'picture')).toBeUndefined();
});
