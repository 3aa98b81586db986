import { describe, expect, it } from 'vitest';
import type { Wedge, WedgeStepResult } from '@daxel/api/schemas';
import { wedgeSteps } from '@daxel/core/plan/wedge';
import { standingEffects } from './useEffects';
import { notchEffects, sameTotals, wedgeKnees, wedgeLines, wedgePlaces } from './wedgeFigures';

const figures = (flip: number) => ({ flip, ssim: 1, rmse: 0, meanStops: 0, floor: 0 });
const step = (
  values: WedgeStepResult['values'],
  label: string,
  seconds: number | null,
  flips: number[] | null,
): WedgeStepResult => ({
  values,
  label,
  seconds,
  besideSeconds: null,
  time: null,
  stages: null,
  samples: 1,
  figures: flips && flips.map(figures),
  picture: seconds !== null,
});
function wedge(more: Partial<Wedge> & { steps: WedgeStepResult[] }): Wedge {
  return {
    id: 'w',
    shotId: 's',
    state: 'done',
    request: { kind: 'wedge', tier: 'draft', name: 'n', axes: [], reference: { kind: 'last' }, patchesOnly: false },
    recipe: { name: 'r', draft: {}, final: {} },
    patches: [{ id: 'p', name: 'wall', x: 0, y: 0, width: 1, height: 1 }],
    reference: null,
    progress: 0,
    message: null,
    createdAt: '',
    finishedAt: null,
    ...more,
  };
}
const axes = [
  { id: 'samples.pixel', values: [1, 4] },
  { id: 'shadows.lightSamples', values: [1, 4] },
];
const two = wedge({
  steps: wedgeSteps(axes).map((s, i) => step(s.values, s.label, i + 1, i === 3 ? null : [0.1 / (i + 1), 0.2])),
});
two.request.axes = axes;

describe('a wedge over two settings', () => {
  it('has a line for each value of the second and joins equal totals', () => {
    expect(wedgeLines(two)).toEqual([
      { name: 'Light samples 1', steps: [0, 1] },
      { name: 'Light samples 4', steps: [2, 3] },
    ]);
    expect(sameTotals(two)).toEqual([{ total: 4, steps: [1, 2] }]);
  });

  it('has a knee for the whole and for each patch, without the step that is the reference', () => {
    expect(wedgePlaces(two).map((p) => p.name)).toEqual(['whole picture', 'wall']);
    expect(wedgeKnees(two).map((k) => [k.place, k.index])).toEqual([
      ['whole picture', 2],
      ['wall', 0],
    ]);
  });

  it('over patches alone has no whole', () => {
    const only = { ...two, request: { ...two.request, patchesOnly: true } };
    expect(wedgePlaces(only).map((p) => p.name)).toEqual(['wall']);
  });
});

describe('a sensitivity run', () => {
  const run = wedge({
    steps: [
      step({}, 'as it is', 2, null),
      step({ 'samples.pixel': 2 }, 'Pixel samples 2', 1, [0.001, 0.02]),
      { ...step({ 'samples.pixel': 8 }, 'Pixel samples 8', 8, [0, 0]), besideSeconds: 4 },
      step({ 'shadows.taps': 5 }, 'PCF taps 5', null, null),
    ],
  });
  run.request.kind = 'sensitivity';

  it('says of each notch what it costs and where it is seen most', () => {
    expect(notchEffects(run)).toMatchObject([
      { id: 'samples.pixel', value: 2, time: 0.5, change: 0.02, place: 'wall' },
      { id: 'samples.pixel', value: 8, time: 2, change: 0, place: 'whole picture' },
    ]);
  });

  it('stands beside a setting until its value is changed', () => {
    const recipe = { name: 'r', draft: {}, final: {} };
    expect(standingEffects([run], recipe, 'draft')).toEqual({
      'samples.pixel': ['2: −50 % time, visible change', '8: +100 % time, change not visible'],
    });
    expect(standingEffects([run], { ...recipe, draft: { 'samples.pixel': 16 } }, 'draft')).toEqual({});
    expect(standingEffects([run], recipe, 'final')).toEqual({});
  });
});
