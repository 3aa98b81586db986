<script setup lang="ts">
/** The settings of one stage, Draft and Final side by side. */
import { computed, ref } from 'vue';
import { resolveRecipe, valueOrigin, type Recipe, type Tier } from '@daxel/core/recipe/recipe';
import {
  rangeLabel,
  SETTINGS,
  STAGES,
  type Setting,
  type SettingValue,
  type StageId,
} from '@daxel/core/recipe/settings';
import { formatBytes, formatMs } from '../composables/format';
import type { Figures } from '../composables/usePreview';
import SettingField from './SettingField.vue';

const props = defineProps<{
  stage: StageId;
  recipe: Recipe;
  figures: Figures | null;
  shown: Tier;
  /** Measured price and effect, lines by setting. */ effects?: Record<string, string[]>;
}>();
const emit = defineEmits<{ change: [tier: Tier, id: string, value: SettingValue | undefined]; close: [] }>();

const TIERS: readonly Tier[] = ['draft', 'final'];
const about = computed(() => STAGES.find((s) => s.id === props.stage) ?? STAGES[0]);
/** Of a stage with many settings only those that change something in either tier are shown, until all are asked for. */
const all = ref(false);
const ofStage = computed(() => SETTINGS.filter((s) => s.stage === props.stage));
const matters = (s: Setting): boolean => TIERS.some((tier) => s.matters?.(resolved.value[tier]) ?? true);
const settings = computed(() => ofStage.value.filter((s) => all.value || matters(s)));
const hidden = computed(() => ofStage.value.length - ofStage.value.filter(matters).length);
const resolved = computed(() => ({
  draft: resolveRecipe(props.recipe, 'draft'),
  final: resolveRecipe(props.recipe, 'final'),
}));
const price = computed(() => {
  const seconds = props.figures?.seconds[props.stage];
  const bytes = props.figures?.bytes[props.stage];
  return [seconds === undefined ? '' : formatMs(seconds), bytes ? formatBytes(bytes) : ''].filter(Boolean).join(' · ');
});
/** What an automatic choice came to in the picture that is shown. */
const chosenFor = (s: Setting): string =>
  s.id === 'shadows.lightSamples' && resolved.value[props.shown][s.id] === 0 ? (props.figures?.softness ?? '') : '';
const unitOf = (s: Setting): string =>
  s.kind === 'number' || s.kind === 'integer' ? `${s.unit}, ${rangeLabel(s)}` : '';
</script>

<template>
  <aside class="panel" :aria-label="`${about.label} settings`">
    <header>
      <h1>{{ about.label }}</h1>
      <span class="quiet">{{ price }}</span>
    </header>
    <p class="quiet does">{{ about.does }}</p>
    <div class="heads narrow">
      <span>Setting</span>
      <span :class="{ here: shown === 'draft' }">Draft</span>
      <span :class="{ here: shown === 'final' }">Final</span>
    </div>
    <div class="rows">
      <div v-for="s in settings" :key="s.id" class="row" :data-setting="s.id">
        <div>
          <p class="label" :title="s.does">
            {{ s.label }} <span v-if="unitOf(s)" class="quiet narrow">{{ unitOf(s) }}</span>
          </p>
          <p class="look narrow"><span class="visually-hidden">Look for: </span>{{ s.lookFor }}</p>
          <p v-if="chosenFor(s)" class="narrow cost measured">{{ chosenFor(s) }}</p>
          <template v-if="effects?.[s.id]">
            <p v-for="line in effects[s.id]" :key="line" class="narrow cost measured">{{ line }}</p>
          </template>
          <p v-else class="quiet narrow cost">{{ s.cost }}</p>
        </div>
        <SettingField
          v-for="tier in TIERS"
          :key="tier"
          :setting="s"
          :tier="tier"
          :value="resolved[tier][s.id]"
          :origin="valueOrigin(recipe, tier, s.id)"
          @change="(value) => emit('change', tier, s.id, value)"
        />
      </div>
      <button v-if="hidden > 0" class="others" @click="all = !all">
        {{ all ? 'Hide what changes nothing now' : `${hidden} more that change nothing now` }}
      </button>
    </div>
    <slot />
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
  padding: 12px 0 0;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 0 14px;
}
.does {
  padding: 0 14px 6px;
}
.heads,
.row {
  display: grid;
  grid-template-columns: 1fr 72px 72px;
  gap: 8px;
  padding: 0 14px;
}
.heads {
  padding-bottom: 4px;
  border-bottom: 1px solid var(--line);
  color: var(--quiet);
}
.heads span:not(:first-child) {
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
.row {
  padding-top: 8px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--line);
}
.others {
  margin: 8px 14px;
  color: var(--accent);
}
/* measured on this shot, where a rule of thumb stands otherwise */
.measured {
  color: var(--accent);
}
.label {
  font-weight: 550;
}
.look,
.cost {
  font-size: 12px;
  line-height: 1.3;
}
</style>
