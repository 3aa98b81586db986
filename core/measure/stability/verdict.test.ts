import { describe, expect, it } from 'vitest';
import { beyondReach, FLICKER_CASES, GROUNDS, reportOf, saysFlicker, type Source } from '../../testing/flickerCases';
import { verdictOf } from './verdict';

/** Every case on each ground in the long form, else on one of them in turn. */
const long = process.env.DAXEL_LONG === '1';
const quick = FLICKER_CASES.filter(({ name }) => !/±12 codes|±60 codes, panning|zooming|noise of 4/.test(name));
const cases = (long ? FLICKER_CASES : quick).flatMap((c, n) =>
  GROUNDS.filter((_, g) => long || g === n % GROUNDS.length).map((ground) => ({ c, ground, name: c.name })),
);

describe.each<Source>(['layer', 'flow'])('what is said of prepared frames, measured by their %s', (source) => {
  const told = cases.filter(({ c, ground }) => !beyondReach(c, ground, source));
  it.each(told.filter(({ c }) => c.expected === 'flickers'))('they flicker: $name, ground $ground', ({ c, ground }) => {
    const report = reportOf(c, ground, source);
    expect(report.verdict.words).toMatch(/seen|noticed|moments/);
    expect(saysFlicker(report)).toBe(true);
  });

  it.each(told.filter(({ c }) => c.expected === 'calm'))('they do not: $name, ground $ground', ({ c, ground }) => {
    const report = reportOf(c, ground, source);
    expect(saysFlicker(report)).toBe(false);
    expect(report.verdict.words).toMatch(/Calm|No flicker/);
  });
});

describe('flicker of frames without a motion layer', () => {
  const by = (codes: number): (typeof FLICKER_CASES)[number] =>
    FLICKER_CASES.find((c) => c.name === `a region alternates by ±${codes} codes, still`)!;

  it('reads the stronger the stronger it is, and as with one', () => {
    const [weak, middle, strong] = [3, 20, 60].map((codes) => reportOf(by(codes), 'fine', 'flow').index);
    expect(middle).toBeGreaterThan(weak * 4);
    expect(strong).toBeGreaterThan(middle * 2);
    const layer = reportOf(by(20), 'fine', 'layer').index;
    expect(Math.abs(middle / layer - 1)).toBeLessThan(0.15);
  });
});

describe('the sentence', () => {
  const calm = { index: 0.2, peak: 0.4, coverage: 1, unsettled: 0 };
  it('grows with the flicker', () => {
    const levels = [calm, { ...calm, peak: 3 }, { ...calm, index: 1.2, peak: 3 }, { ...calm, index: 4, peak: 5 }].map(
      (r) => verdictOf(r).level,
    );
    expect(levels).toEqual(['calm', 'moments', 'noticed', 'plain']);
  });

  it('says how much was measured unless all was', () => {
    expect(verdictOf(calm).words).not.toMatch(/%/);
    for (const index of [0.2, 1.2, 4])
      expect(verdictOf({ ...calm, index, peak: index, coverage: 0.812 }).words).toContain('81\u00a0%');
  });

  it('is never calm when what was not measured may flicker, or was most of it', () => {
    for (const r of [
      { ...calm, coverage: 0.8, unsettled: 0.1 },
      { ...calm, coverage: 0.3 },
      { ...calm, coverage: 0.01 },
      { ...calm, index: 0, peak: 0, coverage: 0 },
    ]) {
      const { level, words } = verdictOf(r);
      expect(level).not.toBe('calm');
      expect(words).not.toMatch(/^Calm/);
    }
    expect(verdictOf({ ...calm, coverage: 0.9, unsettled: 0.01 }).level).toBe('calm');
  });

  it('says of hardly anything measured neither that it flickers nor that it is calm', () => {
    expect(verdictOf({ ...calm, index: 9, peak: 12, coverage: 0.02 }).level).toBe('unknown');
  });
});
