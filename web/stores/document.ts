/** The shot being worked on: its recipe and patches with undo and redo, saved a moment after each change. */
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { Patch, Shot, StoredRig } from '@daxel/api/schemas';
import type { Recipe, Tier } from '@daxel/core/recipe/recipe';
import { withValue } from '@daxel/core/recipe/recipe';
import type { SettingValue } from '@daxel/core/recipe/settings';
import { api, ApiError } from '../api/client';
import { useNotices } from './notices';
import { useProjects } from './projects';

interface State {
  recipe: Recipe;
  patches: Patch[];
  rigs: StoredRig[];
  rigId: string | null;
  optics: Shot['optics'];
  take: Shot['take'];
  path: Shot['path'];
  frame: number;
  firstFrame: number;
  lastFrame: number;
  rate: number;
  handles: number;
}
interface Step {
  state: State;
  /** Changes under one key in quick succession are one step. */
  key: string;
  at: number;
}

const SAVE_MS = 400;
const SAME_STEP_MS = 1200;
const STEPS_KEPT = 200;

export const useDocument = defineStore('document', () => {
  const notices = useNotices();
  const projects = useProjects();
  const shot = ref<Shot | null>(null);
  const undoSteps = ref<Step[]>([]);
  const redoSteps = ref<State[]>([]);
  const saving = ref<'saved' | 'waiting' | 'failed'>('saved');
  /** What the server has: only what differs from it is sent. */
  let kept: State | null = null;
  let timer: ReturnType<typeof setTimeout> | undefined;
  let busy = false;

  const recipe = computed(() => shot.value?.recipe ?? null);
  const patches = computed(() => shot.value?.patches ?? []);

  async function open(next: Shot): Promise<void> {
    if (shot.value?.id === next.id) return;
    await save();
    shot.value = structuredClone(JSON.parse(JSON.stringify(next)) as Shot);
    kept = stateOf(shot.value);
    undoSteps.value = [];
    redoSteps.value = [];
    saving.value = 'saved';
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
    saving.value = 'waiting';
    clearTimeout(timer);
    timer = setTimeout(() => void save(), SAVE_MS);
  }
  async function save(): Promise<void> {
    clearTimeout(timer);
    const current = shot.value;
    if (!current || saving.value === 'saved' || busy) return;
    busy = true;
    try {
      const saved = await api.changeShot(current.id, {
        version: current.version,
        ...changedSince(kept, stateOf(current)),
      });
      kept = stateOf(current);
      projects.put(saved);
      if (shot.value?.id === saved.id) {
        const changedMeanwhile = shot.value !== current;
        shot.value = { ...shot.value, version: saved.version };
        saving.value = changedMeanwhile ? 'waiting' : 'saved';
        if (changedMeanwhile) timer = setTimeout(() => void save(), SAVE_MS);
      }
    } catch (error) {
      notices.flag(error);
      saving.value = 'failed';
      if (error instanceof ApiError && error.status === 409) {
        await projects.load();
        const fresh = projects.find(current.id)?.shot;
        if (fresh) {
          shot.value = fresh;
          kept = stateOf(fresh);
          saving.value = 'saved';
        }
      } else {
        timer = setTimeout(() => void save(), 4000);
      }
    } finally {
      busy = false;
    }
  }
  const stateOf = (s: Shot): State => ({
    recipe: s.recipe,
    patches: s.patches,
    rigs: s.rigs,
    rigId: s.rigId,
    optics: s.optics,
    take: s.take,
    path: s.path,
    frame: s.frame,
    firstFrame: s.firstFrame,
    lastFrame: s.lastFrame,
    rate: s.rate,
    handles: s.handles,
  });
  return {
    shot,
    recipe,
    patches,
    saving,
    canUndo: computed(() => undoSteps.value.length > 0),
    canRedo: computed(() => redoSteps.value.length > 0),
    open,
    change,
    setValue,
    undo,
    redo,
    save,
  };
});

/** The parts that are not what they were: every edit makes a new object of the part it changes. */
function changedSince(before: State | null, now: State): Partial<State> {
  const parts = (Object.keys(now) as (keyof State)[]).filter((k) => !before || before[k] !== now[k]);
  return Object.fromEntries(parts.map((k) => [k, now[k]])) as Partial<State>;
}
