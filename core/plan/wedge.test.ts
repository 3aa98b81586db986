import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { resolveRecipe } from '../recipe/recipe';
import { findSetting, SETTINGS, settingSchema } from '../recipe/settings';
import type { SceneNeed } from '../recipe/settingTypes';
import { bestSplit, effectInWords, findKnee, lowerFirst, timeNoise } from './knee';
import {
  costOfSteps,
  framesOfSteps,
  MOST_STEPS,
  nextStep,
  notches,
  readyWedges,
  sensitivitySteps,
  totalOf,
  wedgeSteps,
  equalPrice,
  longerLadder,
  valuesInOrder,
} from './wedge';

const recipe = (values: Record<string, string | number> = {}) =>
  resolveRecipe({ name: 'r', draft: values, final: {} }, 'draft');

describe('steps of a wedge', () => {
  it('are every value of one setting with every value of the other', () => {
    const steps = wedgeSteps([
      { id: 'samples.pixel', values: [1, 4] },
      { id: 'shadows.lightSamples', values: [1, 4, 16] },
    ]);
    expect(steps.length).toBe(6);
    expect(steps[1]).toEqual({
      values: { 'samples.pixel': 4, 'shadows.lightSamples': 1 },
      label: 'Pixel samples 4, Light samples 1',
    });
    // one total, other split
    expect(steps.map((s) => totalOf(s.values))).toEqual([1, 4, 4, 16, 16, 64]);
    // twice the size each way is four times the pixels
    const scaled = [
      { 'samples.scale': 50, 'samples.pixel': 16 },
      { 'samples.scale': 100, 'samples.pixel': 4 },
      { 'samples.scale': 200, 'samples.pixel': 1 },
    ];
    expect(scaled.map(totalOf)).toEqual([4, 4, 4]);
  });

  it.each<[string, { id: string; values: (string | number)[] }[], RegExp]>([
    ['one step', [{ id: 'samples.pixel', values: [4, 4] }], /at least two steps/],
    [
      'thousands',
      [{ id: 'samples.pixel', values: Array.from({ length: 90 }, (_, i) => i + 1) }],
      /90 steps; at most 64/,
    ],
    ['values out of range', [{ id: 'samples.pixel', values: [0, 2] }], /from 1 to 4096/],
    ['an unknown setting', [{ id: 'samples.many', values: [1, 2] }], /no setting "samples\.many"/],
  ])('are refused when there are %s', (_what, axes, message) => {
    expect(() => wedgeSteps(axes)).toThrow(message);
  });

  it('are said to cost what their samples do', () => {
    const steps = wedgeSteps([{ id: 'samples.pixel', values: [1, 2, 4, 8] }]);
    expect(costOfSteps(recipe({ 'samples.pixel': 4 }), steps)).toBeCloseTo(15 / 4, 6);
  });

  it('of all ready wedges can be rendered', () => {
    for (const method of ['raster', 'path'])
      for (const ready of readyWedges(recipe({ 'samples.method': method }))) {
        const steps = wedgeSteps(ready.axes, ready.pairs);
        expect(steps.length).toBeLessThanOrEqual(MOST_STEPS);
        for (const axis of ready.axes)
          expect(findSetting(axis.id)!.matters?.(recipe({ 'samples.method': method })) ?? true, axis.id).toBe(true);
      }
    // a margin is asked about only where something looks at neighbours
    const ids = (values: Record<string, string | number>): string[] => readyWedges(recipe(values)).map((w) => w.id);
    expect(ids({})).not.toContain('overscan');
    expect(ids({ 'bounce.method': 'screen' })).toContain('overscan');
    expect(ids({ 'bounce.method': 'screen', 'samples.method': 'path' })).not.toContain('overscan');
  });
});

describe('the step to be rendered', () => {
  const steps = (...done: boolean[]) => done.map((d) => ({ seconds: d ? 1 : null }));

  it('is the one that others are measured against, then the first that is missing', () => {
    expect(nextStep(steps(false, false, false), 'wedge', { kind: 'last' }, false)).toBe(2);
    expect(nextStep(steps(false, false, true), 'wedge', { kind: 'last' }, true)).toBe(0);
    expect(nextStep(steps(true, false, true), 'wedge', { kind: 'last' }, true)).toBe(1);
    expect(nextStep(steps(false, false), 'sensitivity', { kind: 'last' }, false)).toBe(0);
  });

  it('is none while a reference of its own is made, and when all are there', () => {
    expect(nextStep(steps(false, false), 'wedge', { kind: 'path' }, false)).toBe(-1);
    expect(nextStep(steps(false, false), 'wedge', { kind: 'path' }, true)).toBe(0);
    expect(nextStep(steps(true, true), 'wedge', { kind: 'still' }, true)).toBe(-1);
  });
});

