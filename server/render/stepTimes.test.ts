import { describe, expect, it } from 'vitest';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { timesOf, type Timed } from './stepTimes';

const timed = (seconds: number): Timed => ({ frame: { seconds: seconds * 1.1 }, workSeconds: seconds });

/** Renders that take these times one after another: the step's own, and those of the other recipe. */
function machine(own: number[], beside: number[]) {
  const asked: boolean[] = [];
  return {
    asked,
    again: (other: boolean): Promise<Timed | null> => {
      asked.push(other);
      const next = (other ? beside : own).shift();
      return Promise.resolve(next === undefined ? null : timed(next));
    },
  };
}

describe('times of a step', () => {
  it('are those of its quickest render, repeated until two agree', async () => {
    const { again, asked } = machine([1.5, 1.02], []);
    expect(await timesOf({ kind: 'repeated' }, timed(1), again)).toMatchObject({ workSeconds: 1, verdict: null });
    expect(asked).toEqual([false, false]);
    const once = machine([], []);
    expect((await timesOf({ kind: 'once' }, timed(3), once.again))?.seconds).toBeCloseTo(3.3);
    expect(once.asked).toEqual([]);
  });

  const recipe = resolveRecipe({ name: 'as it is', draft: {}, final: {} }, 'draft');
  it('beside another recipe are alike by what that took lately, without rendering it', async () => {
    const { again, asked } = machine([], []);
    const times = await timesOf({ kind: 'beside', recipe, lately: 1.03, varies: 0 }, timed(1), again);
    expect(times).toMatchObject({ verdict: 'same', besideSeconds: 1.03, besideLast: null });
    expect(asked).toEqual([]);
  });

  it('that differ are held against renders in turn, until they bear that out', async () => {
    const alike = machine([2], [2.02, 2]);
    expect(await timesOf({ kind: 'beside', recipe, lately: 1.5, varies: 0 }, timed(2), alike.again)).toMatchObject({
      verdict: 'unsure',
      besideSeconds: 1.5,
      besideLast: 2.02,
    });
    expect(alike.asked).toEqual([true, false]);
    const apart = machine([2.01], [1, 1.01]);
    expect(await timesOf({ kind: 'beside', recipe, lately: null, varies: 0 }, timed(2), apart.again)).toMatchObject({
      verdict: 'differs',
      besideSeconds: 1,
      workSeconds: 2,
    });
    expect(apart.asked).toEqual([true, false]);
    const plain = machine([], [1]);
    expect(await timesOf({ kind: 'beside', recipe, lately: 1.02, varies: 0 }, timed(2), plain.again)).toMatchObject({
      verdict: 'differs',
      besideSeconds: 1,
    });
    expect(plain.asked).toEqual([true]);
  });

  it('that differ by less than equal renders of the run do are left open at once', async () => {
    const { again, asked } = machine([], []);
    const timing = { kind: 'beside', recipe, lately: 1, varies: 0.25 } as const;
    expect(await timesOf(timing, timed(1.2), again)).toMatchObject({ verdict: 'unsure', besideLast: null });
    expect(await timesOf(timing, timed(0.8), again)).toMatchObject({ verdict: 'unsure' });
    expect(await timesOf(timing, timed(1.02), again)).toMatchObject({ verdict: 'same' });
    expect(asked).toEqual([]);
    const plain = machine([], [1.1]);
    expect(await timesOf(timing, timed(2), plain.again)).toMatchObject({ verdict: 'differs' });
  });

  it('are none when cancelled between renders', async () => {
    expect(await timesOf({ kind: 'repeated' }, timed(1), machine([], []).again)).toBe(null);
    expect(await timesOf({ kind: 'beside', recipe, lately: 2, varies: 0 }, timed(1), machine([1], []).again)).toBe(
      null,
    );
  });
});
