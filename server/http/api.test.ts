import { request as httpRequest } from 'node:http';
import fc from 'fast-check';
import { decode } from 'fast-png';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { recipeHash, resolveRecipe } from '@daxel/core/recipe/recipe';
import { unpackScene } from '@daxel/core/scene/packScene';
import { emptyScene } from '@daxel/core/scene/source';
import { quad } from '@daxel/core/testing/scenes';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import type { RunningServer } from '../serve';
import { Client, problemOf, smallGlb, startServer, temporaryDir } from '../testing/harness';
import { cases } from '@daxel/core/testing/cases';

const data = temporaryDir();
let server: RunningServer;
let client: Client;
let project: schema.Project;

beforeAll(async () => {
  server = await startServer(data.path);
  client = new Client(server.url);
  project = await client.project();
}, 60_000);
afterAll(async () => {
  await server.close();
  data.remove();
});

describe('importing', () => {
  it('makes a project whose cameras are shots, with pictures and a metered exposure', async () => {
    expect(project).toMatchObject({ name: 'small', source: 'file' });
    expect(project.shots.map((s) => s.name)).toEqual(['front', 'side']);
    expect(project.scenes[0].counts).toMatchObject({ triangles: 4, lights: 1 });
    for (const shot of project.shots) {
      // 4 000 lx on half grey is about 640 nit
      expect(shot.recipe.draft['lens.exposure']).toBeGreaterThan(-13.5);
      expect(shot.recipe.draft['lens.exposure']).toBeLessThan(-10);
      const picture = await client.fetch(shot.thumbnail ?? '');
      const png = decode(new Uint8Array(await picture.arrayBuffer()));
      expect([png.width, png.height]).toEqual([320, 180]);
      expect(Array.from(png.data).some((code) => code > 90)).toBe(true);
    }
  });

  it('serves the compiled scene as it was announced', async () => {
    const { id, compiledBytes } = project.scenes[0];
    const response = await client.fetch(`/api/scenes/${id}/compiled`);
    const bytes = await response.arrayBuffer();
    expect(bytes.byteLength).toBe(compiledBytes);
    expect(unpackScene(bytes).triangles.length).toBe(12);
    expect(response.headers.get('Cache-Control')).toContain('immutable');
  });

  it('gives a file without light or camera what it lacks, and says so', async () => {
    const bare = emptyScene('bare');
    bare.meshes = [{ name: 'plate', primitives: [quad(1, 0, -1)] }];
    bare.nodes = [
      { name: 'plate', parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1], mesh: 0 },
    ];
    const made = schema.project.parse(await (await client.import(await writeGlb(bare), 'bare.glb')).json());
    expect(made.shots.length).toBe(1);
    const words = made.scenes[0].warnings.join(' ');
    expect(words).toMatch(/light/i);
    expect(words).toMatch(/camera/i);
  });

  it.each([
    ['an empty file', new Uint8Array(0), /empty/],
    ['a text', new TextEncoder().encode('hello, I am not a scene at all'), /not a \.glb/],
    ['a file cut short', null, /cut short/],
  ])('refuses %s with one line and keeps nothing', async (_name, bytes, expected) => {
    const before = (await client.get(z.array(schema.project), '/api/projects')).length;
    const problem = await problemOf(await client.import(bytes ?? (await smallGlb()).slice(0, 700), '../../evil.glb'));
    expect(problem.status).toBe(400);
    expect(problem.message).toMatch(/^evil\.glb: /);
    expect(problem.message).toMatch(expected);
    expect((await client.get(z.array(schema.project), '/api/projects')).length).toBe(before);
  });

  it('refuses a file over the limit without taking it in', async () => {
    const problem = await problemOf(await client.import(new Uint8Array(33 * 2 ** 20), 'large.glb'));
    expect(problem).toMatchObject({ status: 413, code: 'too-large' });
    expect(problem.message).toContain('32 MB');
  });
});

describe('an import that nobody waits for any more', () => {
  it('leaves no project behind', async () => {
    const before = (await client.get(z.array(schema.project), '/api/projects')).length;
    const abort = new AbortController();
    const sent = client.fetch('/api/projects?name=left.glb', {
      method: 'POST',
      body: (await smallGlb()) as Uint8Array<ArrayBuffer>,
      signal: abort.signal,
    });
    setTimeout(() => abort.abort(), 120);
    await expect(sent).rejects.toThrow();
    await new Promise((r) => setTimeout(r, 2500));
    expect((await client.get(z.array(schema.project), '/api/projects')).length).toBe(before);
  });
});

