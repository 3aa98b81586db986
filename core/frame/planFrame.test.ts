import { describe, expect, it } from 'vitest';
import { resolveRecipe } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { addNode, cameraAt, DOWN, light, MATTE, quad, sceneOf } from '../testing/scenes';
import { arenaBytes } from './memory';
import { planFrame, plannedBytes } from './planFrame';
import type { FrameRequest } from './renderPool';
import type { StageName } from './stages/frameStages';

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
const keysOf = (...of: Parameters<typeof request>) => {
  const { stages, key } = planFrame(scene, request(...of), 2);
  return { ...(Object.fromEntries(stages.map((s) => [s.name, s.key])) as Record<StageName, string>), frame: key };
};

describe('the plan of a frame', () => {
  it('is plain data, that every thread can be handed, and the same each time', () => {
    const plan = planFrame(scene, request(), 2);
    expect(structuredClone(plan)).toEqual(plan);
    expect(planFrame(scene, request(), 2)).toEqual(plan);
  });

  it('says the bytes of its arrays before any is there, of each stage of the frame and by stages of the ribbon', () => {
    const plan = planFrame(scene, request(), 2);
    expect(plan.bytes).toBe(arenaBytes(plan.arena));
    for (const stage of plan.stages) expect(stage.bytes).toBe(arenaBytes(stage.arena));
    const all = (p: typeof plan): number => Object.values(plannedBytes(p, 1000)).reduce((a, b) => a + b, 0);
    expect(all(plan)).toBeGreaterThan(1000);
    // twice the pixels, another two threads' own memory
    const doubled = planFrame(scene, request({ 'output.width': 128 }), 2);
    expect(doubled.arena.sums.length).toBe(2 * plan.arena.sums.length);
    expect(planFrame(scene, request(), 4).arena.shadeScratch.length).toBe(2 * plan.arena.shadeScratch.length);
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
    expect({ ...other, shadows: '', frame: '' }).toEqual({ ...plain, shadows: '', frame: '' });
    expect(other.shadows).not.toBe(plain.shadows);
    expect(keysOf({ 'output.width': 128 }).frame).not.toBe(plain.frame);
    // where rays are traced the pose stands as it does without
    const traced = keysOf({ 'shadows.method': 'traced' });
    expect([plain.rays, traced.geometry]).toEqual(['', plain.geometry]);
    expect(traced.rays).not.toBe('');
    expect(keysOf({}, { sceneId: 'other' }).environment).not.toBe(plain.environment);
    // a run has memory of its own
    const history = { run: 'a', frame: 0, before: null };
    expect(keysOf({ 'samples.history': 8 }, { history }).frame).not.toBe(keysOf({ 'samples.history': 8 }).frame);
  });

  it('gives stages work only where a recipe asks for it', () => {
    const working = (...of: Parameters<typeof request>): string[] =>
      planFrame(scene, request(...of), 2)
        .stages.filter((s) => s.options !== null)
        .map((s) => s.name);
    const plain = ['geometry', 'environment', 'shadows'];
    expect(working()).toEqual(plain);
    expect(working({ 'shadows.contactLength': 0.1 })).toEqual([...plain, 'prepass']);
    expect(working({ 'shadows.method': 'traced' })).toEqual(['geometry', 'rays', 'environment', 'shadows']);
    // paths ask surroundings and lights themselves
    expect(working({ 'samples.method': 'path', 'shadows.contactLength': 0.1 })).toEqual(['geometry', 'rays']);
  });

  it('is of a traced frame where paths are asked for, but not of instruments', () => {
    const traced = { 'samples.method': 'path' };
    expect(planFrame(scene, request(traced), 2).frame.settings.path).not.toBeNull();
    expect(planFrame(scene, request(traced, { view: 'cascades' }), 2).frame.settings.path).toBeNull();
  });
});