describe('settings that are stepped together', () => {
  const split = readyWedges(recipe()).find((w) => w.id === 'split')!;

  it('go first with first: one total in every split, and a finer step to measure against', () => {
    const steps = wedgeSteps(split.axes, true);
    const totals = steps.map((s) => totalOf(s.values));
    expect(totals.slice(0, -1)).toEqual(Array(7).fill(64));
    expect(totals.at(-1)).toBe(512);
    // that one is no choice, so its flicker is not looked for
    expect(framesOfSteps(steps, true, true)).toEqual([6, 6, 6, 6, 6, 6, 6, 1]);
    expect(framesOfSteps(steps, true, false)).toEqual(Array(8).fill(1));
    expect(framesOfSteps(steps.slice(0, -1), true, true)).toEqual(Array(7).fill(6));
    expect(costOfSteps(recipe({ 'samples.pixel': 1 }), steps, framesOfSteps(steps, true, true))).toBe(7 * 6 * 64 + 512);
    expect(steps[2]).toEqual({
      values: { 'samples.pixel': 16, 'samples.shutter': 4 },
      label: 'Pixel samples 16, Shutter samples 4',
    });
    // prices are alike but for the last
    expect(costOfSteps(recipe({ 'samples.pixel': 64 }), steps)).toBeCloseTo(7 + 8, 9);
  });

  it('need as many values each', () => {
    const [a, b] = split.axes;
    expect(() => wedgeSteps([a, { ...b, values: [1, 2] }], true)).toThrow('as many values each');
  });

  it('are judged among those of one total', () => {
    const labels = ['64 × 1', '8 × 8', '1 × 64', '16 × 32'];
    const totals = [64, 64, 64, 512];
    const at = (...errors: (number | null)[]) => errors.map((error) => (error === null ? null : { seconds: 1, error }));
    const best = bestSplit(at(0.08, 0.01, 0.03, 0), totals, labels, 'tip')!;
    expect(best.index).toBe(1);
    expect(best.reason).toBe(
      'Of 64 samples in all, on the tip 8 × 8 comes nearest (FLIP 0.010); 64 × 1 differs most (0.080).',
    );
    expect(bestSplit(at(0.011, 0.01, 0.012, 0), totals, labels, 'tip')!.reason).toMatch('do not differ visibly');
    expect(bestSplit(at(0.08, null, null, 0), totals, labels, 'tip')).toBeNull();
    // of those that differ as little the quickest, and what it is worth
    const timed = [3, 1, 2, 9].map((seconds, i) => ({ seconds, error: [0.01, 0.012, 0.08, 0][i] }));
    const quick = bestSplit(timed, totals, labels, 'tip')!;
    expect(quick.index).toBe(1);
    expect(quick.reason).toContain('Prices differ up to 3.0 ×');
  });
});

describe('a ladder', () => {
  it('is made longer as its values grow, within their range', () => {
    const axes = [{ id: 'samples.pixel', values: [1, 2, 4] }];
    expect(longerLadder(axes, 'dearer')).toEqual({ axes: [{ ...axes[0], values: [1, 2, 4, 8, 16] }], added: '8, 16' });
    expect(longerLadder([{ id: 'samples.pixel', values: [4, 8] }], 'cheaper')!.axes[0].values).toEqual([1, 2, 4, 8]);
    expect(longerLadder(axes, 'cheaper')).toBeNull();
    expect(longerLadder([{ id: 'samples.pixel', values: [2048, 4096] }], 'dearer')).toBeNull();
    expect(longerLadder([{ id: 'samples.filter', values: ['box', 'gaussian'] }], 'dearer')).toBeNull();
  });

  it('of equal totals becomes one of equal prices by what each step took', () => {
    const values = [
      { 'samples.pixel': 64, 'samples.shutter': 1 },
      { 'samples.pixel': 8, 'samples.shutter': 8 },
      { 'samples.pixel': 1, 'samples.shutter': 64 },
      { 'samples.pixel': 16, 'samples.shutter': 32 },
    ];
    const axes = ['samples.pixel', 'samples.shutter'].map((id) => ({
      id,
      values: values.map((v) => v[id as 'samples.pixel']),
    }));
    const steps = values.map((v, i) => ({ values: v, seconds: [4, 8, 16, 99][i] }));
    const [pixel, shutter] = equalPrice(axes, steps)!;
    // twice as many where it took half as long; the yardstick stays
    expect(pixel).toEqual({ id: 'samples.pixel', values: [128, 8, 1, 16] });
    expect(shutter).toEqual({ id: 'samples.shutter', values: [1, 8, 64, 32] });
    expect(equalPrice(axes, [{ ...steps[0], seconds: null }, ...steps.slice(1)])).toBeNull();
  });

  it('names its values in the order of its settings, whatever the order they are kept in', () => {
    const axes = [
      { id: 'samples.pixel', values: [4] },
      { id: 'bounce.total', values: [2] },
    ];
    expect(valuesInOrder(axes, { 'bounce.total': 2, 'samples.pixel': 4 })).toEqual([4, 2]);
  });
});