describe('projects', () => {
  it('are renamed, deleted and brought back', async () => {
    const made = await client.project();
    const renamed = schema.project.parse(
      await (await client.send('PATCH', `/api/projects/${made.id}`, { name: '  Quay ' })).json(),
    );
    expect(renamed.name).toBe('Quay');
    expect((await client.send('DELETE', `/api/projects/${made.id}`)).status).toBe(204);
    expect((await client.fetch(`/api/projects/${made.id}`)).status).toBe(404);
    const back = schema.project.parse(await (await client.send('POST', `/api/projects/${made.id}/restore`)).json());
    expect(back.shots.length).toBe(2);
    expect((await client.send('PATCH', `/api/projects/${made.id}`, { name: '   ' })).status).toBe(400);
  });
});

describe('shots', () => {
  it('keep recipe and patches, and refuse changes made from an old version', async () => {
    const shot = project.shots[1];
    const patches = [{ id: 'p1', name: 'edge', x: 0.1, y: 0.2, width: 0.3, height: 0.4 }];
    const changed = schema.shot.parse(
      await (await client.send('PATCH', `/api/shots/${shot.id}`, { version: shot.version, patches })).json(),
    );
    expect(changed).toMatchObject({ patches, version: shot.version + 1, recipe: shot.recipe });
    const problem = await problemOf(
      await client.send('PATCH', `/api/shots/${shot.id}`, { version: shot.version, patches: [] }),
    );
    expect(problem).toMatchObject({ status: 409, code: 'conflict' });
  });

  it('take another range, rate and handles, by which later frames are timed', async () => {
    const { shots } = schema.project.parse(await (await client.fetch(`/api/projects/${project.id}`)).json());
    const shot = shots[1];
    const timing = { firstFrame: 2, lastFrame: 11, rate: 48, handles: 4, frame: 3 };
    const change = { version: shot.version, ...timing };
    const changed = schema.shot.parse(await (await client.send('PATCH', `/api/shots/${shot.id}`, change)).json());
    expect(changed).toMatchObject(timing);
    const back = { version: changed.version, firstFrame: shot.firstFrame, lastFrame: shot.lastFrame, rate: shot.rate };
    const again = await client.send('PATCH', `/api/shots/${shot.id}`, { ...back, handles: 0, frame: shot.frame });
    expect(schema.shot.parse(await again.json())).toMatchObject({ rate: shot.rate, frame: shot.frame, handles: 0 });
  });

  it.each([
    [
      { recipe: { name: 'x', draft: { 'samples.pixel': 0 }, final: {} } },
      /samples\.pixel takes a whole number from 1 to 4096/,
    ],
    [{ recipe: { name: 'x', draft: { 'no.such': 1 }, final: {} } }, /There is no setting "no\.such"/],
    [{ patches: [{ id: 'a', name: '', x: 0, y: 0, width: 1, height: 1 }] }, /a patch needs a name/],
    [{ patches: [{ id: 'a', name: 'a', x: 2, y: 0, width: 1, height: 1 }] }, /patches\.0\.x/],
    [{ frame: 9999 }, /The shot has frames/],
    [{ firstFrame: 9000 }, /A shot from frame 9000 to \d+ has no frame/],
    [{ rate: 0.5 }, /the rate is from 1 to 240 a second/],
    [{ handles: 999 }, /handles have at most 240 frames/],
    [{ surprise: true }, /surprise/],
  ])('refuse %j', async (change, expected) => {
    const problem = await problemOf(
      await client.send('PATCH', `/api/shots/${project.shots[0].id}`, { version: 1, ...change }),
    );
    expect(problem.message).toMatch(expected);
  });

  it('take a thumbnail that is a picture, and nothing else', async () => {
    const url = `/api/shots/${project.shots[0].id}/thumbnail`;
    const png = new Uint8Array(await (await client.fetch(project.shots[0].thumbnail ?? '')).arrayBuffer());
    const put = (body: Uint8Array<ArrayBuffer>): Promise<Response> =>
      client.fetch(url, { method: 'PUT', headers: { 'Content-Type': 'image/png' }, body });
    expect((await put(png)).status).toBe(204);
    expect((await put(new Uint8Array(40))).status).toBe(409);
    expect((await put(new Uint8Array(2 * 2 ** 20))).status).toBe(413);
  });
});

