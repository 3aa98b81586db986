<script setup lang="ts">
/** What one setting does, what to look for, what it costs here, and where its values come from. */
import { computed } from 'vue';
import { valueOrigin, type Recipe, type Tier } from '@daxel/core/recipe/recipe';
import { rangeLabel, type Setting, type SettingValue } from '@daxel/core/recipe/settings';
import { valueLabel } from '@daxel/core/plan/wedge';

const props = defineProps<{
  setting: Setting;
  recipe: Recipe;
  /** Why it changes nothing now, or null. */
  idle: string | null;
  /** Price and effect as they were measured on this shot; empty where they were not. */
  measured: readonly string[];
  /** What an automatic choice came to. */
  chosenFor: string;
}>();
const emit = defineEmits<{ reset: [tier: Tier] }>();

const TIERS = [
  { id: 'draft', label: 'Draft', other: 'Final' },
  { id: 'final', label: 'Final', other: 'Draft' },
] as const;
const origins = computed(() =>
  TIERS.map((tier) => ({ ...tier, origin: valueOrigin(props.recipe, tier.id, props.setting.id) })),
);
const range = computed(() => {
  const s = props.setting;
  return s.kind === 'number' || s.kind === 'integer' ? `${rangeLabel(s)} ${s.unit}` : '';
});
const initial = (value: SettingValue): string => valueLabel(props.setting.id, value);
</script>

<template>
  <section class="note" :aria-label="`About ${setting.label}`">
    <h2>
      {{ setting.label }} <span v-if="range" class="quiet narrow range">{{ range }}</span>
    </h2>
    <p>{{ setting.does }}</p>
    <p v-if="idle" class="idle">{{ idle }}</p>
    <p><strong>Look for:</strong> {{ setting.lookFor }}</p>
    <p v-if="chosenFor" class="measured">{{ chosenFor }}</p>
    <template v-if="measured.length > 0">
      <p v-for="line in measured" :key="line" class="measured">{{ line }}</p>
    </template>
    <p v-else class="quiet">Price: {{ setting.cost }}</p>
    <p v-for="o in origins" :key="o.id" class="quiet">
      {{ o.label }}:
      <template v-if="o.origin === 'own'">
        set here
        <button class="act" :aria-label="`Reset ${setting.label}, ${o.id}`" @click="emit('reset', o.id)">reset</button>
      </template>
      <template v-else-if="o.origin === 'inherited'">as {{ o.other }}</template>
      <template v-else>initial, {{ initial(setting.initial) }}</template>
    </p>
  </section>
</template>

<style scoped>
.note {
  display: flex;
  flex-direction: column;
  gap: 3px;
  font-size: 13px;
  line-height: 1.3;
}
h2 {
  line-height: 1.2;
}
.range {
  font-size: 12px;
  font-weight: 400;
}
/* measured on this shot, where a rule of thumb stands otherwise */
.measured,
.act {
  color: var(--accent);
}
.idle {
  font-weight: 550;
}
</style>
