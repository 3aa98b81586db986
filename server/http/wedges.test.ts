import { decode } from 'fast-png';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import type { RunningServer } from '../serve';
import { Client, problemOf, startServer, temporaryDir } from '../testing/harness';

const data = temporaryDir();
let server: RunningServer;
let client: Client;
let shot: schema.Shot;

const patch = { id: 'p', name: 'plate', x: 0.3, y: 0.3, width: 0.3, height: 0.3 };
const quick = {
  'output.width': 48,
  'output.height': 32,
  'shadows.resolution': 256,
  'samples.pixel': 2,
  'lens.exposure': -12,
};
const json = (body: unknown): RequestInit => ({
  method: 'POST',
  headers: { 'Content-Type': 'application/json' },
  body: JSON.stringify(body),
});
/** Of all shots: what runs or waits. */
const open = async (): Promise<string[]> =>
  z
    .array(schema.wedge)
    .parse(await (await client.fetch('/api/wedges')).json())
    .map((w) => w.id);
const ask = (body: unknown): Promise<Response> => client.fetch(`/api/shots/${shot.id}/wedges`, json(body));
const list = async (): Promise<schema.Wedge[]> =>
  z.array(schema.wedge).parse(await (await client.fetch(`/api/shots/${shot.id}/wedges`)).json());
async function finished(id: string): Promise<schema.Wedge> {
  let found: schema.Wedge | undefined;
  await expect
    .poll(
      async () => {
        found = (await list()).find((w) => w.id === id);
        return found?.state;
      },
      { timeout: 170_000, interval: 100 },
    )
    .toMatch(/done|failed|cancelled/);
  return found!;
}

beforeAll(async () => {
  server = await startServer(data.path);
  client = new Client(server.url);
  [shot] = (await client.project()).shots;
  const recipe = { name: 'quick', draft: quick, final: quick };
  const changed = await client.fetch(`/api/shots/${shot.id}`, {
    ...json({ version: shot.version, recipe, patches: [patch] }),
    method: 'PATCH',
  });
  shot = schema.shot.parse(await changed.json());
}, 60_000);
afterAll(async () => {
  await server.close();
  data.remove();
});