describe('stills', () => {
  it('go from request to files, with progress told as it happens', async () => {
    const shot = await client.makeSmall(project.shots[0], 64);
    const events: schema.ServerEvent[] = [];
    const abort = new AbortController();
    const stream = await client.fetch('/api/events', { signal: abort.signal });
    const reading = readEvents(stream, events).catch(() => undefined);
    const asked = await client.still(shot.id);
    expect(asked).toMatchObject({
      state: 'queued',
      width: 96,
      height: 64,
      samples: 64,
      tier: 'final',
      freeView: false,
    });
    const done = await client.until(asked.id, ['done', 'failed']);
    expect(done.state).toBe('done');
    expect(done.recipeHash).toBe(recipeHash(resolveRecipe(shot.recipe, 'final')));
    expect(done.files.map((f) => f.kind)).toEqual([...schema.STILL_FILES]);
    for (const stage of ['geometry', 'shadows', 'samples', 'lens'])
      expect(done.stages?.[stage].seconds).toBeGreaterThan(0);
    for (const { kind, bytes } of done.files) {
      const response = await client.fetch(`/api/stills/${done.id}/files/${kind}?download`);
      const file = new Uint8Array(await response.arrayBuffer());
      expect(file.length).toBe(bytes);
      expect(response.headers.get('Content-Disposition')).toMatch(
        /attachment; filename="?front-0-Dailies\..*(png|exr)/,
      );
      if (kind.startsWith('png'))
        expect(decode(file)).toMatchObject({ width: 96, height: 64, depth: kind === 'png8' ? 8 : 16 });
      else expect([...file.subarray(0, 4)]).toEqual([0x76, 0x2f, 0x31, 0x01]);
    }
    await new Promise((r) => setTimeout(r, 200));
    abort.abort();
    await reading;
    const states = events.flatMap((e) => (e.type === 'still' && e.still.id === done.id ? [e.still.state] : []));
    expect(states[0]).toBe('queued');
    expect(states).toContain('running');
    expect(states.at(-1)).toBe('done');
  });

  it('are cancelled while they run, and while they wait', async () => {
    const fresh = (await client.project()).shots[0];
    const shot = await client.makeSmall(fresh, 4096);
    const [running, waiting] = [await client.still(shot.id), await client.still(shot.id)];
    await client.until(running.id, ['running']);
    expect((await client.send('POST', `/api/stills/${waiting.id}/cancel`)).status).toBe(200);
    expect((await client.send('POST', `/api/stills/${running.id}/cancel`)).status).toBe(200);
    expect((await client.until(running.id, ['cancelled'])).files).toEqual([]);
    expect((await client.until(waiting.id, ['cancelled'])).startedAt).toBeNull();
    const problem = await problemOf(await client.send('POST', `/api/stills/${running.id}/cancel`));
    expect(problem.message).toContain('cancelled already');
    // the queue is free again
    const next = await client.still((await client.makeSmall(shot, 1)).id);
    expect((await client.until(next.id, ['done'])).state).toBe('done');
  });

  it('are rendered from a free view when one is given', async () => {
    const shot = await client.makeSmall((await client.project()).shots[0], 1);
    const own = await client.until((await client.still(shot.id)).id, ['done']);
    const camera = { world: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0.4, 0.8, 4, 1], lens: own.camera.lens };
    const free = await client.until((await client.still(shot.id, { camera })).id, ['done']);
    expect(free.freeView).toBe(true);
    expect(free.camera).toEqual(camera);
    expect(free.beautyHash).not.toBe(own.beautyHash);
    const bad = await problemOf(
      await client.send('POST', `/api/shots/${shot.id}/stills`, { camera: { ...camera, world: [1, 2] } }),
    );
    expect(bad.message).toMatch(/camera\.world/);
  });

  it('are listed newest first, deleted and brought back', async () => {
    const list = await client.get(z.array(schema.still), '/api/stills');
    expect(list.length).toBeGreaterThan(3);
    expect(list.map((s) => s.createdAt)).toEqual(
      list
        .map((s) => s.createdAt)
        .sort()
        .reverse(),
    );
    const older = await client.get(
      z.array(schema.still),
      `/api/stills?limit=1&before=${encodeURIComponent(list[1].createdAt)}`,
    );
    expect(older.map((s) => s.id)).toEqual([list[2].id]);
    await client.send('DELETE', `/api/stills/${list[0].id}`);
    expect((await client.fetch(`/api/stills/${list[0].id}`)).status).toBe(404);
    expect((await client.send('POST', `/api/stills/${list[0].id}/restore`)).status).toBe(200);
    expect((await client.fetch(`/api/stills/${list[0].id}`)).status).toBe(200);
  });
});

