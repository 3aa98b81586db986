import { describe, expect, it } from 'vitest';
import type { Sequence, Still } from '@daxel/api/schemas';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { frameCost, measuredFrames } from './frameCost';

const size = { width: 320, height: 180, samples: 8 };
const still = (more: Partial<Still>): Still =>
  ({
    shotId: 'a',
    state: 'done',
    seconds: 4,
    createdAt: '2026-01-01T10:00:00Z',
    files: [
      { kind: 'png8', bytes: 100 },
      { kind: 'exr-half', bytes: 900 },
    ],
    ...size,
    ...more,
  }) as Still;
const sequence = (more: Partial<Sequence>): Sequence =>
  ({
    shotId: 'a',
    map: '++!.',
    seconds: 9,
    createdAt: '2026-01-02T10:00:00Z',
    files: [{ kind: 'png8', bytes: 330 }],
    ...size,
    ...more,
  }) as Sequence;
const recipe = resolveRecipe(
  {
    name: 't',
    draft: { 'output.width': 320, 'output.height': 180, 'samples.pixel': 4, 'samples.shutter': 2 },
    final: {},
  },
  'draft',
);

describe('what a frame takes', () => {
  it('is told by the newest one of the same shot, size and samples', () => {
    const measured = measuredFrames([still({})], [sequence({})]);
    expect(frameCost(measured, 'a', recipe, ['png8'])).toEqual({
      seconds: 3,
      bytes: 110,
      source: '3 frames of this size',
    });
    const older = measuredFrames([still({ createdAt: '2026-01-03T10:00:00Z' })], [sequence({})]);
    expect(frameCost(older, 'a', recipe, ['png8', 'exr-half'])).toMatchObject({ seconds: 4, bytes: 1000 });
  });

  it('is not told by others, and its bytes not where a kind of file was not written', () => {
    const measured = measuredFrames(
      [still({ state: 'running', seconds: null }), still({ shotId: 'b' }), still({ samples: 16 })],
      [sequence({ width: 640 }), sequence({ map: '....' })],
    );
    expect(frameCost(measured, 'a', recipe, ['png8'])).toBeNull();
    expect(frameCost(measuredFrames([], [sequence({})]), 'a', recipe, ['png8', 'png16'])).toMatchObject({
      bytes: null,
    });
  });
});
