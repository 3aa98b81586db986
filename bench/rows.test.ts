import { describe, expect, it } from 'vitest';
import { median, medianOf, row } from './rows';

describe('benchmark rows', () => {
  it('say how many times better, where less is better', () => {
    expect(row('b', 'c', 'them', 50, 100, 'ms')).toMatchObject({ ours: 50, theirs: 100, ratio: 2 });
  });

  it('take the median of what came after warming up', async () => {
    expect(median([5, 1, 9])).toBe(5);
    expect(median([4, 1, 9, 6])).toBe(5);
    let n = 0;
    expect(await medianOf(2, 3, () => ++n)).toBe(4);
  });
});
