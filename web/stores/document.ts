/**
 * The shot being worked on: its recipe and patches with undo and redo, saved a moment after each change. What the server
 * does not have yet stands in the browser's storage, of other shots as well, and is put together with what changed there.
 */
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import type { Tier } from '@daxel/core/recipe/recipe';
import { withValue } from '@daxel/core/recipe/recipe';
import type { SettingValue } from '@daxel/core/recipe/settings';
import { api, ApiError } from '../api/client';
import { alike, mergeEdits, withTheirs, type EditConflict } from './mergeEdits';
import { useNotices } from './notices';
import { dropPending, editOf, keepPending, pendingOf, pendingShots } from './pendingEdits';
import { useProjects } from './projects';
import { changedSince, stateOf, type State } from './shotState';
import { keepSteps, stepsOf } from './undoShelf';

interface Step {
  state: State;
  /** Changes under one key in quick succession are one step. */
  key: string;
  at: number;
}

/** Values that were changed here and elsewhere, each in its own way: the artist says which stands. */
export interface Asked {
  conflicts: EditConflict[];
  mine: State;
  theirs: State;
}

const SAVE_MS = 400;
const SAME_STEP_MS = 1200;
const STEPS_KEPT = 200;
/** Until the next try when the server is away. */
const AGAIN_MS = 4000;

