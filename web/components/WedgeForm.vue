<script setup lang="ts">
/** What a wedge varies, against what it is measured, and what it will cost. */
import { computed, ref, watch } from 'vue';
import type { Patch, Still } from '@daxel/api/schemas';
import type { z } from 'zod';
import type { wedgeRequest } from '@daxel/api/schemas';
import { costOfSteps, framesOfSteps, readyWedges, sensitivitySteps, wedgeSteps } from '@daxel/core/plan/wedge';
import { resolveRecipe, type Recipe, type Tier } from '@daxel/core/recipe/recipe';
import { findSetting, SETTINGS, type SettingValue } from '@daxel/core/recipe/settings';
import { formatDate } from '../composables/format';

const props = defineProps<{ recipe: Recipe; patches: readonly Patch[]; stills: readonly Still[]; busy: boolean }>();
const emit = defineEmits<{ start: [request: z.input<typeof wedgeRequest>] }>();

const tier = ref<Tier>('draft');
const resolved = computed(() => resolveRecipe(props.recipe, tier.value));
const ready = computed(() => readyWedges(resolved.value));
const chosen = ref('samples');
const first = ref({ id: 'samples.pixel', text: '1, 2, 4, 8, 16, 32' });
const second = ref({ id: '', text: '' });
const reference = ref('last');
const patchesOnly = ref(false);
const flicker = ref(false);
const moving = computed(() => flicker.value && !patchesOnly.value);
/** Both settings are stepped together. */
const pairs = ref(false);
const settings = computed(() => SETTINGS.filter((s) => s.matters?.(resolved.value) ?? true));

function take(id: string): void {
  const found = ready.value.find((w) => w.id === id);
  if (!found) return;
  chosen.value = id;
  const [a, b] = found.axes;
  first.value = { id: a.id, text: a.values.join(', ') };
  second.value = b ? { id: b.id, text: b.values.join(', ') } : { id: '', text: '' };
  pairs.value = found.pairs ?? false;
  flicker.value = found.flicker ?? false;
}
watch(tier, () => {
  if (!ready.value.some((w) => w.id === chosen.value)) take(ready.value[0].id);
});

/** Values as they are typed: numbers, words of a choice, on and off. */
function valuesOf(id: string, text: string): SettingValue[] {
  const setting = findSetting(id);
  return text
    .split(/[,;]\s*|\s+/)
    .filter((t) => t !== '')
    .map((t) => (setting?.kind === 'choice' ? t : setting?.kind === 'switch' ? t === 'on' || t === 'true' : Number(t)));
}
const axes = computed(() =>
  [first.value, second.value].filter((a) => a.id !== '').map((a) => ({ id: a.id, values: valuesOf(a.id, a.text) })),
);
const plan = computed(() => {
  try {
    const steps = wedgeSteps(axes.value, pairs.value);
    const frames = framesOfSteps(steps, pairs.value, moving.value);
    return { count: steps.length, cost: costOfSteps(resolved.value, steps, frames), problem: null };
  } catch (error) {
    return { count: 0, cost: 0, problem: (error as Error).message };
  }
});
const fitting = computed(() =>
  props.stills.filter(
    (s) =>
      s.state === 'done' && s.width === resolved.value['output.width'] && s.height === resolved.value['output.height'],
  ),
);
const notches = computed(() => sensitivitySteps(resolved.value, null).length);
const PATH_SAMPLES = 64;
/** @param quick of a sensitivity run: on the patches alone */
function request(kind: 'wedge' | 'sensitivity', quick = false): z.input<typeof wedgeRequest> {
  const ref = reference.value;
  const name =
    kind === 'sensitivity'
      ? `Sensitivity, ${tier.value}${quick && props.patches.length > 0 ? ', patches' : ''}`
      : axes.value.map((a) => findSetting(a.id)?.label ?? a.id).join(' × ');
  return {
    kind,
    tier: tier.value,
    name,
    axes: kind === 'sensitivity' ? [] : axes.value,
    pairs: kind === 'wedge' && axes.value.length > 1 && pairs.value,
    reference:
      kind === 'sensitivity' || ref === 'last'
        ? { kind: 'last' }
        : ref === 'path'
          ? { kind: 'path', samples: PATH_SAMPLES }
          : { kind: 'still', stillId: ref },
    patchesOnly: (kind === 'sensitivity' ? quick : patchesOnly.value) && props.patches.length > 0,
    flicker: kind === 'wedge' && moving.value,
  };
}
</script>