describe('a wedge', () => {
  it('renders every step, measures each on whole and patch against the last, and keeps their pictures', async () => {
    const axes = [{ id: 'samples.pixel', values: [1, 4, 16] }];
    const asked = schema.wedge.parse(await (await ask({ name: 'samples', axes })).json());
    // the answer may come when the first step has begun
    expect(['queued', 'running']).toContain(asked.state);
    const wedge = await finished(asked.id);
    expect(wedge.state).toBe('done');
    expect(wedge.steps.map((s) => s.samples)).toEqual([1, 4, 16]);
    expect(wedge.steps.map((s) => s.figures?.length)).toEqual([2, 2, undefined]);
    expect(wedge.reference?.label).toBe('Pixel samples 16');
    expect(wedge.steps[0].figures![0].flip).toBeGreaterThan(wedge.steps[1].figures![0].flip);
    for (const s of wedge.steps) expect(s.seconds).toBeGreaterThan(0);
    const png = await client.fetch(`/api/wedges/${wedge.id}/steps/1`);
    expect(decode(new Uint8Array(await png.arrayBuffer()))).toMatchObject({ width: 48, height: 32 });
  });

  it('is measured against a path-traced picture made for it, whose noise is stated', async () => {
    const axes = [{ id: 'samples.pixel', values: [1, 8] }];
    const body = { name: 'against truth', axes, reference: { kind: 'path', samples: 8 }, patchesOnly: true };
    const wedge = await finished(schema.wedge.parse(await (await ask(body)).json()).id);
    expect(wedge.reference).toMatchObject({ label: 'path traced, 8 samples' });
    expect(wedge.reference!.noise).toBeGreaterThan(0);
    // patches alone: one figure a step
    expect(wedge.steps.map((s) => s.figures?.length)).toEqual([1, 1]);
    expect((await client.fetch(`/api/wedges/${wedge.id}/steps/reference`)).status).toBe(200);
  });

  it('renders the frames around each step and measures its flicker, where that is asked for', async () => {
    const key = (frame: number, x: number) => ({ frame, eye: [x, 1.6, 3], target: [0, 0.2, 0], ease: 'smooth' });
    const path = { rate: 24, keys: [key(-10, -0.4), key(10, 0.4)] };
    const change = { version: shot.version, path };
    shot = schema.shot.parse(await (await client.send('PATCH', `/api/shots/${shot.id}`, change)).json());
    const axes = [
      { id: 'samples.pixel', values: [4, 2, 1] },
      { id: 'samples.shutter', values: [1, 2, 4] },
    ];
    const body = { name: 'split', axes, pairs: true, flicker: true };
    const wedge = await finished(schema.wedge.parse(await (await ask(body)).json()).id);
    expect(wedge.state).toBe('done');
    expect(wedge.steps.map((s) => s.flicker?.length)).toEqual([2, 2, 2]);
    // smooth plates past which the camera moves: measured, and not noticed
    for (const s of wedge.steps)
      for (const f of s.flicker ?? []) {
        expect(f).toBeGreaterThan(0);
        expect(f).toBeLessThan(1);
      }
    // the step itself is what a wedge without flicker gives
    const plain = await finished(schema.wedge.parse(await (await ask({ ...body, flicker: false })).json()).id);
    expect(plain.steps.map((s) => s.figures?.[0].flip)).toEqual(wedge.steps.map((s) => s.figures?.[0].flip));
    expect(plain.steps.every((s) => s.flicker === null)).toBe(true);
  });

  it('is cancelled and taken up again where it was', async () => {
    const axes = [{ id: 'samples.pixel', values: [1, 2, 400] }];
    const { id } = schema.wedge.parse(await (await ask({ name: 'long', axes })).json());
    expect(await open()).toContain(id);
    const cancelled = await client.fetch(`/api/wedges/${id}/cancel`, { method: 'POST' });
    expect(schema.wedge.parse(await cancelled.json()).state).toBe('cancelled');
    expect(await open()).not.toContain(id);
    expect((await client.fetch(`/api/wedges/${id}/cancel`, { method: 'POST' })).status).toBe(400);
    await client.fetch(`/api/wedges/${id}/resume`, { method: 'POST' });
    const wedge = await finished(id);
    expect(wedge.state).toBe('done');
    expect(wedge.steps.every((s) => s.seconds !== null)).toBe(true);
    expect((await client.fetch(`/api/wedges/${id}`, { method: 'DELETE' })).status).toBe(204);
    expect((await list()).some((w) => w.id === id)).toBe(false);
  });

  it.each<[string, object, RegExp]>([
    ['one step', { name: 'x', axes: [{ id: 'samples.pixel', values: [4] }] }, /at least two steps/],
    [
      'thousands of steps',
      { name: 'x', axes: [{ id: 'samples.pixel', values: Array.from({ length: 99 }, (_, i) => i + 1) }] },
      /99 steps; at most 64/,
    ],
    ['an unknown setting', { name: 'x', axes: [{ id: 'samples.many', values: [1, 2] }] }, /no setting/],
    [
      'a still that is not there as the reference',
      {
        name: 'x',
        axes: [{ id: 'samples.pixel', values: [1, 2] }],
        reference: { kind: 'still', stillId: '00000000-0000-4000-8000-000000000000' },
      },
      /finished still of this shot/,
    ],
  ])('with %s is refused in one line', async (_what, body, message) => {
    const before = (await list()).length;
    const response = await ask(body);
    expect(response.status).toBe(400);
    expect((await problemOf(response)).message).toMatch(message);
    expect((await list()).length).toBe(before);
  });
});

describe('a sensitivity run', () => {
  it('holds every notch against the recipe as it is, in time and in picture', async () => {
    // traced shadows have fewer settings than maps: fewer notches to wait for
    const few = { ...quick, 'samples.pixel': 4, 'shadows.method': 'traced' };
    const recipe = { name: 'quick', draft: few, final: few };
    const changed = { ...json({ version: shot.version, recipe }), method: 'PATCH' };
    expect((await client.fetch(`/api/shots/${shot.id}`, changed)).status).toBe(200);
    const body = { kind: 'sensitivity', name: 'notches', patchesOnly: true };
    const { id } = schema.wedge.parse(await (await ask(body)).json());
    const found = async (): Promise<schema.Wedge> => (await list()).find((w) => w.id === id)!;
    const doubled = (w: schema.Wedge) => w.steps.find((s) => s.values['samples.pixel'] === 8)!;
    // all of them would take a minute; what mostly costs most comes first
    await expect.poll(async () => doubled(await found()).seconds, { timeout: 170_000, interval: 100 }).not.toBeNull();
    await client.fetch(`/api/wedges/${id}/cancel`, { method: 'POST' });
    const wedge = await finished(id);
    expect(['cancelled', 'done']).toContain(wedge.state);
    const more = doubled(wedge);
    // that it took longer is not asserted: on a busy machine it need not have
    expect(more.seconds).toBeGreaterThan(0);
    expect(more.figures![0].flip).toBeGreaterThan(0);
    // the scene has no glass: that setting can change nothing here, and is not tried
    expect(wedge.steps.some((s) => 'geometry.glassLayers' in s.values)).toBe(false);
    const taken = wedge.steps.slice(1).filter((s) => s.seconds !== null);
    expect(taken.length).toBeGreaterThan(0);
    expect(taken.every((s) => s.figures?.length === 1 && s.besideSeconds! > 0)).toBe(true);
  }, 180_000);
});
