import { describe, expect, it } from 'vitest';
import { BadInputError } from '../errors';
import { meteredExposure } from '../measure/exposure';
import { resolveRecipe } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import { addNode, cameraAt, DOWN, environment, light, mapCamera, quad, render, sceneOf } from '../testing/scenes';
import { createLocalPort } from './localPort';
import { arenaBytes, arenaBytesByStage, arenaViews, type ArenaPlan } from './memory';
import { RenderPool, type ThreadPort } from './renderPool';
import { createControl, requestCancel, Team, workDone } from './team';

const now = (): number => performance.now();

function pool(ports: ThreadPort[] = [createLocalPort(now)]): RenderPool {
  const made = new RenderPool(ports);
  const source = sceneOf([quad(3)]);
  source.lights = [light('sun', 5, { castsShadow: true })];
  addNode(source, { light: 0, rotation: DOWN });
  const buffer = toShared(packScene(compileScene(source)));
  made.setScene('s', buffer);
  return made;
}
const recipe = (more: Record<string, number | string | boolean> = {}) => ({
  ...resolveRecipe({ name: 't', draft: {}, final: {} }, 'draft'),
  'output.width': 96,
  'output.height': 64,
  'samples.pixel': 8,
  'shadows.resolution': 256,
  ...more,
});
const request = (more: Record<string, number | string | boolean> = {}) => ({
  sceneId: 's',
  recipe: recipe(more),
  camera: cameraAt([0, 2, 3], [0, 0, 0]),
  timeSeconds: 0,
  seed: 1,
});

describe('a frame', () => {
  it('arrives in ever better pictures and ends with all samples', async () => {
    const seen: number[] = [];
    const frame = await pool().render(request(), (_views, samples) => seen.push(samples)).promise;
    expect(frame.finished).toBe(true);
    expect(frame.samples).toBe(8);
    expect(seen).toEqual([...seen].sort((a, b) => a - b));
    expect(seen.at(-1)).toBe(8);
    expect(seen.length).toBeGreaterThan(2);
  });

  it('books time and memory to its stages', async () => {
    const frame = await pool().render(request()).promise;
    for (const stage of ['geometry', 'shadows', 'samples', 'lens'] as const) {
      expect(frame.stages[stage]).toBeGreaterThan(0);
      expect(frame.bytes[stage]).toBeGreaterThan(0);
    }
    const sum = Object.values(frame.stages).reduce((a, b) => a + b, 0);
    expect(sum).toBeLessThanOrEqual(frame.seconds * 1.05);
    expect(sum).toBeGreaterThan(frame.seconds * 0.5);
    // a sun map of 256 × 256 floats, two numbers for each of its blocks and a byte for each of its tiles
    expect(frame.bytes.shadows).toBe(256 * 256 * 4 + 16 * 16 * 8 + 2 * 2);
  });

  it('keeps shadow maps while neither light nor pose nor map settings change', async () => {
    const p = pool();
    expect((await p.render(request()).promise).keptShadows).toBe(false);
    const again = await p.render(request({ 'lens.exposure': 2 })).promise;
    expect(again.keptShadows).toBe(true);
    expect(again.stages.shadows).toBe(0);
    expect((await p.render(request({ 'shadows.resolution': 512 })).promise).keptShadows).toBe(false);
  });

  it.each<[string, Record<string, number | string | boolean>]>([
    ['exposure', { 'lens.exposure': 2 }],
    ['tone curve', { 'lens.tone': 'none' }],
    ['bloom', { 'lens.bloom': 40 }],
    ['vignette', { 'lens.vignette': 80 }],
    ['dither', { 'output.dither': false }],
    ['all of them, scaled', { 'lens.exposure': -1, 'lens.bloom': 20, 'samples.scale': 150 }],
  ])('is developed anew to the bits of one that is drawn anew: %s', async (_name, change) => {
    const size: Record<string, number> = 'samples.scale' in change ? { 'samples.scale': 150 } : {};
    const [p, fresh] = [pool(), pool()];
    const first = await p.render({ ...request(size), reuse: true }).promise;
    expect([first.keptSamples, p.holds(request(change))]).toEqual([false, true]);
    // another pose and another size lie in between
    await p.render({ ...request({ ...size, 'output.width': 48 }), timeSeconds: 3, reuse: true }).promise;
    const again = await p.render({ ...request(change), reuse: true }).promise;
    expect([again.keptSamples, again.samples, again.stages.samples]).toEqual([true, 8, first.stages.samples]);
    const drawn = await fresh.render(request(change)).promise;
    for (const layer of ['beauty', 'display', 'depth'] as const)
      expect([...again.views[layer]]).toEqual([...drawn.views[layer]]);
    // and nothing of what lies in between is taken for its own afterwards
    const next = await p.render(request({ ...change, 'shadows.resolution': 512 })).promise;
    const whole = await fresh.render(request({ ...change, 'shadows.resolution': 512 })).promise;
    expect([...next.views.display]).toEqual([...whole.views.display]);
  });

  it('is drawn anew when anything else has changed, when nobody said it may be kept, or when it was never whole', async () => {
    const p = pool();
    const kept = async (more: object): Promise<boolean> =>
      (await p.render({ ...request(), reuse: true, ...more }).promise).keptSamples;
    await kept({});
    expect(await kept({ reuse: false })).toBe(false);
    expect(await kept({})).toBe(true);
    for (const more of [
      { seed: 2 },
      { timeSeconds: 1 },
      { camera: cameraAt([0, 2, 3.001], [0, 0, 0]) },
      { recipe: recipe({ 'samples.radius': 2 }) },
      { lighting: { lights: [], environment: environment(0.5) } },
      { view: 'depth' },
      { regions: [{ x: 0, y: 0, width: 8, height: 8 }] },
    ]) {
      expect(await kept(more), JSON.stringify(more)).toBe(false);
      await kept({});
    }
    let ticket: ReturnType<RenderPool['render']> | null = null;
    ticket = p.render({ ...request({ 'samples.radius': 3 }), reuse: true }, () => ticket?.cancel());
    expect((await ticket.promise).finished).toBe(false);
    expect(await kept({ recipe: recipe({ 'samples.radius': 3 }) })).toBe(false);
  });

  it('stops soon after it is cancelled, and the next one is whole', async () => {
    const p = pool();
    const reference = Array.from((await p.render(request()).promise).views.beauty);
    // the local thread answers before the call returns, so a cancel comes from a picture on the way
    const ticket = p.render(request({ 'samples.pixel': 4096 }), (_v, samples) => samples >= 2 && ticket.cancel());
    const stopped = await ticket.promise;
    expect(stopped.finished).toBe(false);
    expect(stopped.samples).toBeLessThan(64);
    expect(Array.from((await p.render(request()).promise).views.beauty)).toEqual(reference);
  });

  it('too large for memory is refused with the remedy', async () => {
    await expect(
      pool().render(request({ 'output.width': 8192, 'output.height': 8192, 'shadows.resolution': 8192 })).promise,
    ).rejects.toThrow(/GB\. Lower output\.width/);
  });

  it('of a scene that was never loaded is refused', async () => {
    await expect(pool().render({ ...request(), sceneId: 'other' }).promise).rejects.toThrow(BadInputError);
    const p = pool();
    p.forgetScene('s');
    await expect(p.render(request()).promise).rejects.toThrow(BadInputError);
  });

  it('is the same to the bit for the same seed, and another for another', async () => {
    const p = pool();
    const a = Array.from((await p.render(request()).promise).views.sums);
    const b = Array.from((await p.render(request()).promise).views.sums);
    const c = Array.from((await p.render({ ...request(), seed: 2 }).promise).views.sums);
    expect(b).toEqual(a);
    expect(c).not.toEqual(a);
  });
});