describe('events', () => {
  it('resume after the last one seen, and start over when that is too old', async () => {
    const seen: string[] = [];
    const take = async (lastEventId?: string): Promise<schema.ServerEvent[]> => {
      const abort = new AbortController();
      const stream = await client.fetch('/api/events', {
        signal: abort.signal,
        headers: lastEventId ? { 'Last-Event-ID': lastEventId } : {},
      });
      const events: schema.ServerEvent[] = [];
      const reading = readEvents(stream, events, seen).catch(() => undefined);
      await new Promise((r) => setTimeout(r, 150));
      abort.abort();
      await reading;
      return events;
    };
    expect((await take()).map((e) => e.type)).toEqual(['hello']);
    const last = seen.at(-1);
    await client.send('PATCH', `/api/projects/${project.id}`, { name: 'small' });
    expect((await take(last)).map((e) => e.type)).toEqual(['projects']);
    expect((await take('otherrun-5')).map((e) => e.type)).toEqual(['hello']);
  });

  it('tell how far an import is, to who names it', async () => {
    const abort = new AbortController();
    const events: schema.ServerEvent[] = [];
    const reading = readEvents(await client.fetch('/api/events', { signal: abort.signal }), events, []).catch(() => {});
    const upload = '00000000-0000-4000-8000-00000000000a';
    const body = (await smallGlb()) as Uint8Array<ArrayBuffer>;
    const made = await client.fetch(`/api/projects?name=told.glb&upload=${upload}`, { method: 'POST', body });
    expect(made.status).toBe(201);
    await client.fetch('/api/projects?name=untold.glb', { method: 'POST', body });
    await vi.waitFor(() => expect(events.filter((e) => e.type === 'projects').length).toBe(2));
    abort.abort();
    await reading;
    const told = events.filter((e) => e.type === 'import');
    expect(new Set(told.map((e) => e.upload))).toEqual(new Set([upload]));
    expect(told.map((e) => e.progress.step)).toEqual(['reading', 'meshes', 'keeping', 'drawing']);
    const wrong = await client.fetch('/api/projects?upload=../x', { method: 'POST', body });
    expect(await problemOf(wrong)).toMatchObject({ status: 400 });
  });
});

