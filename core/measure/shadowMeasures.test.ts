import { describe, expect, it } from 'vitest';
import { resolveRecipe, type ResolvedRecipe } from '../recipe/recipe';
import { bestCure, drawsHard, isSeen, priceOfCure, SHADOW_FAULTS, shadowCures } from '../plan/shadowCures';
import { shadowBands } from './banding';
import { exposureStatistics, HIGHEST_STOP, LOWEST_STOP, STOP_BINS } from './histogram';
import { stairSteps } from './stairs';

const N = 128;
const one = new Uint32Array(N * N).fill(1);
const all = { x: 0, y: 0, width: N, height: N };
const picture = (f: (x: number, y: number) => number): Float32Array =>
  Float32Array.from({ length: N * N }, (_, i) => Math.min(1, Math.max(0, f(i % N, Math.floor(i / N)))));

describe('stairs of shadow edges', () => {
  /** An edge of the given slope; its place moves in steps of `step` rows. */
  const edge = (step: number, slope: number): Float32Array =>
    picture((x, y) => x - (30 + slope * (step > 0 ? Math.floor(y / step) * step : y)) + 0.5);

  it('are none on straight and on gently curved edges that are smooth', () => {
    expect(stairSteps(edge(0, 0.4), one, N, N, all).pixels).toBeLessThan(0.08);
    expect(
      stairSteps(
        picture((x, y) => x - 30 - 0.003 * (y - 60) ** 2 + 0.5),
        one,
        N,
        N,
        all,
      ).pixels,
    ).toBeLessThan(0.08);
    expect(
      stairSteps(
        picture(() => 1),
        one,
        N,
        N,
        all,
      ),
    ).toEqual({ pixels: 0, length: 0 });
  });

  it('are as large as the steps: a height of h leaves h / √12', () => {
    for (const step of [4, 8]) {
      const expected = (0.5 * step) / Math.sqrt(12);
      const { pixels, length } = stairSteps(edge(step, 0.5), one, N, N, all);
      expect(length).toBeGreaterThan(N / 2);
      expect(pixels / expected).toBeGreaterThan(0.75);
      expect(pixels / expected).toBeLessThan(1.25);
    }
  });

  it('are not those of the objects themselves', () => {
    const objects = Uint32Array.from({ length: N * N }, (_, i) =>
      i % N < 30 + 0.5 * Math.floor(i / N / 8) * 8 ? 1 : 2,
    );
    expect(stairSteps(edge(8, 0.5), objects, N, N, all).length).toBeLessThan(N / 4);
  });

  it('are found on flat edges as well, and only inside the patch', () => {
    const flat = picture((x, y) => y - (30 + 0.5 * Math.floor(x / 8) * 8) + 0.5);
    expect(stairSteps(flat, one, N, N, all).pixels).toBeGreaterThan(0.8);
    expect(stairSteps(flat, one, N, N, { x: 0, y: 100, width: 128, height: 28 }).length).toBe(0);
  });
});

describe('bands in soft shadows', () => {
  const ramp = (levels: number): Float32Array =>
    picture((x) => (levels > 0 ? Math.floor(((x - 20) / 88) * levels) / levels : (x - 20) / 88));

  it('are steps of the size that the number of levels leaves', () => {
    for (const levels of [4, 8, 16]) {
      const { step, plateaus } = shadowBands(ramp(levels), one, N, N, all);
      expect(step).toBeCloseTo(1 / levels, 3);
      expect(plateaus).toBeGreaterThan(0.9);
    }
  });

  it('are not seen where a shadow is even for a while and then fades', () => {
    // level, slope of twenty pixels, level: two lamps behind one bar
    const shape = picture((x) => (x < 40 ? 0.3 : x < 60 ? 0.3 + (x - 40) * 0.02 : 0.7));
    expect(shadowBands(shape, one, N, N, all).plateaus).toBe(0);
  });

  it('are none in a steady ramp, nor in grain', () => {
    expect(shadowBands(ramp(0), one, N, N, all).plateaus).toBe(0);
    const grain = picture((x, y) => (x - 20) / 88 + (((x * 7919 + y * 104729) % 101) / 101 - 0.5) * 0.1);
    expect(shadowBands(grain, one, N, N, all).plateaus).toBeLessThan(0.05);
  });
});

describe('exposure statistics', () => {
  it('count stops, clipped and crushed pixels where they are asked', () => {
    const beauty = new Float32Array(4 * 3);
    const display = new Uint8Array(4 * 4);
    [0.18, 1, 4, 0].forEach((v, i) => {
      beauty.fill(v, i * 3, i * 3 + 3);
      display.fill([118, 255, 255, 0][i], i * 4, i * 4 + 4);
    });
    const whole = exposureStatistics(beauty, display, 4, 1, null);
    expect(whole.clipped).toBe(0.5);
    expect(whole.crushed).toBe(0.25);
    expect(whole.bins.reduce((a, b) => a + b)).toBeCloseTo(1, 9);
    expect(whole.bins[-LOWEST_STOP * 2]).toBe(0.25);
    expect(whole.bins.length).toBe(STOP_BINS);
    expect(HIGHEST_STOP).toBeGreaterThan(0);
    const grey = exposureStatistics(beauty, display, 4, 1, { x: 0, y: 0, width: 1, height: 1 });
    expect(grey.meterEv).toBeCloseTo(0, 6);
    const bright = exposureStatistics(beauty, display, 4, 1, { x: 2, y: 0, width: 1, height: 1 });
    expect(bright.meterEv).toBeCloseTo(Math.log2(0.18 / 4), 6);
    expect(exposureStatistics(beauty, display, 4, 1, { x: 9, y: 9, width: 1, height: 1 }).meterEv).toBe(0);
  });
});

