import { randomUUID } from 'node:crypto';
import { cpSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { WedgeRequest } from '@daxel/api/schemas';
import { openDatabase, TEMPLATES, type Database } from '../db/database';
import { temporaryDir } from '../testing/harness';
import { insertProject } from './projects';
import { findWedge, insertWedge, saveStep, type ReferenceRow, type StepRow } from './wedges';

const dir = temporaryDir();
let db: Database;
const shotId = randomUUID();
const recipe = { name: 'r', draft: {}, final: {} };
beforeAll(async () => {
  cpSync(TEMPLATES.empty, dir.path, { recursive: true });
  db = await openDatabase(dir.path, null);
  const times = { firstFrame: 0, lastFrame: 9, rate: 24, seed: 1 };
  const shot = { id: shotId, name: 'one', ...times, recipe, patches: [], rigs: [], rigId: 'rig-1' };
  const counts = { triangles: 1, vertices: 3, objects: 1, materials: 1, textures: 0, textureBytes: 0, lights: 0 };
  const files = { sourceHash: 'a'.repeat(64), compiledHash: 'b'.repeat(64), compiledBytes: 1 };
  const scene = { id: randomUUID(), name: 'plate', ...files, counts, warnings: [] };
  const shots = [{ ...shot, hint: null, thumbnailHash: null }];
  await insertProject(db, { id: randomUUID(), name: 'p', source: 'file', scenes: [{ ...scene, shots }] });
}, 60_000);
afterAll(async () => {
  await db.close();
  dir.remove();
});

const step = (n: number, seconds: number | null): StepRow => ({
  ...{ values: { 'samples.pixel': n }, label: `Pixel samples ${n}`, seconds, besideSeconds: null, time: null },
  ...{ stages: null, samples: null, figures: null, stepping: null, flicker: null, picture: seconds !== null },
});
const reference: ReferenceRow = { label: 'last', seconds: 3, noise: null, exr: 'c'.repeat(64), png: 'd'.repeat(64) };

describe('steps of a wedge', () => {
  it('that are written at the same time are all kept, and the reference with the step that makes it', async () => {
    const id = randomUUID();
    const ladder = [1, 2, 4, 8, 16];
    const camera = { world: [], lens: {} } as never;
    const asked = { kind: 'wedge', name: 'w', tier: 'draft' } as unknown as WedgeRequest;
    const steps = ladder.map((n) => step(n, null));
    await insertWedge(db, { id, shotId, request: asked, recipe, rig: null, patches: [], camera, frame: 0, steps });
    // all of them were looked at before any is written
    await Promise.all(ladder.map((n, k) => saveStep(db, id, k, step(n, n / 10), n === 16 ? reference : null)));
    const row = (await findWedge(db, id))!;
    expect(row.steps).toEqual(ladder.map((n) => step(n, n / 10)));
    expect(row.reference).toEqual(reference);
  });
});