describe('the doors', () => {
  it('answer what does not exist with 404 and one line', async () => {
    const none = '00000000-0000-4000-8000-000000000000';
    for (const path of [
      `/api/projects/${none}`,
      `/api/stills/${none}`,
      `/api/scenes/${none}/compiled`,
      `/api/nothing`,
      `/api/pictures/${'a'.repeat(64)}.png`,
    ])
      expect((await problemOf(await client.fetch(path))).status).toBe(404);
    for (const path of [
      '/api/projects/x',
      '/api/stills/1%27%20OR%201=1',
      `/api/stills?limit=0`,
      '/api/pictures/..%2F..%2Fetc.png',
    ])
      expect((await problemOf(await client.fetch(path))).status).toBe(400);
  });

  it('set the headers that isolate the page and forbid what it does not need', async () => {
    const { headers } = await client.fetch('/api/health');
    expect(headers.get('Cross-Origin-Opener-Policy')).toBe('same-origin');
    expect(headers.get('Cross-Origin-Embedder-Policy')).toBe('require-corp');
    expect(headers.get('Content-Security-Policy')).toContain("default-src 'none'");
    expect(headers.get('X-Powered-By')).toBeNull();
    expect(headers.get('X-Content-Type-Options')).toBe('nosniff');
  });

  it('are shut to other hosts and other sites', async () => {
    const status = await new Promise<number | undefined>((resolve) => {
      httpRequest(new URL('/api/projects', server.url), { headers: { Host: 'evil.example' } }, (r) =>
        resolve(r.statusCode),
      ).end();
    });
    expect(status).toBe(403);
    const other = await client.fetch('/api/projects', {
      method: 'POST',
      headers: { Origin: 'http://evil.example' },
      body: 'x',
    });
    expect(other.status).toBe(403);
  });

  it('say one line about damaged JSON', async () => {
    const response = await client.fetch(`/api/projects/${project.id}`, {
      method: 'PATCH',
      headers: { 'Content-Type': 'application/json' },
      body: '{"name":',
    });
    expect(await problemOf(response)).toMatchObject({ status: 400, message: 'The request is not valid JSON.' });
  });

  it('stay open whatever is sent to them', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom('PATCH /api/shots/', 'POST /api/shots/', 'PATCH /api/projects/', 'POST /api/stills/'),
        fc.json(),
        fc.string(),
        async (door, body, tail) => {
          const [method, path] = door.split(' ');
          const address = `${path}${tail ? encodeURIComponent(tail) : project.shots[0].id}`;
          const response = await client.fetch(address, {
            method,
            headers: { 'Content-Type': 'application/json' },
            body,
          });
          expect(response.status).toBeGreaterThanOrEqual(400);
          expect(response.status).toBeLessThan(500);
        },
      ),
      { numRuns: cases(150) },
    );
    expect((await client.fetch('/api/health')).status).toBe(200);
  });

  it('describe themselves', async () => {
    const document = (await (await client.fetch('/api/openapi.json')).json()) as {
      openapi: string;
      paths: Record<string, object>;
    };
    expect(document.openapi).toBe('3.1.0');
    expect(Object.keys(document.paths)).toContain('/api/shots/{id}/stills');
    expect(JSON.stringify(document.paths['/api/shots/{id}'])).toContain('patches');
    // what each route says of itself, whichever file it is in
    for (const path of ['/api/health', '/api/storage/free', '/api/sequences/{id}/pause', '/api/pictures/{hash}.png'])
      expect(Object.keys(document.paths)).toContain(path);
    expect(JSON.stringify(document)).not.toContain('"summary":""');
  });
});

/** A shot of the project as it is kept now. */
const current = async (index: number): Promise<schema.Shot> =>
  (await client.get(schema.project, `/api/projects/${project.id}`)).shots[index];

describe('rigs', () => {
  it('come with every shot: its own light, ready to be changed', async () => {
    const [rig] = project.shots[0].rigs;
    expect(project.shots[0].rigId).toBe(rig.id);
    expect(rig.lights.map((l) => l.kind)).toEqual(['sun']);
    expect(rig.lights[0].intensity).toBe(4000);
  });

  it('are kept with the shot, and light the stills that are asked for in them', async () => {
    const shot = await client.makeSmall(await current(0));
    const [own] = shot.rigs;
    const hashes: string[] = [];
    let version = shot.version;
    for (const factor of [1, 3]) {
      const changed = structuredClone(own);
      changed.id = `times-${factor}`;
      changed.name = `times ${factor}`;
      changed.lights[0].intensity *= factor;
      const change = { version, rigs: [own, changed], rigId: changed.id };
      const kept = schema.shot.parse(await (await client.send('PATCH', `/api/shots/${shot.id}`, change)).json());
      version = kept.version;
      expect(kept.rigs[1]).toEqual(changed);
      const asked = await client.still(shot.id, { tier: 'draft' });
      const still = await client.until(asked.id, ['done', 'failed']);
      expect(still.state).toBe('done');
      expect(still.rig?.name).toBe(`times ${factor}`);
      hashes.push(still.beautyHash ?? '');
    }
    expect(hashes[0]).not.toBe(hashes[1]);
  });

  it('that make no sense are refused with the place, and change nothing', async () => {
    const shot = await current(0);
    const wrong = structuredClone(shot.rigs);
    wrong[0].lights[0].intensity = 1e30;
    const answer = await client.send('PATCH', `/api/shots/${shot.id}`, { version: shot.version, rigs: wrong });
    const problem = await problemOf(answer);
    expect(problem.status).toBe(400);
    expect(problem.message).toMatch(/rigs\.0\.lights\.0\.intensity/);
    expect(await current(0)).toEqual(shot);
  });
});

