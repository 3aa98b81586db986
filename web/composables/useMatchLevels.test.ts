import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, type EffectScope } from 'vue';
import type { StoredRig } from '@daxel/api/schemas';
import type { FrameRequest } from '@daxel/core/frame/renderPool';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import type { Lighting, PlacedLight } from '@daxel/core/scene/source';
import { environment, light } from '@daxel/core/testing/scenes';
import { useMatchLevels } from './useMatchLevels';
import type { Wish } from './usePreview';

const asked: FrameRequest[] = [];
let cancelled = 0;
/** Light arrives where `pattern` says; an unlit part stays. */
const pattern = (index: number, p: number): number => ((p * 7 + index * 13) % 11) / 11;
const INDEX = { sun: 0, lamp: 1 } as Record<string, number>;
function picture(lighting: Lighting, width: number, height: number): Float32Array {
  return Float32Array.from({ length: width * height * 3 }, (_, i) => {
    const p = Math.floor(i / 3);
    let v = 0.05;
    // a light whose reach got lost gives nothing
    for (const l of lighting.lights) if (l.range !== null) v += l.intensity * pattern(INDEX[l.name], p);
    if (lighting.environment.lightsSurfaces) v += 0.4 * pattern(5, p);
    return v;
  });
}
vi.mock('./useShot', () => ({
  renderPool: () => ({
    render: (request: FrameRequest) => {
      asked.push(request);
      const [width, height] = [request.recipe['output.width'] as number, request.recipe['output.height'] as number];
      const beauty = picture(request.lighting!, width, height);
      let finished = true;
      return {
        promise: Promise.resolve().then(() => ({ finished, views: { beauty } })),
        cancel: () => {
          cancelled++;
          finished = false;
        },
      };
    },
  }),
}));

const place = (name: string, intensity: number): PlacedLight => ({
  ...light('point', intensity),
  name,
  node: 0,
  range: Infinity,
});
const lighting = (sun: number, lamp: number): Lighting => ({
  lights: [place('sun', sun), place('lamp', lamp)],
  environment: environment(1),
});
const wish = (light: Lighting): Wish => ({
  sceneId: 's',
  recipe: {
    ...resolveRecipe({ name: 'r', draft: {}, final: {} }, 'draft'),
    'output.width': 60,
    'output.height': 40,
  },
  camera: {} as Wish['camera'],
  timeSeconds: 0,
  seed: 1,
  lighting: light,
  view: 'picture',
});
const rig = { lights: [{ name: 'sun' }, { name: 'lamp' }] } as StoredRig;

let scope: EffectScope;
let match: ReturnType<typeof useMatchLevels>;
beforeEach(() => {
  asked.length = cancelled = 0;
  scope = effectScope();
  // outside of a component there is nothing to be unmounted
  vi.spyOn(console, 'warn').mockImplementation(() => undefined);
  match = scope.run(useMatchLevels)!;
});
afterEach(() => scope.stop());
const size = { width: 60, height: 40 };

describe('match levels', () => {
  it('finds how much stronger each light is in the reference, and what all of it is in stops', async () => {
    const reference = (w: number, h: number): Promise<Float32Array> => Promise.resolve(picture(lighting(6, 0.5), w, h));
    await match.search(wish(lighting(2, 2)), rig, size, reference);
    const found = match.proposal.value!;
    expect(found.lights.map((l) => l.name)).toEqual(['sun', 'lamp', 'surroundings']);
    [3, 0.25, 1].forEach((f, i) => expect(found.lights[i].factor).toBeCloseTo(f, 3));
    expect(found.after).toBeLessThan(found.before);
    expect(found.exposure).toBeCloseTo((Math.log2(3) - 2) / 3, 2);
  });

  it('draws each light alone and keeps its reach without end', async () => {
    await match.search(wish(lighting(1, 1)), rig, size, (w, h) => Promise.resolve(picture(lighting(1, 1), w, h)));
    expect(asked.map((r) => r.lighting!.lights.length)).toEqual([0, 1, 1, 0]);
    for (const request of asked) for (const l of request.lighting!.lights) expect(l.range).toBe(Infinity);
    // of these one is lit by the surroundings
    expect(asked.filter((r) => r.lighting!.environment.lightsSurfaces).length).toBe(1);
  });

  it('leaves out lights that are off, and says when it goes wrong', async () => {
    await match.search(wish(lighting(0, 1)), rig, size, (w, h) => Promise.resolve(picture(lighting(0, 1), w, h)));
    expect(match.proposal.value!.lights.map((l) => l.name)).toEqual(['lamp', 'surroundings']);
    await match.search(wish(lighting(1, 1)), rig, size, () => Promise.reject(new Error('the reference is gone')));
    expect(match.failure.value).toBe('the reference is gone');
    expect(match.proposal.value).toBeNull();
    expect(match.running.value).toBeNull();
  });

  it('stops when it is cancelled, without a complaint', async () => {
    const going = match.search(wish(lighting(1, 1)), rig, size, () => Promise.resolve(new Float32Array()));
    expect(match.running.value).toEqual({ done: 0, all: 4 });
    match.cancel();
    await going;
    expect(cancelled).toBe(1);
    expect([match.proposal.value, match.failure.value, match.running.value]).toEqual([null, null, null]);
  });
});
