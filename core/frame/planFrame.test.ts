import { describe, expect, it } from 'vitest';
import { resolveRecipe } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { addNode, cameraAt, DOWN, light, MATTE, quad, sceneOf } from '../testing/scenes';
import { arenaBytes } from './memory';
import { planFrame, plannedBytes } from './planFrame';
import type { FrameRequest } from './renderPool';

const source = sceneOf([quad(4)], [MATTE]);
source.lights = [light('sun', 3, { castsShadow: true })];
addNode(source, { light: 0, rotation: DOWN });
const scene = compileScene(source);
const request = (
  draft: Record<string, number | string | boolean> = {},
  more: Partial<FrameRequest> = {},
): FrameRequest => ({
  sceneId: 's',
  recipe: resolveRecipe(
    { name: 't', draft: { 'output.width': 64, 'output.height': 32, 'shadows.resolution': 256, ...draft }, final: {} },
    'draft',
  ),
  ...{ camera: cameraAt([0, 2, 4], [0, 0, 0], 40), timeSeconds: 0, seed: 1 },
  ...more,
});
const keysOf = (...of: Parameters<typeof request>) => planFrame(scene, request(...of), 2).keys;

describe('the plan of a frame', () => {
  it('is plain data, that every thread can be handed, and the same each time', () => {
    const plan = planFrame(scene, request(), 2);
    expect(structuredClone(plan)).toEqual(plan);
    expect(planFrame(scene, request(), 2)).toEqual(plan);
  });

  it('says the bytes of its arrays before any is there, by lifetime and by stage', () => {
    const plan = planFrame(scene, request(), 2);
    const { pose, shadows, frame } = plan.arenas;
    expect(plan.bytes).toEqual({ pose: arenaBytes(pose), shadows: arenaBytes(shadows), frame: arenaBytes(frame) });
    const all = (p: typeof plan): number => Object.values(plannedBytes(p, 1000)).reduce((a, b) => a + b, 0);
    expect(all(plan)).toBeGreaterThan(1000);
    // twice the pixels, another two threads' own memory
    const doubled = planFrame(scene, request({ 'output.width': 128 }), 2);
    expect(doubled.arenas.frame.sums.length).toBe(2 * frame.sums.length);
    expect(planFrame(scene, request(), 4).arenas.frame.shadeScratch.length).toBe(2 * frame.shadeScratch.length);
  });

  it('knows what stands again by what it was made of, and by nothing else', () => {
    const plain = keysOf();
    // what is only developed, or drawn by more samples, moves nothing in the memory
    for (const same of [
      ['lens.exposure', 2],
      ['samples.pixel', 8],
      ['shadows.radius', 2],
    ] as const)
      expect(keysOf({ [same[0]]: same[1] })).toEqual(plain);
    const other = keysOf({ 'shadows.resolution': 512 });
    expect([other.first.pose, other.environment]).toEqual([plain.first.pose, plain.environment]);
    expect(other.first.shadows).not.toBe(plain.first.shadows);
    expect(keysOf({ 'output.width': 128 }).frame).not.toBe(plain.frame);
    expect(keysOf({ 'shadows.method': 'traced' }).first.pose).not.toBe(plain.first.pose);
    expect(keysOf({}, { sceneId: 'other' }).environment).not.toBe(plain.environment);
    // a run has memory of its own
    const history = { run: 'a', frame: 0, before: null };
    expect(keysOf({ 'samples.history': 8 }, { history }).frame).not.toBe(keysOf({ 'samples.history': 8 }).frame);
  });

  it('is of a traced frame where paths are asked for, but not of instruments', () => {
    const traced = { 'samples.method': 'path' };
    expect(planFrame(scene, request(traced), 2).settings.path).not.toBeNull();
    expect(planFrame(scene, request(traced, { view: 'cascades' }), 2).settings.path).toBeNull();
  });
});
