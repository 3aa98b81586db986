/** Rendered runs of a shot: the newest and the one before it, in memory and on the shelf. */
import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import type { HistoryMap } from '@daxel/core/frame/keptHistory';
import type { SteppingFigures } from '@daxel/core/measure/stepping';
import type { FrameStability } from '@daxel/core/measure/stability/meter';
import type { SequenceReport } from '@daxel/core/measure/stability/sequence';
import type { Lut } from '@daxel/core/film/lut';
import type { Tier } from '@daxel/core/recipe/recipe';
import type { RunOrder } from '../composables/useRun';
import type { Picture } from '../render/preview';
import type { Patch } from '@daxel/api/schemas';
import { dropRun, keepRun, runsOnShelf } from './runShelf';
import type { FlickerMap } from '../render/stabilityWorker';

/** Flicker of the graded picture. */
export interface GradedFlicker {
  /** Of the table. */
  name: string;
  found: Record<number, FrameStability>;
  maps: Record<number, FlickerMap>;
  report: SequenceReport | null;
}

export interface Run {
  shotId: string;
  /** What it was rendered with, in words. */
  name: string;
  tier: Tier;
  first: number;
  last: number;
  rate: number;
  /** What it was rendered from, so that parts of it can be rendered again; null for frames from files. */
  order: RunOrder | null;
  state: 'rendering' | 'measuring' | 'done' | 'cancelled';
  /** From `first` on; null for one that memory does not hold: `again` reads it. */
  pictures: (Picture | null)[];
  /** Of runs from files. @param index from `first` on @throws Error with the file's name when it is gone or damaged */
  again?: (index: number) => Promise<Picture>;
  /** By frame number. */
  found: Record<number, FrameStability>;
  maps: Record<number, FlickerMap>;
  /** Places that the artist named, in shares of the picture, and how much each flickers by frame number. */
  patches: readonly Patch[];
  patchFlicker: Record<number, (number | null)[]>;
  /** From `first` on, where temporal accumulation took earlier frames over; empty without it. */
  histories: HistoryMap[];
  /** Where motion blur steps, of frames in which something moves far enough. */
  stepping: Record<number, SteppingFigures>;
  report: SequenceReport | null;
  /** The same through a grade, where one was loaded when it was measured. */
  graded: GradedFlicker | null;
  /** Of rendering, all frames together. */
  seconds: number;
}

/** A run of which nothing is rendered or read yet. @param grade what it is measured through as well */
export function emptyRun(
  of: Pick<Run, 'shotId' | 'name' | 'tier' | 'first' | 'last' | 'rate' | 'order' | 'patches' | 'again'>,
  grade: Lut | null = null,
): Run {
  return {
    ...of,
    state: 'rendering',
    pictures: [],
    found: {},
    maps: {},
    patchFlicker: {},
    stepping: {},
    histories: [],
    report: null,
    graded: grade && { name: grade.name, found: {}, maps: {}, report: null },
    seconds: 0,
  };
}

export const useRuns = defineStore('runs', () => {
  const newest = shallowRef<Run | null>(null);
  const before = shallowRef<Run | null>(null);

  /** Puts a changed copy in place. Runs of another shot make way. */
  function put(run: Run): void {
    newest.value = run;
    if (before.value && before.value.shotId !== run.shotId) before.value = null;
  }
  /** The newest run is to be followed by another one: a finished one is kept to be compared. */
  function turn(shotId: string): void {
    const run = newest.value;
    if (run?.shotId === shotId && run.state === 'done') before.value = run;
    newest.value = null;
  }
  /** Names on the shelf of what is in memory. */
  const shelved = new WeakMap<Run, string>();

  /** Keeps a finished run across reloads. */
  async function shelve(run: Run): Promise<void> {
    const id = await keepRun(run);
    if (id) shelved.set(run, id);
  }
  /** Takes the runs of a shot from the shelf where memory holds none of it. */
  async function recall(shotId: string): Promise<void> {
    const busy = (): boolean => newest.value?.state === 'rendering' || newest.value?.state === 'measuring';
    if (newest.value?.shotId === shotId || busy()) return;
    const [last, other] = await runsOnShelf(shotId);
    // one may have been begun meanwhile
    if (!last || newest.value?.shotId === shotId || busy()) return;
    newest.value = last.run;
    before.value = other?.run ?? null;
    for (const found of [last, other]) if (found) shelved.set(found.run, found.id);
  }
  /** Lets go of a run; the other one takes its place. @returns puts it back */
  async function remove(run: Run): Promise<() => Promise<void>> {
    const [last, other] = [newest.value, before.value];
    if (newest.value === run) newest.value = before.value;
    if (newest.value === before.value || before.value === run) before.value = null;
    const id = shelved.get(run);
    if (id) await dropRun(id);
    return async () => {
      [newest.value, before.value] = [last, other];
      if (id) await shelve(run);
    };
  }
  return { newest, before, put, turn, shelve, recall, remove };
});
