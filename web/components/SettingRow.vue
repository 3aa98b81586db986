<script setup lang="ts">
/** One setting on one line: its name and unit, Draft and Final. */
import { valueOrigin, type Recipe, type ResolvedRecipe, type Tier } from '@daxel/core/recipe/recipe';
import type { Setting, SettingValue } from '@daxel/core/recipe/settings';
import SettingField from './SettingField.vue';

defineProps<{
  setting: Setting;
  recipe: Recipe;
  resolved: Record<Tier, ResolvedRecipe>;
  chosen: boolean;
  changed: boolean;
  /** It changes nothing now. */
  idle: boolean;
}>();
const emit = defineEmits<{ choose: []; change: [tier: Tier, value: SettingValue] }>();
const TIERS: readonly Tier[] = ['draft', 'final'];
</script>

<template>
  <div class="row" :class="{ chosen, idle }" :data-setting="setting.id" @focusin="emit('choose')">
    <button class="label" :aria-pressed="chosen" :title="setting.does" @click="emit('choose')">
      <span class="mark" :class="{ changed }"><span v-if="changed" class="visually-hidden">changed: </span></span>
      <span class="name narrow">{{ setting.label }}</span>
      <span v-if="setting.kind === 'number' || setting.kind === 'integer'" class="unit narrow">{{ setting.unit }}</span>
    </button>
    <SettingField
      v-for="tier in TIERS"
      :key="tier"
      :setting="setting"
      :tier="tier"
      :value="resolved[tier][setting.id]"
      :origin="valueOrigin(recipe, tier, setting.id)"
      @change="(value) => emit('change', tier, value)"
    />
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 1fr 70px 70px;
  gap: 6px;
  align-items: center;
  padding: 1px 12px 1px 4px;
  border-bottom: 1px solid var(--line);
}
.row.chosen {
  background: rgba(var(--v-theme-primary), 0.14);
}
.label {
  display: flex;
  /* a unit that does not fit goes to a second line, which is not shown: half a word is no unit */
  flex-wrap: wrap;
  height: 18px;
  overflow: hidden;
  gap: 0 5px;
  min-width: 0;
  text-align: left;
  white-space: nowrap;
}
.name {
  font-weight: 550;
  max-width: calc(100% - 10px);
  overflow: hidden;
  text-overflow: ellipsis;
}
.unit {
  color: var(--quiet);
  font-size: 12px;
  line-height: 18px;
}
.idle .name {
  font-weight: 400;
  color: var(--quiet);
}
/* a bar at the edge of what is not as in a new recipe */
.mark {
  height: 18px;
  flex: none;
  width: 3px;
  margin-right: 2px;
}
.mark.changed {
  background: var(--ink);
}
</style>
