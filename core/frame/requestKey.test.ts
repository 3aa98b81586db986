import { describe, expect, it } from 'vitest';
import type { FrameRequest } from './renderPool';
import { requestKey, samplesKey } from './requestKey';

const request = (more: object = {}): FrameRequest =>
  ({
    ...{ sceneId: 's', recipe: { 'samples.pixel': 4 }, timeSeconds: 0.5, view: 'picture' },
    ...{ camera: { world: new Float64Array(16).fill(1), lens: { kind: 'perspective' } }, lighting: { lights: [] } },
    ...more,
  }) as unknown as FrameRequest;

describe('the key of a request', () => {
  it('is the same for the same picture, whatever objects say so', () => {
    expect(requestKey(request())).toBe(requestKey(structuredClone(request())));
    // memory that is shared holds numbers just as well
    const world = Float64Array.from(new Float64Array(16).fill(1));
    expect(requestKey(request({ camera: { world, lens: { kind: 'perspective' } } }))).toBe(requestKey(request()));
  });

  it.each([
    ['recipe', { recipe: { 'samples.pixel': 8 } }],
    ['time', { timeSeconds: 0.6 }],
    ['light', { lighting: { lights: [{ kind: 'sun' }] } }],
    ['camera', { camera: { world: new Float64Array(16).fill(2), lens: { kind: 'perspective' } } }],
    [
      'focus',
      { camera: { world: new Float64Array(16).fill(1), lens: { kind: 'perspective' }, aperture: { focus: 2 } } },
    ],
    ['view', { view: 'depth' }],
    ['seed', { seed: 7 }],
    ['part', { regions: [{ x: 0, y: 0, width: 4, height: 4 }] }],
  ])('tells another %s, for the picture and for its samples', (_what, more) => {
    expect(requestKey(request(more))).not.toBe(requestKey(request()));
    expect(samplesKey(request(more))).not.toBe(samplesKey(request()));
  });

  it('of samples alone does not tell what only develops them, and no key how they are made', () => {
    const exposed = { recipe: { 'samples.pixel': 4, 'lens.exposure': 2 } };
    expect(requestKey(request(exposed))).not.toBe(requestKey(request()));
    expect(samplesKey(request(exposed))).toBe(samplesKey(request()));
    expect(requestKey(request({ fresh: true, reuse: true, checkpointSeconds: 3 }))).toBe(requestKey(request()));
  });
});