describe('environment pictures', () => {
  /** An even sky with a small bright spot, as a run-length coded .hdr. */
  const hdr = (width: number): Uint8Array => {
    const head = new TextEncoder().encode(`#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y ${width / 2} +X ${width}\n`);
    const line = (value: number[]): number[] => [
      ...[2, 2, width >> 8, width & 255],
      ...value.flatMap((v) => Array.from({ length: width / 64 }, () => [128 + 64, v]).flat()),
    ];
    const even = line([128, 128, 128, 129]);
    const lines = Array.from({ length: width / 2 }, () => even);
    const spot = [...even];
    // the exponents stand in the last of the four planes: a run of 64 pixels there is bright
    spot[4 + (3 * width) / 32 + 1] = 140;
    lines[width / 8] = spot;
    return Uint8Array.from([...head, ...lines.flat()]);
  };
  const send = (bytes: Uint8Array, query: string) =>
    client.fetch(`/api/environments?${query}`, { method: 'POST', body: bytes as BodyInit });

  it('come in, tell of their sun, are served as they are kept, and light a still', async () => {
    const made = schema.environmentFile.parse(await (await send(hdr(128), 'name=sky.hdr')).json());
    expect(made).toMatchObject({ name: 'sky.hdr', width: 128, height: 64 });
    expect(made.sun?.towards[1]).toBeGreaterThan(0.65);
    const bytes = await (await client.fetch(`/api/environments/${made.hash}`)).arrayBuffer();
    expect(bytes.byteLength).toBe(16 + 128 * 64 * 12);
    const shot = await client.makeSmall(await current(1));
    const [rig] = structuredClone(shot.rigs);
    rig.lights = [];
    rig.environment = { ...rig.environment, kind: 'picture', picture: made.hash, pictureName: 'sky.hdr' };
    await client.send('PATCH', `/api/shots/${shot.id}`, { version: shot.version, rigs: [rig] });
    const asked = await client.still(shot.id, { tier: 'draft' });
    const still = await client.until(asked.id, ['done', 'failed']);
    expect([still.state, still.message]).toEqual(['done', null]);
  });

  it('that are too wide say what they need and come in smaller when that is asked for', async () => {
    const wide = hdr(8192);
    const problem = await problemOf(await send(wide, 'name=wide.hdr'));
    expect(problem.status).toBe(422);
    expect(problem.message).toMatch(/8192×4096 pixels would take 403 MB.*4096×2048 \(101 MB\)/);
    const made = schema.environmentFile.parse(await (await send(wide, 'name=wide.hdr&width=1024')).json());
    expect(made.width).toBe(1024);
  });

  it.each([
    ['a text', new TextEncoder().encode('no picture at all'), /neither/],
    ['nothing', new Uint8Array(0), /neither/],
  ])('are refused when they are %s', async (_name, bytes, expected) => {
    const problem = await problemOf(await send(bytes, 'name=..%2F..%2Fx.hdr'));
    expect(problem.status).toBe(400);
    expect(problem.message).toMatch(expected);
    expect(problem.message).toMatch(/^x\.hdr: /);
  });
});

describe('with a token set', () => {
  it('every request needs it', async () => {
    const own = temporaryDir();
    const guarded = await startServer(own.path, { token: 'sesame-7' });
    const c = new Client(guarded.url);
    expect((await c.fetch('/api/projects')).status).toBe(401);
    expect((await c.fetch('/')).status).toBe(401);
    expect((await c.fetch('/api/projects', { headers: { Authorization: 'Bearer sesame-8' } })).status).toBe(401);
    expect((await c.fetch('/api/projects', { headers: { Authorization: 'Bearer sesame-7' } })).status).toBe(200);
    const opened = await c.fetch('/?token=sesame-7', { redirect: 'manual' });
    const cookie = opened.headers.get('Set-Cookie') ?? '';
    expect(cookie).toMatch(/HttpOnly/);
    expect((await c.fetch('/api/projects', { headers: { Cookie: cookie.split(';')[0] } })).status).toBe(200);
    await guarded.close();
    own.remove();
  });
});

async function readEvents(response: Response, into: schema.ServerEvent[], ids: string[] = []): Promise<void> {
  let text = '';
  const decoder = new TextDecoder();
  for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) {
    text += decoder.decode(chunk, { stream: true });
    const parts = text.split('\n\n');
    text = parts.pop() ?? '';
    for (const part of parts) {
      const line = part.split('\n').find((l) => l.startsWith('data: '));
      const id = part.split('\n').find((l) => l.startsWith('id: '));
      if (line) into.push(schema.serverEvent.parse(JSON.parse(line.slice(6))));
      if (id) ids.push(id.slice(4));
    }
  }
}
