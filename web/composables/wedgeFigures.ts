/** A wedge as chart, knees and effects read it. */
import type { Wedge, WedgeStepResult } from '@daxel/api/schemas';
import { bestSplit, findKnee, timeNoise, type Effect, type Knee } from '@daxel/core/plan/knee';
import { totalOf, valueLabel } from '@daxel/core/plan/wedge';
import { findSetting } from '@daxel/core/recipe/settings';

export interface Place {
  name: string;
  /** Of `figures`. */
  index: number;
}

/** Where errors were measured, in the order of a step's figures. */
export function wedgePlaces(wedge: Wedge): Place[] {
  const names = wedge.patches.map((p) => p.name);
  return (wedge.request.patchesOnly ? names : ['whole picture', ...names]).map((name, index) => ({ name, index }));
}

/** Steps that share the value of the second setting, in the order of the first: one line of the chart. */
export function wedgeLines(wedge: Wedge): { name: string; steps: number[] }[] {
  const second = wedge.request.axes[1];
  if (!second || wedge.request.pairs) return [{ name: '', steps: wedge.steps.map((_, i) => i) }];
  const groups = new Map<string, number[]>();
  wedge.steps.forEach((s, i) => {
    const name = `${findSetting(second.id)?.label ?? second.id} ${valueLabel(second.id, s.values[second.id])}`;
    groups.set(name, [...(groups.get(name) ?? []), i]);
  });
  return [...groups].map(([name, steps]) => ({ name, steps }));
}

/** Steps of one total of samples, where settings multiply: each list has at least two. */
export function sameTotals(wedge: Wedge): { total: number; steps: number[] }[] {
  const groups = new Map<number, number[]>();
  wedge.steps.forEach((s, i) => {
    const total = totalOf(s.values);
    if (total !== null) groups.set(total, [...(groups.get(total) ?? []), i]);
  });
  return [...groups].filter(([, steps]) => steps.length > 1).map(([total, steps]) => ({ total, steps }));
}

export interface PlaceKnee extends Knee {
  place: string;
}

/** Knees of every place over all steps. */
export function wedgeKnees(wedge: Wedge): PlaceKnee[] {
  return wedgePlaces(wedge).flatMap(({ name, index }) => {
    const points = wedge.steps.map((s) => pointOf(s, index));
    const labels = wedge.steps.map((s) => s.label);
    const totals = wedge.steps.map((s) => totalOf(s.values));
    // the last step is what others are measured against, and no choice itself
    const yardstick = wedge.request.reference.kind === 'last' ? wedge.steps.length - 1 : -1;
    // of choices there are no more and no fewer
    const whole = wedge.request.axes.every((a) => ['choice', 'switch'].includes(findSetting(a.id)?.kind ?? ''));
    const knee = wedge.request.pairs
      ? bestSplit(points, totals, labels, name)
      : findKnee(points, labels, name, { yardstick, whole });
    return knee && points.filter((p, i) => p !== null && i !== yardstick).length > 1 ? [{ ...knee, place: name }] : [];
  });
}

export function pointOf(s: WedgeStepResult, place: number): { seconds: number; error: number } | null {
  return s.seconds !== null && s.figures ? { seconds: s.seconds, error: s.figures[place].flip } : null;
}

export interface NotchEffect extends Effect {
  id: string;
  value: string | number | boolean;
  label: string;
  /** Where the picture changes most. */
  place: string;
}

/** Share by which times of the recipe as it is differed during a run: no smaller difference is claimed. */
export function runNoise(wedge: Wedge): number {
  return timeNoise(wedge.steps.flatMap((s) => (s.besideSeconds === null ? [] : [s.besideSeconds])));
}

/** What each notch of a sensitivity run did, on the place where it changes the picture most. */
export function notchEffects(wedge: Wedge): NotchEffect[] {
  const base = wedge.steps[0]?.seconds;
  if (!base) return [];
  const places = wedgePlaces(wedge);
  return wedge.steps.slice(1).flatMap((s) => {
    const [entry] = Object.entries(s.values);
    if (s.seconds === null || !s.figures || !entry) return [];
    const flips = s.figures.map((f) => f.flip);
    const most = flips.indexOf(Math.max(...flips));
    return [
      {
        id: entry[0],
        value: entry[1],
        label: s.label,
        time: s.seconds / (s.besideSeconds ?? base),
        verdict: s.time,
        change: flips[most],
        place: places[most].name,
      },
    ];
  });
}