describe('a failing thread', () => {
  it('fails the frame with its message', async () => {
    const port = createLocalPort(now);
    const broken: ThreadPort = {
      ...port,
      post: (m) => port.post(m.type === 'frame' ? { ...m, job: { ...m.job, sceneId: 'lost' } } : m),
    };
    await expect(pool([broken]).render(request()).promise).rejects.toThrow('was not given to this thread');
  });
});

describe('a team', () => {
  it('of one runs every item once and counts its progress', () => {
    const control = createControl();
    const team = new Team(0, 1, control);
    team.announce(10);
    const seen: number[] = [];
    expect(team.share(10, (i) => seen.push(i), 1)).toBe(true);
    expect(seen).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9]);
    expect(workDone(control)).toBe(1);
  });

  it('stops between items when asked', () => {
    const control = createControl();
    const team = new Team(0, 1, control);
    let n = 0;
    expect(
      team.share(10, () => {
        if (++n === 3) requestCancel(control);
      }),
    ).toBe(false);
    expect(n).toBe(3);
  });
});

describe('arenas', () => {
  const plan = {
    a: { type: 'u8', length: 3, stage: 'lens' },
    b: { type: 'f64', length: 5, stage: 'samples' },
    c: { type: 'i16', length: 7, stage: 'lens' },
  } as const satisfies ArenaPlan;

  it('lay arrays side by side without touching', () => {
    const views = arenaViews(plan, new ArrayBuffer(arenaBytes(plan)));
    views.a.fill(1);
    views.b.fill(2);
    views.c.fill(3);
    expect([...views.a]).toEqual([1, 1, 1]);
    expect([...views.b]).toEqual([2, 2, 2, 2, 2]);
    expect(arenaBytesByStage(plan)).toEqual({ lens: 3 + 14, samples: 40 });
  });
});

describe('the exposure meter', () => {
  it('brings an even surface to middle grey', async () => {
    const scene = sceneOf([quad(5)]);
    scene.environment = environment(1000);
    const frame = await render(scene, mapCamera(3, 1));
    const ev = meteredExposure(frame.views.sums, frame.views.objectId, frame.samples);
    // 500 nit → 0.18
    expect(Math.abs(ev - Math.log2(0.18 / 500))).toBeLessThan(0.13);
  });

  it('gives no nonsense for black', async () => {
    const frame = await render(sceneOf([quad(5)]), mapCamera(3, 1));
    expect(meteredExposure(frame.views.sums, frame.views.objectId, 1)).toBe(0);
  });
});
