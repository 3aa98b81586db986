import { describe, expect, it } from 'vitest';
import type { FrameRequest } from '@daxel/core/frame/renderPool';
import { hashFloats } from '@daxel/core/math/hash';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { compileScene } from '@daxel/core/scene/compileScene';
import { packScene, toShared } from '@daxel/core/scene/packScene';
import { cameraAt, MATTE, quad, render, sceneOf } from '@daxel/core/testing/scenes';
import { LonePool, type LonePort } from './lonePool';
import { createLoneProgram, type FromLone, type ToLone } from './loneProgram';

const CAMERA = cameraAt([1, 2, 2], [0, 0, 0]);
const SIZE = { 'output.width': 40, 'output.height': 30, 'samples.pixel': 4, 'lens.tone': 'none' };
const request = (sceneId = 's'): FrameRequest => ({
  sceneId,
  recipe: resolveRecipe({ name: 'x', draft: SIZE, final: {} }, 'draft'),
  camera: CAMERA,
  timeSeconds: 0,
  seed: 1,
});
const source = () => sceneOf([quad(1)], [MATTE]);
const packed = () => toShared(packScene(compileScene(source())));

/** Workers that run here, a message a turn; `deaf` ones never answer. */
function workers(deaf = () => false) {
  const log: { made: number; ended: number; posts: ToLone['type'][] } = { made: 0, ended: 0, posts: [] };
  const create = (): LonePort => {
    log.made++;
    const mute = deaf();
    let alive = true;
    let handler: (m: FromLone) => void = () => undefined;
    const run = createLoneProgram((m) => {
      // what is sent must not be shared
      const copy = structuredClone(m);
      if (alive && !mute) setTimeout(() => alive && handler(copy), 0);
    });
    return {
      post: (m) => {
        log.posts.push(m.type);
        setTimeout(() => alive && run(m), 0);
      },
      listen: (h) => (handler = h),
      terminate: () => {
        alive = false;
        log.ended++;
      },
    };
  };
  return { create, log };
}

describe('a pool without shared memory', () => {
  it('renders the bits of any other pool, and shows pictures on the way', async () => {
    const pool = new LonePool(workers().create);
    pool.setScene('s', packed());
    const samples: number[] = [];
    const frame = await pool.render(request(), (views, n) => {
      samples.push(n);
      expect(views.display.buffer).toBeInstanceOf(ArrayBuffer);
    }).promise;
    expect(frame.finished).toBe(true);
    expect(samples.length).toBeGreaterThan(1);
    const other = await render(source(), CAMERA, SIZE);
    expect(hashFloats(frame.views.beauty)).toBe(hashFloats(other.views.beauty.slice()));
  });

  it('draws frames one after the other and skips those that were cancelled before their turn', async () => {
    const { create, log } = workers();
    const pool = new LonePool(create);
    pool.setScene('s', packed());
    const [a, b, c] = [pool.render(request()), pool.render(request()), pool.render(request())];
    b.cancel();
    expect((await a.promise).finished).toBe(true);
    expect((await b.promise).finished).toBe(false);
    expect((await c.promise).finished).toBe(true);
    expect(log.posts.filter((p) => p === 'frame')).toHaveLength(2);
    expect(log.made).toBe(1);
  });

  it('ends the worker of a cancelled frame that does not end, and starts another with scenes and pictures', async () => {
    let first = true;
    const { create, log } = workers(() => {
      const mute = first;
      first = false;
      return mute;
    });
    const pool = new LonePool(create, 20);
    pool.setScene('s', packed());
    pool.setPicture('sky', { width: 1, height: 1, rgb: new Float32Array(3) });
    const stuck = pool.render(request());
    await new Promise((r) => setTimeout(r, 5));
    stuck.cancel();
    expect((await stuck.promise).finished).toBe(false);
    expect(log.ended).toBe(1);
    expect((await pool.render(request()).promise).finished).toBe(true);
    expect(log.made).toBe(2);
    expect(log.posts.slice(-3)).toEqual(['scene', 'picture', 'frame']);
  });

  it('passes errors on, by their kind', async () => {
    const pool = new LonePool(workers().create);
    await expect(pool.render(request('none')).promise).rejects.toThrow('Scene none is not loaded.');
    pool.setScene('s', packed());
    expect((await pool.render(request()).promise).finished).toBe(true);
    pool.forgetScene('s');
    await expect(pool.render(request()).promise).rejects.toThrow('not loaded');
  });
});
