import { afterEach, describe, expect, it, vi } from 'vitest';
import { api, ApiError } from './client';

afterEach(() => vi.unstubAllGlobals());
const answer = (status: number, body: unknown): void =>
  vi.stubGlobal('fetch', () => Promise.resolve(new Response(status === 204 ? null : JSON.stringify(body), { status })));
const errorOf = async (run: Promise<unknown>): Promise<ApiError> => {
  const error: unknown = await run.then(
    () => null,
    (e: unknown) => e,
  );
  expect(error).toBeInstanceOf(ApiError);
  return error as ApiError;
};

describe('the client', () => {
  it('passes on the line that the server wrote', async () => {
    answer(409, { error: { code: 'conflict', message: 'This shot was changed elsewhere.' } });
    expect(await errorOf(api.changeShot('x', { version: 1 }))).toMatchObject({
      status: 409,
      code: 'conflict',
      message: 'This shot was changed elsewhere.',
    });
  });

  it('says what to do when the server is away, and something when it answers nonsense', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('fetch failed')));
    expect((await errorOf(api.projects())).message).toContain('./daxel demo');
    vi.stubGlobal('fetch', () => Promise.resolve(new Response('<html>', { status: 502 })));
    expect((await errorOf(api.projects())).message).toContain('502');
  });

  it('does not take an answer of another shape', async () => {
    answer(200, [{ id: 'no uuid' }]);
    await expect(api.projects()).rejects.toThrow();
  });

  it('takes an empty answer where there is nothing to say', async () => {
    answer(204, null);
    expect(await api.deleteStill('x')).toBeUndefined();
  });
});

describe('loading a scene', () => {
  const give = (bytes: number): void =>
    vi.stubGlobal('fetch', () => Promise.resolve(new Response(new Uint8Array(bytes).fill(7))));
  const load = (announced: number): Promise<void> =>
    api.compiledScene('s', new Uint8Array(announced), () => undefined, new AbortController().signal);

  it('puts it where it is wanted and tells how far it is', async () => {
    give(1000);
    const arrived: number[] = [];
    const into = new Uint8Array(1000);
    await api.compiledScene('s', into, (n) => arrived.push(n), new AbortController().signal);
    expect(into.every((b) => b === 7)).toBe(true);
    expect(arrived.at(-1)).toBe(1000);
  });

  it('refuses one that is shorter or longer than announced', async () => {
    give(900);
    expect((await errorOf(load(1000))).message).toContain('did not arrive whole');
    give(1100);
    expect((await errorOf(load(1000))).message).toContain('not the one that was announced');
  });
});

describe('addresses', () => {
  it('of files carry their kind and whether they are to be kept', () => {
    expect(api.stillFile('a', 'exr-half')).toBe('/api/stills/a/files/exr-half');
    expect(api.stillFile('a', 'png8', true)).toBe('/api/stills/a/files/png8?download');
    expect(api.forming('a', 3)).toBe('/api/stills/a/forming?v=3');
  });
});