describe('notches', () => {
  it('stay in range and differ from the value, for every setting', () => {
    for (const setting of SETTINGS)
      for (const value of notches(setting, setting.initial)) {
        expect(value).not.toBe(setting.initial);
        expect(settingSchema(setting).safeParse(value).success, `${setting.id} ${value}`).toBe(true);
      }
  });

  it('are tried only of settings that change something', () => {
    const raster = sensitivitySteps(recipe(), null).flatMap((s) => Object.keys(s.values));
    const path = sensitivitySteps(recipe({ 'samples.method': 'path' }), null).flatMap((s) => Object.keys(s.values));
    expect(raster).toContain('shadows.resolution');
    expect(raster).not.toContain('bounce.total');
    expect(path).toContain('bounce.total');
    expect(path).not.toContain('shadows.resolution');
  });

  it('leave out what the scene chooses by itself, and try it where the artist has chosen', () => {
    const spacings = (values: Record<string, number>): unknown[] =>
      sensitivitySteps(recipe({ 'bounce.method': 'probes', ...values }), null).flatMap((s) =>
        'bounce.probeSpacing' in s.values ? [s.values['bounce.probeSpacing']] : [],
      );
    expect(spacings({})).toEqual([]);
    expect(spacings({ 'bounce.probeSpacing': 1 })).toEqual([0.75, 1.25]);
  });

  it('begin with what costs and changes most', () => {
    const stages = sensitivitySteps(recipe(), null).map((s) => findSetting(Object.keys(s.values)[0])!.stage);
    expect(stages[0]).toBe('samples');
    expect(stages.lastIndexOf('samples')).toBeLessThan(stages.indexOf('shadows'));
    expect(stages.lastIndexOf('shadows')).toBeLessThan(stages.indexOf('geometry'));
  });

  it('are tried only of settings that can change anything in the scene', () => {
    const of = (...facts: SceneNeed[]): string[] =>
      sensitivitySteps(recipe(), new Set(facts)).flatMap((s) => Object.keys(s.values));
    const lamps = of('shadow', 'lamp shadow');
    expect(lamps).toContain('shadows.localResolution');
    expect(lamps).not.toContain('shadows.distance');
    expect(lamps).not.toContain('geometry.textureBias');
    expect(of('shadow', 'sun shadow', 'textures')).toEqual(
      expect.arrayContaining(['shadows.distance', 'geometry.textureBias']),
    );
  });
});