describe('cures', () => {
  const recipe = resolveRecipe({ name: 't', draft: {}, final: {} }, 'draft');
  it('are within their ranges, change something and name it', () => {
    const top = { ...recipe, 'shadows.resolution': 8192, 'shadows.taps': 9, 'shadows.radius': 12 };
    const recipes: ResolvedRecipe[] = [recipe, top, { ...recipe, 'shadows.method': 'traced' }];
    for (const r of recipes) {
      for (const cure of shadowCures(r, new Set(['sun shadow', 'lamp shadow', 'soft light'] as const))) {
        const [[id, value]] = Object.entries(cure.values);
        expect(r[id]).not.toBe(value);
        expect(cure.label.length).toBeGreaterThan(4);
      }
    }
    const ids = shadowCures(top, new Set(['sun shadow'] as const)).flatMap((c) => Object.keys(c.values));
    expect(ids).not.toContain('shadows.resolution');
    expect(ids).not.toContain('shadows.localResolution');
    expect(ids).not.toContain('shadows.lightSamples');
  });

  it('are chosen by what they do for their price', () => {
    const none = { bands: 0, acne: null, leak: 0, dots: null };
    const before = { ...none, stairs: 2, seconds: 1 };
    const tried = [
      { ...none, values: {}, label: 'dear', stairs: 0.1, seconds: 3 },
      { ...none, values: {}, label: 'cheap', stairs: 0.15, seconds: 1.5 },
      { ...none, values: {}, label: 'useless', stairs: 2, seconds: 1 },
    ];
    expect(bestCure(before, tried)).toBe(1);
    expect(bestCure(before, tried.slice(2))).toBe(-1);
    expect(
      bestCure(before, [
        { ...tried[0], stairs: 1 },
        { ...tried[1], stairs: 1.2 },
      ]),
    ).toBe(1);
  });

  it('weigh acne, leaks and dots as well, and bring none in', () => {
    const none = { stairs: 0, bands: 0, acne: 0, leak: 0, dots: 0 };
    const cure = { values: {}, label: 'x', seconds: 1 };
    for (const fault of ['acne', 'leak', 'dots'] as const) {
      const before = { ...none, [fault]: 0.1, seconds: 1 };
      // cures one fault by another; cures it; costs more
      const tried = [
        { ...cure, ...none, stairs: 9 },
        { ...cure, ...none, seconds: 2 },
        { ...cure, ...none, seconds: 3 },
      ];
      expect(bestCure(before, tried)).toBe(1);
      expect(bestCure({ ...none, [fault]: 0.0001, seconds: 1 }, tried)).toBe(-1);
      const seen = SHADOW_FAULTS.filter((f) => isSeen(before, f)).map((f) => f.id);
      expect(seen).toEqual([fault]);
    }
    const unmeasured = { stairs: 0, bands: 0, acne: null, leak: null, dots: null };
    expect(SHADOW_FAULTS.some((f) => isSeen(unmeasured, f))).toBe(false);
  });

  it('say of lights with an extent that one sample draws them hard, and not of others', () => {
    const soft = new Set(['soft light'] as const);
    const one = { ...recipe, 'shadows.lightSamples': 1, 'shadows.filter': 'pcf' };
    expect(drawsHard(one, soft)).toBe(true);
    expect(drawsHard({ ...one, 'shadows.lightSamples': 8 }, soft)).toBe(false);
    expect(drawsHard({ ...one, 'shadows.filter': 'soft' }, soft)).toBe(false);
    expect(drawsHard(one, new Set(['sun shadow'] as const))).toBe(false);
  });

  it('claim no price inside the noise', () => {
    expect(priceOfCure([1, 1.02], 0.9)).toBe('within what this machine varies');
    expect(priceOfCure([1, 1.02], 1.1)).toBe('within what this machine varies');
    expect(priceOfCure([1, 1.02], 2.04)).toBe('+100 %');
    expect(priceOfCure([1, 1.02], 0.5)).toBe('−50 %');
    // on a restless machine not even that
    expect(priceOfCure([1, 1.6], 1.5)).toBe('within what this machine varies');
    expect(priceOfCure([1.6, 1], 1.5)).toBe('within what this machine varies');
    // times that lie apart themselves: no more is claimed than is beyond both of them
    expect(priceOfCure([1.47, 0.79], 2.01)).toBe('+37 %');
    expect(priceOfCure([1.47, 0.79], 1.9)).toBe('within what this machine varies');
    expect(priceOfCure([1.47, 0.79], 0.395)).toBe('−50 %');
  });
});
