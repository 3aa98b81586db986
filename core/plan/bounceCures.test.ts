import { describe, expect, it } from 'vitest';
import type { PartLevel, PlacePart } from '../measure/partLevel';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import type { Changes } from './bench';
import { bestBounce, bounceCures, isEnough, worstOf, type TriedBounce } from './bounceCures';
import { searchBounceCures, type BounceBench, type BounceResult } from './bounceSearch';

const recipeOf = (values: TierValues) => resolveRecipe({ name: 't', draft: values, final: {} }, 'draft');
const idsOf = (values: TierValues, stops: number, spacing: number | null = null): string[] =>
  bounceCures(recipeOf(values), { stops, spacing }).map((c) =>
    Object.entries(c.values)
      .map(([id, v]) => `${id.replace('bounce.', '')}=${v}`)
      .join(),
  );
const level = (stops: number, off = Math.abs(2 ** stops - 1)): PartLevel => ({
  ...{ stops, off },
  sure: Math.abs(stops) > 0.05,
});
const tried = (stops: number, seconds: number, more: Partial<TriedBounce> = {}): TriedBounce => ({
  ...{ values: {}, label: `${stops}`, level: level(stops), elsewhere: null, seconds, once: 0, failure: null },
  ...more,
});

describe('what could cure bounced light', () => {
  it('is other methods, and what the one that is used can do better', () => {
    expect(idsOf({ 'bounce.method': 'environment' }, 1)).toEqual([
      ...['environment=0.5', 'occlusion=true'],
      ...['method=screen', 'method=voxels', 'method=probes', 'method=traced'],
    ]);
    const voxels = idsOf({ 'bounce.method': 'voxels' }, -0.5);
    expect(voxels).toContain('voxelResolution=256');
    expect(voxels).toContain('total=16,matte=16');
    expect(voxels).not.toContain('occlusion=true');
    expect(voxels).not.toContain('method=voxels');
    expect(idsOf({ 'bounce.method': 'probes' }, 0.5, 0.8)).toContain('probeSpacing=0.4');
    expect(idsOf({ 'bounce.method': 'probes' }, 0.5).join()).not.toContain('probeSpacing');
    expect(idsOf({ 'bounce.method': 'traced' }, 0.3)).toContain('rays=4');
  });

  it('is never what is so already, nor beyond the range, nor what goes the wrong way', () => {
    const most = { 'bounce.method': 'voxels', 'bounce.voxelResolution': 256, 'bounce.voxelCones': 128 };
    expect(idsOf(most, -0.5).filter((c) => /Resolution|Cones/.test(c))).toEqual([]);
    expect(idsOf({ 'bounce.method': 'environment' }, -6)[0]).toBe('environment=4');
    expect(idsOf({ 'bounce.method': 'environment' }, -Infinity)[0]).toBe('method=screen');
    expect(idsOf({ 'bounce.method': 'probes', 'bounce.occlusion': true }, 0.5)).not.toContain('occlusion=false');
    expect(idsOf({ 'bounce.method': 'probes', 'bounce.occlusion': true }, -0.5)).toContain('occlusion=false');
  });
});

describe('the cure to take', () => {
  it('is the cheapest that is enough, and of two as dear the better one', () => {
    expect(bestBounce(level(-1), null, [tried(-0.08, 1), tried(-0.02, 3)])).toBe(0);
    expect(bestBounce(level(-1), null, [tried(-0.09, 1), tried(-0.01, 1.05)])).toBe(1);
  });

  it('is what takes most away where nothing is enough, and none where nothing takes a quarter', () => {
    expect(bestBounce(level(-1), null, [tried(-0.6, 1), tried(-0.3, 9)])).toBe(1);
    expect(bestBounce(level(-1), null, [tried(-0.9, 1), tried(-0.8, 1)])).toBe(-1);
    expect(bestBounce(level(-1), null, [tried(0, 0, { level: null, failure: 'too much memory' })])).toBe(-1);
    expect(bestBounce(level(-1), null, [])).toBe(-1);
  });

  it('is none where the place is right, and none that spoils another', () => {
    expect(bestBounce(level(0.03), null, [tried(0, 0.1)])).toBe(-1);
    const scales = tried(0, 1, { elsewhere: level(-0.9) });
    expect(bestBounce(level(1), level(0.02), [scales, tried(0.05, 5)])).toBe(1);
    expect(bestBounce(level(1), level(0.02), [scales])).toBe(-1);
    // what was as wrong before is not spoilt
    expect(bestBounce(level(1), level(-0.9), [scales])).toBe(0);
  });

  it('sees what is as bright on the whole and wrong place by place', () => {
    expect(isEnough(level(0, 0.5))).toBe(false);
    expect(isEnough(level(0.08, 0.15))).toBe(true);
    expect(worstOf([level(0.1), null, level(-0.7), level(0.3)])!.stops).toBe(-0.7);
    expect(worstOf([null])).toBeNull();
  });
});

describe('the search for it', () => {
  const part = (light: number): PlacePart => ({
    ...{ width: 8, height: 8, all: 1, error: null },
    light: new Float32Array(64).fill(light),
  });
  const bench = (light: (changes: Changes) => number): BounceBench & { asked: string[] } => {
    const asked: string[] = [];
    return {
      asked,
      try(changes, _asked, signal) {
        signal.throwIfAborted();
        asked.push(JSON.stringify(changes));
        if (changes['bounce.method'] === 'voxels') return Promise.reject(new Error('300 MB are too many.'));
        const parts = [part(light(changes)), part(0.5)];
        return Promise.resolve({ parts, seconds: 1 + Object.keys(changes).length, once: 0, spacing: null });
      },
    };
  };
  const search = async (b: BounceBench, signal = new AbortController().signal) => {
    const told: BounceResult[] = [];
    const steps: string[] = [];
    const result = await searchBounceCures(
      b,
      { recipe: recipeOf({}), references: [part(0.4), part(0.5)] },
      { signal, at: (done, all) => steps.push(`${done}/${all}`), found: (r) => told.push(r) },
    );
    return { result, told, steps };
  };

  it('tries all that could, tells of each, goes on where one cannot be drawn, and times the first again', async () => {
    const b = bench((c) => (c['bounce.method'] === 'probes' ? 0.4 : 0.1));
    const { result, told, steps } = await search(b);
    expect(result!.tried[result!.best].values).toEqual({ 'bounce.method': 'probes' });
    expect(result!.tried.find((t) => t.failure)!.failure).toBe('300 MB are too many.');
    expect(b.asked[0]).toBe('{}');
    expect(b.asked.at(-1)).toBe('{}');
    expect(told.map((t) => t.tried.length).slice(0, 3)).toEqual([0, 1, 2]);
    expect(steps.at(-1)).toBe(`${b.asked.length}/${b.asked.length}`);
    expect(result!.before.stops).toBeCloseTo(-2, 6);
  });

  it('tries nothing where it is right, says nothing where there is no such light, and stops when told to', async () => {
    const right = bench(() => 0.4);
    expect((await search(right)).result).toMatchObject({ tried: [], best: -1 });
    expect(right.asked.length).toBe(1);
    const none = await searchBounceCures(
      bench(() => 0.001),
      { recipe: recipeOf({}), references: [part(0.002), null] },
      { signal: new AbortController().signal, at: () => undefined, found: () => undefined },
    );
    expect(none).toBeNull();
    const abort = new AbortController();
    const stopped = bench(() => {
      if (stopped.asked.length === 3) abort.abort();
      return 0.1;
    });
    await expect(search(stopped, abort.signal)).rejects.toThrow(/abort/i);
    expect(stopped.asked.length).toBe(3);
  });
});