describe('the knee', () => {
  const labels = ['1', '2', '4', '8', '16', '32'];
  it('of an error that halves with every doubling comes where a doubling is no visible step any more', () => {
    // 0.06, 0.03, 0.015, 0.0075, 0.00375, …: from 0.0075 on a doubling takes less than 0.004
    const steps = labels.map((_, i) => ({ seconds: 2 ** i, error: 0.06 / 2 ** i }));
    const knee = findKnee(steps, labels, 'wall')!;
    expect(labels[knee.index]).toBe('8');
    expect(knee.reason).toMatch(/Beyond 8, on the wall, .* 32 costs 4\.0 ×/);
  });

  it('is the first step when nothing changes, and says that less may do', () => {
    const flat = findKnee(
      labels.map((_, i) => ({ seconds: 1 + i, error: 0.05 })),
      labels,
      'floor',
    )!;
    expect(flat).toMatchObject({ index: 0, missing: 'cheaper' });
    expect(flat.reason).toContain('nothing gets better');
    expect(flat.reason).toContain('less may do');
  });

  it('of all that can be chosen misses none on either side', () => {
    const flat = labels.map((_, i) => ({ seconds: 1 + i, error: 0.05 }));
    const cheapest = findKnee(flat, labels, 'floor', { whole: true })!;
    expect(cheapest).toMatchObject({ index: 0, missing: null });
    expect(cheapest.reason).toContain('nothing gets better');
    expect(cheapest.reason).not.toContain('less may do');
    const steep = labels.map((_, i) => ({ seconds: 2 ** i, error: 0.9 - 0.1 * i }));
    const dearest = findKnee(steep, labels, 'floor', { whole: true })!;
    expect(dearest).toMatchObject({ index: 5, missing: null });
    expect(dearest.reason).toBe('On the floor 32 comes nearest, at the highest price.');
  });

  it('is not there yet when all steps still gain: the ladder is too short', () => {
    const steep = findKnee(
      labels.map((_, i) => ({ seconds: 2 ** i, error: 0.9 - 0.1 * i })),
      labels,
      'floor',
    )!;
    expect(steep).toMatchObject({ index: 5, missing: 'dearer' });
    expect(steep.reason).toContain('too short');
    expect(steep.reason).not.toContain('nothing gets better');
  });

  it('is not found in the step that others are measured against: that it differs from itself by nothing says nothing', () => {
    // the error halves at every step, and the last is the yardstick
    const steps = labels.map((_, i) => ({ seconds: 2 ** i, error: i === 5 ? 0 : 0.64 / 2 ** i }));
    const own = findKnee(steps, labels, 'wall', { yardstick: 5 })!;
    expect(own).toMatchObject({ index: 4, missing: 'dearer' });
    expect(own.reason).not.toContain('32');
    // with a plateau before it there is a knee
    const calm = labels.map((_, i) => ({ seconds: 2 ** i, error: i === 5 ? 0 : i < 2 ? 0.2 / (i + 1) : 0.05 }));
    expect(findKnee(calm, labels, 'wall', { yardstick: 5 })).toMatchObject({ index: 2, missing: null });
  });

  it('never lies on a step that another beats in time and in error', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            seconds: fc.double({ min: 0.01, max: 100, noNaN: true }),
            error: fc.double({ min: 0, max: 1, noNaN: true }),
          }),
          { minLength: 1, maxLength: 12 },
        ),
        (steps) => {
          const { index } = findKnee(
            steps,
            steps.map((_, i) => String(i)),
            'x',
          )!;
          const k = steps[index];
          expect(steps.some((s) => s.seconds < k.seconds && s.error <= k.error)).toBe(false);
        },
      ),
    );
  });

  it('passes over steps that are not measured', () => {
    expect(findKnee([null, null], ['a', 'b'], 'x')).toBeNull();
    expect(findKnee([null, { seconds: 1, error: 0.1 }], ['a', 'b'], 'x')!.index).toBe(1);
  });
});

describe('effects', () => {
  it('are said in words', () => {
    expect(effectInWords({ time: 0.62, change: 0.001 })).toBe('−38 % time, change not visible');
    expect(effectInWords({ time: 1.02, change: 0.008 })).toBe('same time, change just visible');
    expect(effectInWords({ time: 2, change: 0.2 })).toBe('+100 % time, visible change');
    expect(effectInWords({ time: 1.3, change: 0, verdict: 'unsure' })).toBe(
      'time within what this machine varies, change not visible',
    );
    expect(effectInWords({ time: 0.8, change: 0, verdict: 'differs' }, 0.4)).toBe('−20 % time, change not visible');
    expect(lowerFirst([{ time: 0.5, change: 0, verdict: 'unsure' }])).toEqual([]);
  });

  it('are not claimed where equal renders differed as much', () => {
    expect(timeNoise([1, 1.01, 0.99, 1.02, 1])).toBe(0.07);
    const noise = timeNoise([1, 1.3, 0.9, 1.2, 0.8, 1, 1.1, 1]);
    expect(noise).toBeGreaterThan(0.2);
    expect(effectInWords({ time: 0.8, change: 0 }, noise)).toBe('same time, change not visible');
    expect(lowerFirst([{ time: 0.8, change: 0 }], noise)).toEqual([]);
  });

  it('are ordered by time saved for what is seen, and what saves nothing is left out', () => {
    const [a, b, c, d] = [
      { time: 0.5, change: 0.2, name: 'a' },
      { time: 0.6, change: 0.001, name: 'b' },
      { time: 1.5, change: 0, name: 'c' },
      { time: 0.99, change: 0, name: 'd' },
    ];
    expect(lowerFirst([a, b, c, d]).map((e) => e.name)).toEqual(['b', 'a']);
  });
});