<template>
  <section class="form" aria-label="New wedge">
    <h2>New wedge</h2>
    <label
      >Tier
      <select v-model="tier" aria-label="Tier">
        <option value="draft">Draft</option>
        <option value="final">Final</option>
      </select></label
    >
    <div class="ready" role="group" aria-label="Ready wedges">
      <button v-for="w in ready" :key="w.id" :aria-pressed="chosen === w.id" :title="w.asks" @click="take(w.id)">
        {{ w.label }}<span class="quiet narrow">{{ w.asks }}</span>
      </button>
    </div>
    <div v-for="(axis, i) in [first, second]" :key="i" class="axis">
      <select v-model="axis.id" :aria-label="i === 0 ? 'Setting' : 'Second setting'" @change="chosen = ''">
        <option v-if="i === 1" value="">no second setting</option>
        <option v-for="s in settings" :key="s.id" :value="s.id">{{ s.label }}</option>
      </select>
      <input
        v-if="axis.id"
        v-model="axis.text"
        :aria-label="i === 0 ? 'Steps' : 'Steps of the second setting'"
        @input="chosen = ''"
      />
    </div>
    <label v-if="axes.length > 1" class="check"
      ><input v-model="pairs" type="checkbox" /> step both together <span class="quiet">(first with first)</span></label
    >
    <label
      >Against
      <select v-model="reference" aria-label="Reference">
        <option value="last">its last step</option>
        <option value="path">path traced, {{ PATH_SAMPLES }} samples</option>
        <option v-for="s in fitting" :key="s.id" :value="s.id">
          still {{ s.recipe.name }} {{ s.tier }}, {{ formatDate(s.finishedAt ?? s.createdAt) }}
        </option>
      </select></label
    >
    <label class="check"
      ><input v-model="patchesOnly" type="checkbox" :disabled="patches.length === 0" /> render the patches only
      <span class="quiet">({{ patches.length }})</span></label
    >
    <label class="check"
      ><input v-model="flicker" type="checkbox" :disabled="patchesOnly" /> flicker too
      <span class="quiet">(renders the frames around)</span></label
    >
    <p v-if="plan.problem" class="flag narrow" role="alert">{{ plan.problem }}</p>
    <p v-else class="quiet narrow">
      {{ plan.count }} steps, about {{ plan.cost < 10 ? plan.cost.toFixed(1) : Math.round(plan.cost) }} × the time of
      the {{ tier }} picture
    </p>
    <v-btn
      size="small"
      class="strong"
      :disabled="plan.problem !== null || busy"
      @click="emit('start', request('wedge'))"
      >Render the wedge</v-btn
    >
    <h2>Sensitivity</h2>
    <p class="quiet narrow">
      Every setting that can matter here one notch down and up: what each costs and changes, and what to lower first. At
      most {{ notches }} notches, each beside the recipe as it is.
    </p>
    <div class="runs">
      <v-btn
        v-if="patches.length > 0"
        size="small"
        class="strong"
        :disabled="busy"
        @click="emit('start', request('sensitivity', true))"
        >Run for {{ tier }} on the patches</v-btn
      >
      <v-btn size="small" :disabled="busy" @click="emit('start', request('sensitivity'))">{{
        patches.length > 0 ? 'Whole picture, slower' : `Run for ${tier}`
      }}</v-btn>
    </div>
  </section>
</template>

<style scoped>
.form {
  display: flex;
  flex-direction: column;
  gap: 7px;
  padding: 10px 12px;
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.ready {
  display: flex;
  flex-direction: column;
  gap: 3px;
}
.ready button {
  text-align: left;
  padding: 3px 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
}
.ready button span {
  display: block;
  font-size: 12px;
}
.ready [aria-pressed='true'] {
  border-color: var(--accent);
  box-shadow: inset 2px 0 0 var(--accent);
}
.axis {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px;
}
select,
input:not([type='checkbox']) {
  min-width: 0;
  height: 26px;
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
  flex: 1;
  appearance: none;
  text-overflow: ellipsis;
}
option {
  background: var(--sheet);
  color: var(--ink);
}
.check input {
  accent-color: #0b7a75;
}
.runs {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.v-btn {
  align-self: flex-start;
}
h2:not(:first-child) {
  margin-top: 10px;
}
</style>
