/** The searches by themselves, on benches that answer from a table. */
import { describe, expect, it } from 'vitest';
import type { PlaceFlicker } from '../measure/stability/place';
import { resolveRecipe } from '../recipe/recipe';
import type { Changes } from './bench';
import { searchFlicker, type FlickerBench, type FlickerCause } from './flickerSearch';
import { sceneFacts, type SceneFacts } from './sceneFacts';
import { searchShadowCures, type ShadowBench, type ShadowTrial } from './shadowSearch';
import { compileScene } from '../scene/compileScene';
import { light, quad, sceneOf, addNode, DOWN } from '../testing/scenes';

const recipe = resolveRecipe({ name: 't', draft: { 'output.width': 64, 'output.height': 64 }, final: {} }, 'draft');
const here = { x: 0, y: 0, width: 64, height: 64 };
const blame: PlaceFlicker['blame'] = {
  parts: { direct: 1, shadow: 0, bounce: 0, reflection: 0, emission: 0 },
  outlines: 1,
  points: 9,
};
const facts: SceneFacts = sceneFacts(compileScene(sceneOf([quad(1)])), compileScene(sceneOf([quad(1)])).meta);

/** Flickers as told; a whole frame takes a second more for each setting that is changed. */
function flickerBench(index: (changes: Changes) => number | null): FlickerBench & { asked: string[] } {
  const asked: string[] = [];
  return {
    asked,
    async try(changes, { place, secondsOf }, signal) {
      signal.throwIfAborted();
      asked.push([Object.keys(changes).join() || 'as it is', place ? 'flicker' : '', secondsOf ?? ''].join(' ').trim());
      const seconds = secondsOf === undefined ? 0 : 1 + Object.keys(changes).length;
      return { place: place ? ({ index: index(changes), passing: 0, blame } as PlaceFlicker) : null, seconds };
    },
  };
}
async function searched(bench: FlickerBench, signal = new AbortController().signal, now = (): number => 0) {
  const told: FlickerCause[] = [];
  const place = { recipe, facts, frame: 4, rect: here, worst: [] };
  const followed = await searchFlicker(bench, place, {
    signal,
    now,
    at: () => undefined,
    found: (c) => told.push(c),
  });
  return { followed, told, last: told[told.length - 1] };
}

describe('the search for what flickers', () => {
  it('asks for the price of what is of use alone, and tells more after each change', async () => {
    const bench = flickerBench((c) => ('samples.history' in c ? 0.5 : 9));
    const { told, last } = await searched(bench);
    expect(bench.asked[0]).toBe('as it is flicker 4');
    expect(bench.asked.filter((a) => !a.includes('flicker'))).toEqual(['samples.history  4']);
    expect(told.map((c) => c.tried.length)).toEqual(told.map((_, i) => i));
    expect(last.tried[last.best].values).toHaveProperty('samples.history');
    expect(last.tried.filter((t) => t.timed).length).toBe(1);
  });

  it('tries nothing where nothing is noticed, and says so of what cannot be followed', async () => {
    const calm = flickerBench(() => 0.4);
    expect((await searched(calm)).last).toMatchObject({ tried: [], best: -1 });
    expect(calm.asked.length).toBe(1);
    const lost = await searched(flickerBench(() => null));
    expect([lost.followed, lost.told]).toEqual([false, []]);
  });

  it('leaves out what there is no time for, and counts it', async () => {
    let clock = 0;
    const { last } = await searched(
      flickerBench(() => 9),
      undefined,
      () => (clock += 60_000),
    );
    expect(last.tried.length).toBe(1);
    expect(last.untried).toBeGreaterThan(0);
  });

  it('ends where it is aborted, with what was found until then', async () => {
    const abort = new AbortController();
    const bench = flickerBench((c) => {
      if ('samples.history' in c) abort.abort();
      return 9;
    });
    await expect(searched(bench, abort.signal)).rejects.toThrow(/abort/i);
    expect(bench.asked.length).toBe(2);
  });
});

describe('the search for what cures a shadow', () => {
  const lit = sceneOf([quad(1)]);
  lit.lights.push(light('point', 100, { radius: 0.2 }));
  addNode(lit, { light: 0, rotation: DOWN, translation: [0, 2, 0] });
  const scene = compileScene(lit);
  const shadowFacts = sceneFacts(scene, scene.meta);
  /** All lit, but for dark specks that rays do not find. */
  function picture(specks: boolean, seconds: number): ShadowTrial {
    const [width, height] = [64, 64];
    const values = Float32Array.from({ length: width * height }, (_, i) => (specks && i % 37 === 0 ? 0 : 1));
    const codes = new Uint8Array(width * height * 4).fill(128);
    const source = { width, height, lit: values, objects: new Uint32Array(width * height).fill(1) };
    return { source, codes, rect: here, seconds };
  }
  const bench = (of: (changes: Changes) => ShadowTrial): ShadowBench & { tried: Changes[] } => {
    const tried: Changes[] = [];
    return {
      tried,
      async try(changes, _asked, signal) {
        signal.throwIfAborted();
        tried.push(changes);
        return of(changes);
      },
    };
  };
  const search = (b: ShadowBench, signal = new AbortController().signal, at = (_d: number, _a: number) => undefined) =>
    searchShadowCures(b, { recipe, facts: shadowFacts }, { signal, at, breathe: async () => undefined });

  it('renders the recipe as it is first and last, and takes the cheapest of what cures it', async () => {
    const b = bench((c) => picture(!('shadows.taps' in c || 'shadows.method' in c), 'shadows.method' in c ? 9 : 1));
    const said: number[][] = [];
    const found = await search(b, undefined, (d, a) => void said.push([d, a]));
    expect([b.tried[0], b.tried[b.tried.length - 1]]).toEqual([{}, {}]);
    expect(said.map(([d]) => d)).toEqual(b.tried.map((_, i) => i + 1));
    // by the traced picture, which cures it too and is dearer
    expect(found.before.acne).toBeGreaterThan(0.003);
    expect(found.tried[found.best]).toMatchObject({ acne: 0, seconds: 1 });
    expect(found.tried[found.best].values).toHaveProperty('shadows.taps');
  });

  it('recommends nothing where nothing is wrong', async () => {
    expect((await search(bench(() => picture(false, 1)))).best).toBe(-1);
  });

  it('ends where it is aborted', async () => {
    const abort = new AbortController();
    const b = bench(() => {
      abort.abort();
      return picture(false, 1);
    });
    await expect(search(b, abort.signal)).rejects.toThrow(/abort/i);
    expect(b.tried.length).toBe(1);
  });
});
