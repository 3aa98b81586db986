<script setup lang="ts">
/** The settings of one stage, a line each with Draft and Final; below, what the chosen one does, or an instrument of the stage. */
import { computed, nextTick, ref, watch } from 'vue';
import type { SceneFacts } from '@daxel/core/plan/sceneFacts';
import { resolveRecipe, type Recipe, type Tier } from '@daxel/core/recipe/recipe';
import { findSetting, STAGES, type Setting, type SettingValue, type StageId } from '@daxel/core/recipe/settings';
import { formatBytes, formatMs } from '../composables/format';
import { remembered } from '../composables/remembered';
import { SETTING_FILTERS, settingsOf, whyIdle, type SettingFilter } from '../composables/settingFilter';
import type { Figures } from '../composables/usePreview';
import SettingNote from './SettingNote.vue';
import SettingRow from './SettingRow.vue';

const props = defineProps<{
  stage: StageId;
  recipe: Recipe;
  figures: Figures | null;
  shown: Tier;
  facts: SceneFacts | null;
  /** Measured price and effect, lines by setting. */
  effects: Record<string, string[]>;
  /** Instruments of the stage, each a slot. */
  instruments: readonly { id: string; label: string }[];
}>();
const emit = defineEmits<{ change: [tier: Tier, id: string, value: SettingValue | undefined] }>();

const about = computed(() => STAGES.find((s) => s.id === props.stage) ?? STAGES[0]);
const filter = remembered(
  () => 'settings shown',
  (): SettingFilter => 'matters',
  (kept) => SETTING_FILTERS.some((f) => f.id === kept),
);
const chosenId = ref<string | null>(null);
const shownRecipe = computed(() => ({
  resolved: { draft: resolveRecipe(props.recipe, 'draft'), final: resolveRecipe(props.recipe, 'final') },
  facts: props.facts,
}));
const settings = computed(() => settingsOf(props.stage, shownRecipe.value));
/** The chosen one stays, whatever the filter: it would vanish under the hand that changes it. */
const rows = computed(() => {
  const passing = settings.value[filter.value];
  return settings.value.all.filter((s) => passing.includes(s) || s.id === chosenId.value);
});
const chosen = computed(() => rows.value.find((s) => s.id === chosenId.value) ?? rows.value[0] ?? null);
const none = computed(() => SETTING_FILTERS.find((f) => f.id === filter.value)!.none);

const ABOUT = 'about';
const tab = ref<string>(ABOUT);
watch(
  () => props.stage,
  (stage) => {
    tab.value = ABOUT;
    if (findSetting(chosenId.value ?? '')?.stage !== stage) chosenId.value = null;
  },
);

/** Shows a setting of this stage and gives it the focus. */
const list = ref<HTMLElement | null>(null);
async function goTo(id: string): Promise<void> {
  chosenId.value = id;
  tab.value = ABOUT;
  await nextTick();
  const row = list.value?.querySelector(`[data-setting="${id}"]`);
  row?.scrollIntoView({ block: 'nearest' });
  const fields = row?.querySelectorAll<HTMLElement>('[data-field]');
  fields?.[props.shown === 'draft' ? 0 : 1]?.focus();
}
defineExpose({ goTo });

const price = computed(() => {
  const seconds = props.figures?.seconds[props.stage];
  const bytes = props.figures?.bytes[props.stage];
  return [seconds === undefined ? '' : formatMs(seconds), bytes ? formatBytes(bytes) : ''].filter(Boolean).join(' · ');
});
/** What an automatic choice came to in the picture that is shown, and what voxels did. */
const chosenFor = (s: Setting): string => {
  const { figures } = props;
  const found = {
    'shadows.lightSamples': figures?.softness,
    'bounce.probeSpacing': figures?.probes,
  }[s.id];
  if (s.id === 'bounce.voxelResolution') return figures?.voxels ?? '';
  return shownRecipe.value.resolved[props.shown][s.id] === 0 ? (found ?? '') : '';
};
</script>

<template>
  <aside class="panel" :aria-label="`${about.label} settings`">
    <header>
      <h1>{{ about.label }}</h1>
      <span class="quiet">{{ price }}</span>
    </header>
    <div class="filters" role="radiogroup" aria-label="Settings that are shown">
      <button
        v-for="f in SETTING_FILTERS"
        :key="f.id"
        role="radio"
        :aria-checked="filter === f.id"
        @click="filter = f.id"
      >
        {{ f.label }} <span class="narrow">{{ settings[f.id].length }}</span>
      </button>
    </div>
    <div class="heads narrow">
      <span />
      <span :class="{ here: shown === 'draft' }">Draft</span>
      <span :class="{ here: shown === 'final' }">Final</span>
    </div>
    <div ref="list" class="rows">
      <SettingRow
        v-for="s in rows"
        :key="s.id"
        :setting="s"
        :recipe="recipe"
        :resolved="shownRecipe.resolved"
        :chosen="s.id === chosen?.id"
        :changed="settings.changed.includes(s)"
        :idle="!settings.matters.includes(s)"
        @choose="chosenId = s.id"
        @change="(tier, value) => emit('change', tier, s.id, value)"
      />
      <p v-if="rows.length === 0" class="quiet none">{{ none }}</p>
    </div>
    <div class="below" :class="{ measures: tab !== ABOUT }">
      <div v-if="instruments.length > 0" class="tabs" role="tablist" aria-label="About this stage">
        <button role="tab" :aria-selected="tab === ABOUT" @click="tab = ABOUT">This setting</button>
        <button v-for="i in instruments" :key="i.id" role="tab" :aria-selected="tab === i.id" @click="tab = i.id">
          {{ i.label }}
        </button>
      </div>
      <div v-if="tab === ABOUT" class="about">
        <SettingNote
          v-if="chosen"
          :setting="chosen"
          :recipe="recipe"
          :idle="whyIdle(chosen, shownRecipe)"
          :measured="effects[chosen.id] ?? []"
          :chosen-for="chosenFor(chosen)"
          @reset="(tier) => emit('change', tier, chosen!.id, undefined)"
        />
        <p v-else class="quiet">{{ about.does }}</p>
      </div>
      <slot v-else :name="tab" />
    </div>
  </aside>
</template>

<style scoped>
.panel {
  width: 304px;
  flex: none;
  border-left: 1px solid var(--line);
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding: 8px 0 0;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 0 12px;
}
.filters,
.tabs {
  flex: none;
  display: flex;
  gap: 14px;
  padding: 2px 12px;
}
.filters button,
.tabs button {
  color: var(--quiet);
  border-bottom: 2px solid transparent;
}
.filters [aria-checked='true'],
.tabs [aria-selected='true'] {
  color: var(--ink);
  font-weight: 600;
  border-bottom-color: var(--accent);
}
.heads {
  display: grid;
  grid-template-columns: 1fr 70px 70px;
  gap: 6px;
  padding: 0 12px 2px;
  border-bottom: 1px solid var(--line);
  color: var(--quiet);
  text-align: right;
}
.heads .here {
  color: var(--ink);
  font-weight: 650;
}
.rows {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
}
.none {
  padding: 10px 12px;
}
/* as high for every setting, so that the list does not jump while one goes through it */
.below {
  flex: none;
  height: 214px;
  display: flex;
  flex-direction: column;
  border-top: 1px solid var(--line);
}
/* tables need more room than words */
.below.measures {
  height: 46%;
}
.about {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  padding: 8px 12px;
}
</style>
