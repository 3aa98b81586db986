import { beforeAll, describe, expect, it } from 'vitest';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import { LIGHT_NUMBERS, SUMS } from '../light/components';
import type { CameraView } from '../scene/camera';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import type { SceneSource } from '../scene/source';
import { addNode, environment, light, DOWN, mapCamera, MATTE, quad, sceneOf } from '../testing/scenes';
import { createLocalPort } from './localPort';
import { RenderPool, type RenderedFrame } from './renderPool';
import { historyMap, packHistory, takeHistory, unpackHistory } from './keptHistory';
import { FrameRun, type RunStart } from './run';

const [WIDTH, HEIGHT] = [80, 48];
const RATE = 24;

/** A pale floor, with a dark square on it that slides to the right by so many pixels a frame. */
function slide(pixels: number): SceneSource {
  const pale = { ...MATTE, name: 'pale', baseColor: [0.6, 0.6, 0.6, 1] as [number, number, number, number] };
  const dark = { ...MATTE, name: 'dark', baseColor: [0.05, 0.05, 0.05, 1] as [number, number, number, number] };
  const source = sceneOf([quad(4)], [pale, dark]);
  source.environment = environment(0.3);
  const sun = light('sun', 0.5);
  addNode(source, { light: source.lights.push(sun) - 1, rotation: DOWN });
  source.meshes.push({ name: 'square', primitives: [quad(0.3, 0.01, 1)] });
  const node = addNode(source, { mesh: 1 });
  // 24 pixels a metre
  source.animations = [
    {
      node,
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, 1),
      values: Float32Array.of(-0.5, 0.01, 0.013, -0.5 + (pixels * RATE) / 24, 0.01, 0.013),
    },
  ];
  return source;
}

let pool: RenderPool;
const camera: CameraView = mapCamera(3, 1);

function start(source: SceneSource, values: TierValues, kernels = true, from: RunStart = {}) {
  pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
  const scene = pool.setScene('s', toShared(packScene(compileScene(source))));
  const draft = { 'output.width': WIDTH, 'output.height': HEIGHT, 'samples.pixel': 1, 'lens.tone': 'none', ...values };
  const recipe = resolveRecipe({ name: 't', draft, final: {} }, 'draft');
  const run = new FrameRun(pool, scene, RATE, from);
  return (n: number): Promise<RenderedFrame> =>
    run.frame(n, { sceneId: 's', recipe, camera, timeSeconds: n / RATE, seed: 3 }).promise;
}
const keep = (f: RenderedFrame): Float32Array => f.views.beauty.slice(0, WIDTH * HEIGHT * 3);
const rmse = (a: Float32Array, b: Float32Array): number =>
  Math.sqrt(a.reduce((sum, v, i) => sum + (v - b[i]) ** 2, 0) / a.length);

