/** Requests that mean harm, or come from a broken program: each gets one line with the field's name. */
import { connect } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { cases } from '@daxel/core/testing/cases';
import * as schema from '@daxel/api/schemas';
import type { RunningServer } from '../serve';
import { Client, problemOf, startServer, temporaryDir } from '../testing/harness';
import { isLoopback, namesOf } from './allowedHosts';
import { checkPlain } from './jsonBody';

const data = temporaryDir();
let server: RunningServer;
let client: Client;
let shot: schema.Shot;

beforeAll(async () => {
  server = await startServer(data.path);
  client = new Client(server.url);
  [shot] = (await client.project()).shots;
}, 120_000);
afterAll(async () => {
  await server.close();
  data.remove();
});

const raw = (method: string, path: string, body: string): Promise<Response> =>
  client.fetch(path, { method, headers: { 'Content-Type': 'application/json' }, body });
const nested = (depth: number): string => `${'['.repeat(depth)}${']'.repeat(depth)}`;

describe('a body', () => {
  const patch = (fields: string): [string, string] => [
    `/api/shots/${shot.id}`,
    `{"version": ${shot.version}, ${fields}}`,
  ];
  it.each([
    ['NUL in a name', () => patch('"patches": [{"id": "a", "name": "x\\u0000"}]'), /^patches\.0\.name: .*NUL/],
    ['half a character', () => patch('"rigId": "\\ud800"'), /^rigId: the text is cut within a character/],
    ['a number beyond all', () => patch('"rate": 1e999'), /^rate: the number is too large/],
    ['a frame beyond the database', () => patch('"frame": 3000000000'), /^frame: /],
    ['a version beyond the database', () => [`/api/shots/${shot.id}`, '{"version": 1e12}'], /^version: /],
    ['a rig that is none', () => patch('"rigId": "nobody"'), /^rigId: the shot has no rig "nobody"/],
    ['deep nesting', () => patch(`"patches": ${nested(100_000)}`), /^patches\.0.*nested more than 32 times/],
    [
      'a key without end',
      () => patch(`"recipe": {"${'k'.repeat(500_000)}": {"x": "\\u0000"}}`),
      /^recipe\.k{80}…\.x: .*NUL/,
    ],
  ] as const)('with %s is refused with the place, and changes nothing', async (_name, make, expected) => {
    const [path, body] = make();
    const { status, message } = await problemOf(await raw('PATCH', path, body));
    expect(status).toBe(400);
    expect(message).toMatch(expected);
    expect(message.length).toBeLessThan(300);
    const kept = (await client.get(schema.project, `/api/projects/${(await projects())[0]}`)).shots[0];
    expect(kept.version).toBe(shot.version);
  });

  it('of 300 000 settings is refused before any of them is looked at', async () => {
    const many = Object.fromEntries(Array.from({ length: 300_000 }, (_, i) => [`unknown.${i}`, 1]));
    const body = JSON.stringify({ version: shot.version, recipe: { name: 'r', draft: many, final: {} } });
    const { status, message } = await problemOf(await raw('PATCH', `/api/shots/${shot.id}`, body));
    expect(status).toBe(400);
    expect(message).toBe('The request has more than 150000 fields.');
    const fewer = JSON.stringify({
      version: 1,
      recipe: { draft: Object.fromEntries(Object.entries(many).slice(0, 9000)) },
    });
    expect((await problemOf(await raw('PATCH', `/api/shots/${shot.id}`, fewer))).message).toBe(
      'recipe.draft: it has more than 2000 fields.',
    );
    // those that are counted are few: what is looked at does not grow with the body
    let looked = 0;
    const watched = new Proxy(many, { get: (target, key: string) => (looked++, target[key]) });
    expect(() => checkPlain(watched, '', 0)).toThrow(/more than 2000/);
    expect(looked).toBeLessThanOrEqual(2000);
  });

  it('may hold what real work holds: long lists, any script, emoji', () => {
    const rigs = Array.from({ length: 12 }, () => ({
      lights: new Array(200).fill({ name: '灯 💡', color: [1, 1, 1] }),
    }));
    expect(() => checkPlain({ rigs, take: { offsets: new Array(100_000).fill(0.5) } }, '', 0)).not.toThrow();
  });
});

const projects = async (): Promise<string[]> =>
  ((await (await client.fetch('/api/projects')).json()) as { id: string }[]).map((p) => p.id);

describe('slow senders', () => {
  it('do not keep others from being answered', async () => {
    const { port } = new URL(server.url);
    const sockets = await Promise.all(
      Array.from({ length: 50 }, async (_, i) => {
        const socket = connect(Number(port), '127.0.0.1');
        socket.on('error', () => undefined);
        await new Promise((r) => socket.once('connect', r));
        // half of them stop within the headers, half within the body
        const head = `PATCH /api/shots/${shot.id} HTTP/1.1\r\nHost: localhost:${port}\r\n`;
        socket.write(i % 2 ? head : `${head}Content-Type: application/json\r\nContent-Length: 900\r\n\r\n{"ver`);
        return socket;
      }),
    );
    for (let i = 0; i < cases(20); i++) expect((await client.fetch('/api/projects')).status).toBe(200);
    for (const socket of sockets) socket.destroy();
    expect((await client.fetch('/api/health')).status).toBe(200);
  });
});

describe('names of the server', () => {
  it('are those of this machine, however loopback is written', () => {
    for (const host of ['localhost', '127.0.0.1', '127.8.9.1', '[::1]', '::1']) expect(isLoopback(host)).toBe(true);
    for (const host of ['127.evil.example', '0.0.0.0', '192.168.1.2', 'localhost.evil.example'])
      expect(isLoopback(host)).toBe(false);
    const local = namesOf('127.0.0.1', []);
    expect(['localhost', '127.3.0.1'].map(local)).toEqual([true, true]);
    expect(['evil.example', '192.168.1.2', ''].map(local)).toEqual([false, false, false]);
  });

  it('beyond it are its addresses and what the artist allows', () => {
    const wide = namesOf('192.168.7.7', ['Render-Box']);
    expect(['192.168.7.7', 'render-box', 'localhost'].map(wide)).toEqual([true, true, true]);
    expect(wide('evil.example')).toBe(false);
  });
});

describe('a server that others can reach', () => {
  it('makes a token of its own, and its link opens it once and for all', async () => {
    const own = temporaryDir();
    const open = await startServer(own.path, { host: '0.0.0.0', allow: ['render-box'] });
    const c = new Client(open.url.replace(/\/\/[^/:]+/, '//127.0.0.1'));
    expect(open.link).toMatch(/^\?token=[\w-]{20,}$/);
    expect((await c.fetch('/api/projects')).status).toBe(401);
    const first = await c.fetch(`/${open.link}`, { redirect: 'manual' });
    expect([first.status, first.headers.get('location')]).toEqual([303, '/']);
    // not to another site, however the path is written
    const away = await c.fetch(`${c.url}/evil.example/${open.link}`, { redirect: 'manual' });
    expect(away.headers.get('location')).toBe('/evil.example/');
    const cookie = first.headers.get('set-cookie')!.split(';')[0];
    expect((await c.fetch('/api/projects', { headers: { Cookie: cookie } })).status).toBe(200);
    // another server makes another
    await open.close();
    const again = await startServer(own.path, { host: '0.0.0.0' });
    expect(again.link).not.toBe(open.link);
    await again.close();
    own.remove();
  }, 120_000);
});
