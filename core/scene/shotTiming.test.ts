import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ranged, rateName, RATES, retimed } from './shotTiming';

const timing = fc
  .tuple(fc.integer({ min: -500, max: 5000 }), fc.integer({ min: 0, max: 5000 }), fc.constantFrom(...RATES), fc.nat())
  .map(([firstFrame, more, rate, at]) => ({
    firstFrame,
    lastFrame: firstFrame + more,
    rate,
    frame: firstFrame + (at % (more + 1)),
  }));

describe('a shot at another rate', () => {
  it('shows the same stretch of time, to half a frame, and the same instant', () => {
    fc.assert(
      fc.property(timing, fc.constantFrom(...RATES), (before, rate) => {
        const after = retimed(before, rate);
        const half = 0.5 / rate + 1e-9;
        expect(Math.abs(after.firstFrame / rate - before.firstFrame / before.rate)).toBeLessThanOrEqual(half);
        if (after.lastFrame > after.firstFrame)
          expect(Math.abs((after.lastFrame + 1) / rate - (before.lastFrame + 1) / before.rate)).toBeLessThanOrEqual(
            half,
          );
        expect(Math.abs(after.frame / rate - before.frame / before.rate)).toBeLessThanOrEqual(
          Math.max(1 / rate, 1 / before.rate) + half,
        );
        expect(after.frame).toBeGreaterThanOrEqual(after.firstFrame);
        expect(after.frame).toBeLessThanOrEqual(after.lastFrame);
      }),
    );
  });

  it('has twice the frames at twice the rate', () => {
    expect(retimed({ firstFrame: 0, lastFrame: 95, rate: 24, frame: 12 }, 48)).toEqual({
      firstFrame: 0,
      lastFrame: 191,
      rate: 48,
      frame: 24,
    });
    expect(RATES.map(rateName)).toEqual(['23.976', '24', '25', '30', '48', '50', '60']);
  });
});

describe('the range of a shot', () => {
  it('takes what was asked; the other end and the frame shown give way', () => {
    const before = { firstFrame: 0, lastFrame: 95, rate: 24, frame: 50 };
    expect(ranged(before, { lastFrame: 30 })).toEqual({ ...before, lastFrame: 30, frame: 30 });
    expect(ranged(before, { lastFrame: -3 })).toEqual({ ...before, firstFrame: -3, lastFrame: -3, frame: -3 });
    expect(ranged(before, { firstFrame: 120 })).toEqual({ ...before, firstFrame: 120, lastFrame: 120, frame: 120 });
  });
});
