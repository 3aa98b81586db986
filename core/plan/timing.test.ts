import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { timeIsKnown, timeVerdict } from './timing';

/** Renders in turn as a machine with neighbours gives them, until a verdict. */
function verdictOn(share: number, disturbed: number, seed: number, seconds = 1): string {
  const random = randomStream(seed);
  const time = (s: number): number => s * (1 + (random() < 0.4 ? disturbed * random() : 0.02 * random()));
  const [base, other]: number[][] = [[], []];
  for (;;) {
    if (base.length > other.length) other.push(time(seconds * share));
    else base.push(time(seconds));
    const verdict = timeVerdict({ base, other });
    if (verdict) return verdict;
    expect(base.length).toBeLessThan(7);
  }
}
const seeds = Array.from({ length: 200 }, (_, i) => i + 1);
const count = (share: number, disturbed: number, said: string): number =>
  seeds.filter((s) => verdictOn(share, disturbed, s) === said).length;

describe('which of two recipes is quicker', () => {
  it('is told where it is plain, both ways', () => {
    for (const share of [0.5, 0.8, 1.25, 2]) expect(count(share, 0.04, 'differs')).toBe(200);
  });

  it('is not told of equal recipes, however disturbed the machine', () => {
    for (const disturbed of [0.05, 0.2, 0.5]) {
      expect(count(1, disturbed, 'differs')).toBeLessThanOrEqual(4);
      expect(count(1, disturbed, 'same')).toBeGreaterThan(120);
    }
  });

  it('is left open where the machine varies more than they differ', () => {
    expect(count(1.12, 0.6, 'differs')).toBeLessThan(120);
    expect(count(1.12, 0.6, 'unsure')).toBeGreaterThan(20);
    expect(count(3, 0.6, 'differs')).toBe(200);
  });

  it('needs more than one pair to claim anything, and one to say that they are alike', () => {
    const said = (base: number[], other: number[]) => timeVerdict({ base, other });
    expect(said([], [])).toBe(null);
    expect(said([1], [])).toBe(null);
    expect(said([1], [3])).toBe(null);
    expect(said([1, 1.02], [3])).toBe('differs');
    expect(said([1], [1.05])).toBe('same');
    expect(said([1, 1], [1.2, 1.2])).toBe(null);
    expect(said([1, 1, 1], [1.2, 1.2, 1.2])).toBe('differs');
    expect(said([1, 1], [0.5, 0.55])).toBe('differs');
    expect(said([1, 1.2], [1.2, 1.2])).toBe('unsure');
  });
});

describe('the time of a step', () => {
  it('is known when two renders agree, when it was long, or when it was tried often', () => {
    expect(timeIsKnown([])).toBe(false);
    expect(timeIsKnown([1])).toBe(false);
    expect(timeIsKnown([1, 1.3])).toBe(false);
    expect(timeIsKnown([1, 1.3, 1.04])).toBe(true);
    expect(timeIsKnown([1, 1.3, 1.2, 1.5])).toBe(true);
    expect(timeIsKnown([8])).toBe(true);
  });
});