export const useDocument = defineStore('document', () => {
  const notices = useNotices();
  const projects = useProjects();
  const shot = ref<Shot | null>(null);
  const undoSteps = ref<Step[]>([]);
  const redoSteps = ref<State[]>([]);
  const saving = ref<'saved' | 'waiting' | 'failed' | 'asking'>('saved');
  /** Other shots with edits that the server does not have. */
  const elsewhere = ref(0);
  const asked = ref<Asked | null>(null);
  /** What the server has: only what differs from it is sent. */
  let kept: State | null = null;
  let timer: ReturnType<typeof setTimeout> | undefined;
  /** The shot that is being saved, and whether others are. */
  let busy: string | null = null;
  let busyElsewhere = false;
  /** What was sent of the shot without an answer: it may have arrived. */
  let unanswered: Partial<State>[] = [];

  const recipe = computed(() => shot.value?.recipe ?? null);
  const patches = computed(() => shot.value?.patches ?? []);

  async function open(next: Shot): Promise<void> {
    if (shot.value?.id === next.id) return;
    await save();
    leave();
    shot.value = structuredClone(JSON.parse(JSON.stringify(next)) as Shot);
    kept = stateOf(shot.value);
    asked.value = null;
    unanswered = [];
    saving.value = 'saved';
    const pending = pendingOf(next.id);
    if (pending) takeUp(...editOf(kept, pending));
    const steps = stepsOf<State>(next.id);
    const stands = steps && alike(steps.now, stateOf(shot.value));
    undoSteps.value = stands ? steps.undo.map((state) => ({ state, key: '', at: 0 })) : [];
    redoSteps.value = stands ? steps.redo : [];
    void sendOthers();
  }

  /** Keeps what can be undone, before the page or the shot is left. */
  function leave(): void {
    const current = shot.value;
    if (current)
      keepSteps(current.id, {
        now: stateOf(current),
        undo: undoSteps.value.map((s) => s.state),
        redo: redoSteps.value,
      });
  }

  /**
   * Puts an edit on top of what the server has now.
   * @param before what it began from @param mine what it made of it
   */
  function takeUp(before: State, mine: State): void {
    const current = shot.value;
    if (!current || !kept) return;
    const { merged, conflicts } = mergeEdits(before, mine, kept);
    shot.value = { ...current, ...merged };
    if (conflicts.length > 0) {
      asked.value = { conflicts, mine: merged, theirs: withTheirs(merged, conflicts) };
      saving.value = 'asking';
    } else if (alike(merged, kept)) {
      saving.value = 'saved';
      dropPending(current.id);
    } else later(SAVE_MS);
  }

  /** The artist's answer. */
  function answer(side: 'mine' | 'theirs'): void {
    const question = asked.value;
    if (!question) return;
    asked.value = null;
    apply(question[side]);
  }

  function later(ms: number): void {
    saving.value = 'waiting';
    clearTimeout(timer);
    timer = setTimeout(() => void save(), ms);
  }

  /** @param key names the kind of change, so that a drag becomes one step */
  function change(next: Partial<State>, key: string): void {
    const current = shot.value;
    if (!current) return;
    const last = undoSteps.value.at(-1);
    const now = performance.now();
    const continues = last && last.key === key && now - last.at < SAME_STEP_MS && redoSteps.value.length === 0;
    if (continues) last.at = now;
    else {
      undoSteps.value.push({ state: stateOf(current), key, at: now });
      if (undoSteps.value.length > STEPS_KEPT) undoSteps.value.shift();
    }
    redoSteps.value = [];
    apply(next);
  }
  function setValue(tier: Tier, id: string, value: SettingValue | undefined): void {
    if (!shot.value) return;
    change({ recipe: withValue(shot.value.recipe, tier, id, value) }, `${tier} ${id}`);
  }
  function undo(): void {
    const step = undoSteps.value.pop();
    if (!step || !shot.value) return;
    redoSteps.value.push(stateOf(shot.value));
    apply(step.state);
  }
  function redo(): void {
    const state = redoSteps.value.pop();
    if (!state || !shot.value) return;
    undoSteps.value.push({ state: stateOf(shot.value), key: '', at: 0 });
    apply(state);
  }
  function apply(next: Partial<State>): void {
    if (!shot.value) return;
    shot.value = { ...shot.value, ...next };
    notePending();
    if (!asked.value) later(SAVE_MS);
  }
  /** Writes down what the server does not have. */
  function notePending(): void {
    const current = shot.value;
    if (!current || !kept) return;
    const now = changedSince(kept, stateOf(current));
    const before = Object.fromEntries(Object.keys(now).map((k) => [k, kept![k as keyof State]])) as Partial<State>;
    keepPending(current.id, { before, now });
  }
  async function save(): Promise<void> {
    clearTimeout(timer);
    const current = shot.value;
    if (!current || saving.value === 'saved' || saving.value === 'asking' || busy !== null) return;
    busy = current.id;
    try {
      const sent = changedSince(kept, stateOf(current));
      unanswered.push(sent);
      const saved = await api.changeShot(current.id, { version: current.version, ...sent });
      projects.put(saved);
      if (shot.value?.id === saved.id) {
        unanswered = [];
        kept = stateOf(current);
        const changedMeanwhile = shot.value !== current;
        shot.value = { ...shot.value, version: saved.version };
        if (changedMeanwhile) {
          notePending();
          later(SAVE_MS);
        } else {
          dropPending(saved.id);
          saving.value = 'saved';
        }
      } else settle(saved.id, sent);
    } catch (error) {
      // of a shot that was left it waits with those of the others
      if (shot.value?.id !== current.id) return;
      saving.value = 'failed';
      if (error instanceof ApiError && error.status === 409) await afterConflict(current, error);
      else if (error instanceof ApiError && error.status === 400) refuse(error);
      else {
        notices.flag(error);
        timer = setTimeout(() => void save(), AGAIN_MS);
      }
    } finally {
      busy = null;
    }
    if (saving.value !== 'failed') void sendOthers();
  }
  /** A shot that was left while it was saved: what was edited after that began is waiting still. */
  function settle(id: string, sent: Partial<State>): void {
    const pending = pendingOf(id);
    if (!pending) return;
    if (alike(pending.now, sent)) dropPending(id);
    else keepPending(id, { before: { ...pending.before, ...sent }, now: pending.now });
  }
  /** The edit cannot be: what the server has stands. */
  function refuse(error: ApiError): void {
    if (!shot.value || !kept) return;
    shot.value = { ...shot.value, ...kept };
    saving.value = 'saved';
    dropPending(shot.value.id);
    notices.flag(error);
  }
  /** Takes up the server's state under the edit; an edit that the server refuses as such is taken back. */
  async function afterConflict(current: Shot, error: ApiError): Promise<void> {
    await projects.load();
    const fresh = projects.find(current.id)?.shot;
    if (!fresh || shot.value?.id !== current.id || !kept) return;
    const before = { ...kept };
    // an answer that was lost is no change of somebody else
    for (const [k, v] of unanswered.flatMap((sent) => Object.entries(sent)))
      if (alike(fresh[k as keyof State], v)) Object.assign(before, { [k]: v });
    unanswered = [];
    const mine = stateOf(shot.value);
    kept = stateOf(fresh);
    shot.value = fresh;
    if (fresh.version === current.version) return refuse(error);
    takeUp(before, mine);
    if (!asked.value) notices.say('This shot was changed elsewhere too; both changes are kept.');
  }
  /** Sends what other shots have waiting, one after another; what conflicts waits until its shot is opened. */
  async function sendOthers(): Promise<void> {
    if (busyElsewhere) return;
    busyElsewhere = true;
    try {
      await sendPending(pendingShots().filter((id) => id !== shot.value?.id && id !== busy));
    } finally {
      busyElsewhere = false;
    }
    elsewhere.value = pendingShots().filter((id) => id !== shot.value?.id && projects.find(id)).length;
  }
  async function sendPending(ids: readonly string[]): Promise<void> {
    for (const id of ids) {
      const there = projects.find(id)?.shot;
      const pending = pendingOf(id);
      if (!there || !pending) continue;
      const state = stateOf(there);
      const { merged, conflicts } = mergeEdits(...editOf(state, pending), state);
      if (conflicts.length > 0) continue;
      const change = Object.fromEntries(Object.entries(merged).filter(([k, v]) => !alike(v, state[k as keyof State])));
      try {
        if (Object.keys(change).length > 0)
          projects.put(await api.changeShot(id, { version: there.version, ...change }));
        settle(id, pending.now);
      } catch (error) {
        if (error instanceof ApiError && error.status === 409) await projects.load().catch(() => undefined);
        else if (!(error instanceof ApiError) || error.status === 0) return;
      }
    }
  }
  if (typeof window !== 'undefined')
    window.addEventListener('pagehide', () => {
      leave();
      void save();
    });
  return {
    shot,
    recipe,
    patches,
    saving,
    savingText: computed(() => {
      const own = { saved: 'Saved', waiting: 'Saving…', failed: 'Not saved yet', asking: 'Not saved yet' }[
        saving.value
      ];
      return elsewhere.value > 0
        ? `${own}; ${elsewhere.value} other ${elsewhere.value === 1 ? 'shot' : 'shots'} not saved yet`
        : own;
    }),
    asked,
    answer,
    sendOthers,
    canUndo: computed(() => undoSteps.value.length > 0),
    canRedo: computed(() => redoSteps.value.length > 0),
    open,
    leave,
    change,
    setValue,
    undo,
    redo,
    save,
  };
});