describe('temporal accumulation', () => {
  let reference: Float32Array;
  beforeAll(async () => {
    reference = keep(await start(slide(0), { 'samples.pixel': 256 })(8));
  });

  it('of a still picture converges as more samples would', async () => {
    const one = keep(await start(slide(0), {})(8));
    const many = keep(await start(slide(0), { 'samples.history': 16, 'samples.leadIn': 16 })(8));
    expect(rmse(many, reference)).toBeLessThan(rmse(one, reference) / 2);
  });

  it('follows what moves, and leaves no ghost where it was', async () => {
    const values = { 'samples.history': 8, 'samples.leadIn': 8 };
    const moving = keep(await start(slide(2.3), values)(12));
    const truth = keep(await start(slide(2.3), { 'samples.pixel': 256 })(12));
    const one = keep(await start(slide(2.3), {})(12));
    expect(rmse(moving, truth)).toBeLessThan(rmse(one, truth) * 0.75);
    // behind the square, where it was two to six frames ago, is the floor as it always is
    const row = (HEIGHT / 2) * WIDTH;
    const left = 40 + Math.round((-0.5 - 0.3 + (2.3 * 12) / 24) * 24);
    for (let back = 3; back < 14; back++)
      expect(moving[(row + left - back) * 3]).toBeCloseTo(truth[(row + left - back) * 3], 3);
  });

  it('keeps the sum of the layers', async () => {
    const frame = await start(slide(1.4), { 'samples.history': 8 })(9);
    const { sums, beauty } = frame.views;
    for (let i = 0; i < WIDTH * HEIGHT; i += 7)
      for (let c = 0; c < 3; c++) {
        let sum = 0;
        for (let k = c; k < LIGHT_NUMBERS; k += 3) sum += sums[i * SUMS + k];
        expect(sum / frame.samples).toBeCloseTo(beauty[i * 3 + c], 5);
      }
  });

  it('is the same to the bit in every run from the same frame, path traced too, and nearly so by the plain loops', async () => {
    for (const method of ['raster', 'path']) {
      const values = { 'samples.history': 4, 'samples.leadIn': 3, 'samples.method': method };
      const first = start(slide(1.4), values);
      const frames = [keep(await first(5)), keep(await first(6))];
      const again = start(slide(1.4), values);
      expect(keep(await again(5))).toEqual(frames[0]);
      expect(keep(await again(6))).toEqual(frames[1]);
      const plain = start(slide(1.4), values, false);
      // one shades in floats, the other in doubles
      for (const frame of [0, 1]) expect(rmse(keep(await plain(5 + frame)), frames[frame])).toBeLessThan(1e-7);
      expect(frames[0]).not.toEqual(frames[1]);
    }
  });

  it('goes on while other pictures are rendered between, and begins anew after a jump', async () => {
    const values = { 'samples.history': 4, 'samples.leadIn': 3 };
    const alone = start(slide(1.4), values);
    const expected = [keep(await alone(5)), keep(await alone(6)), keep(await start(slide(1.4), values)(20))];
    const frame = start(slide(1.4), values);
    expect(keep(await frame(5))).toEqual(expected[0]);
    const recipe = resolveRecipe(
      { name: 't', draft: { 'output.width': WIDTH, 'output.height': HEIGHT }, final: {} },
      'draft',
    );
    await pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1 }).promise;
    expect(keep(await frame(6))).toEqual(expected[1]);
    expect(keep(await frame(20))).toEqual(expected[2]);
  });

  it('goes on in another renderer to the same bits, from what was kept or else from its first frame', async () => {
    const values = { 'samples.history': 6, 'samples.leadIn': 2 };
    const whole = start(slide(1.4), values);
    await whole(5);
    const early = takeHistory((await whole(6)).views, 6, WIDTH, HEIGHT);
    await whole(7);
    const expected = keep(await whole(8));
    // kept two frames earlier, packed, and read from an odd place of a larger buffer
    const bytes = packHistory(early, 'run');
    const file = new Uint8Array(bytes.length + 3).subarray(3);
    file.set(bytes);
    const kept = unpackHistory(file, 'run');
    expect(kept).toEqual(early);
    expect(keep(await start(slide(1.4), values, true, { first: 5, kept })(8))).toEqual(expected);
    expect(keep(await start(slide(1.4), values, true, { first: 5 })(8))).toEqual(expected);
    // lead-in alone is no stand-in for the frames of the run
    expect(keep(await start(slide(1.4), values)(8))).not.toEqual(expected);
  });

  it.each([
    ['cut short', (b: Uint8Array) => b.subarray(0, b.length - 1), 'run', 'cut short'],
    ['empty', () => new Uint8Array(0), 'run', 'cut short'],
    ['of another kind', (b: Uint8Array) => Uint8Array.from(b, (v, i) => (i === 0 ? v + 1 : v)), 'run', 'none'],
    ['of another run', (b: Uint8Array) => b, 'other', 'another picture'],
  ])('says when kept history is %s', (_what, spoil, key, message) => {
    const bytes = packHistory(
      {
        frame: -3,
        width: 1,
        height: 1,
        light: new Float32Array(SUMS),
        depth: new Float32Array(1),
        objectId: new Uint32Array(1),
      },
      'run',
    );
    expect(unpackHistory(bytes, 'run').frame).toBe(-3);
    expect(() => unpackHistory(spoil(bytes), key)).toThrow(message);
  });

  it('tells where history was taken over: all of it on what stands still, none where the square has just left', async () => {
    const frame = await start(slide(10), { 'samples.history': 5, 'samples.leadIn': 8 })(2);
    const { width, shares } = historyMap(frame.views.history, WIDTH, HEIGHT, 5);
    const row = (HEIGHT / 8) * width;
    // its left edge stands at 40.8 and stood at 30.8 the frame before
    expect(shares[row + 9]).toBe(0);
    expect(shares[width + 2]).toBe(255);
    const first = await start(slide(10), { 'samples.history': 5, 'samples.leadIn': 0 })(2);
    expect(historyMap(first.views.history, WIDTH, HEIGHT, 5).shares.every((s) => s === 0)).toBe(true);
  });

  it('takes no history that is not there', async () => {
    const frame = start(slide(0), { 'samples.history': 4 });
    await frame(0);
    const recipe = resolveRecipe(
      { name: 't', draft: { 'samples.history': 4, 'output.width': WIDTH, 'output.height': HEIGHT }, final: {} },
      'draft',
    );
    const history = { run: 'another', frame: 5, before: { timeSeconds: 0, camera } };
    const lost = pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1, history }).promise;
    await expect(lost).rejects.toThrow('no longer in memory');
  });

  it('is cancelled in its lead-in', async () => {
    const scene = slide(0);
    start(scene, {});
    const recipe = resolveRecipe(
      { name: 't', draft: { 'samples.history': 4, 'output.width': WIDTH, 'output.height': HEIGHT }, final: {} },
      'draft',
    );
    const run = new FrameRun(pool, pool.setScene('s', new ArrayBuffer(0)), RATE);
    const ticket = run.frame(3, { sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1 });
    ticket.cancel();
    expect((await ticket.promise).finished).toBe(false);
  });
});
