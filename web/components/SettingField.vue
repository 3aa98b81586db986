<script setup lang="ts">
/** One value of one tier: typed, dragged, stepped by arrows, or chosen. */
import { computed, ref } from 'vue';
import { checkValue, readNumber, type Tier } from '@daxel/core/recipe/recipe';
import { rangeLabel, type NumberSetting, type Setting, type SettingValue } from '@daxel/core/recipe/settings';
import { valueLabel } from '@daxel/core/plan/wedge';
import { dragged, stepped } from '../composables/stepping';

const props = defineProps<{
  setting: Setting;
  tier: Tier;
  value: SettingValue;
  origin: 'own' | 'inherited' | 'initial';
}>();
const emit = defineEmits<{ change: [value: SettingValue] }>();

const draft = ref<string | null>(null);
const problem = ref<string | null>(null);
const name = computed(() => `${props.setting.label}, ${props.tier}`);
const number = computed(() =>
  props.setting.kind === 'number' || props.setting.kind === 'integer' ? props.setting : null,
);
const shown = computed(() => draft.value ?? valueLabel(props.setting.id, props.value));
const hint = computed(() => {
  const from = { own: 'Set here', inherited: 'Inherited from the other tier', initial: 'Initial value' }[props.origin];
  return number.value
    ? `${rangeLabel(number.value)} ${number.value.unit}. ${from}. Drag, arrow keys or type.`
    : `${from}.`;
});

function put(value: unknown): void {
  try {
    const checked = checkValue(props.setting.id, value);
    problem.value = null;
    draft.value = null;
    if (checked !== props.value || props.origin !== 'own') emit('change', checked);
  } catch (error) {
    problem.value = (error as Error).message.replace(`${props.setting.id} takes`, 'Takes');
  }
}
function keep(): void {
  if (draft.value === null) return;
  put(readNumber(number.value!, draft.value.replace(',', '.')));
}
function key(event: KeyboardEvent, s: NumberSetting): void {
  if (event.key === 'Enter') return keep();
  if (event.key === 'Escape') {
    draft.value = problem.value = null;
    (event.target as HTMLInputElement).blur();
    return;
  }
  if (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') return;
  event.preventDefault();
  put(stepped(s, readNumber(s, shown.value), event.key === 'ArrowUp' ? 1 : -1, event.shiftKey ? 10 : 1));
}

let hand: { x: number; start: number; moved: boolean } | null = null;
function down(event: PointerEvent): void {
  const field = event.currentTarget as HTMLInputElement;
  if (document.activeElement === field) return;
  field.setPointerCapture(event.pointerId);
  hand = { x: event.clientX, start: props.value as number, moved: false };
}
function moved(event: PointerEvent, s: NumberSetting): void {
  if (!hand) return;
  const dx = event.clientX - hand.x;
  if (!hand.moved && Math.abs(dx) < 4) return;
  hand.moved = true;
  (event.currentTarget as HTMLInputElement).blur();
  put(dragged(s, hand.start, dx));
}
function up(): void {
  hand = null;
}
</script>

<template>
  <div class="cell">
    <input
      v-if="number"
      data-field
      :value="shown"
      :aria-label="name"
      :aria-invalid="problem !== null"
      :class="[origin, { wrong: problem }]"
      :title="hint"
      inputmode="decimal"
      @input="draft = ($event.target as HTMLInputElement).value"
      @keydown="key($event, number)"
      @blur="keep"
      @pointerdown="down"
      @pointermove="moved($event, number)"
      @pointerup="up"
      @pointercancel="up"
    />
    <select
      v-else-if="setting.kind === 'choice'"
      data-field
      :value="value"
      :aria-label="name"
      :class="origin"
      :title="`${valueLabel(setting.id, value)}. ${hint}`"
      @change="put(($event.target as HTMLSelectElement).value)"
    >
      <option v-for="c in setting.choices" :key="c.value" :value="c.value">{{ c.label }}</option>
    </select>
    <button
      v-else
      data-field
      role="switch"
      :aria-checked="value === true"
      :aria-label="name"
      class="switch"
      :class="origin"
      :title="hint"
      @click="put(!value)"
    >
      {{ value ? 'on' : 'off' }}
    </button>
    <p v-if="problem" class="flag problem" role="alert">{{ problem }}</p>
  </div>
</template>

<style scoped>
.cell {
  position: relative;
  text-align: right;
  min-width: 0;
  height: 24px;
}
input,
select,
.switch {
  width: 100%;
  height: 24px;
  padding: 0 6px;
  text-align: right;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
  font-variant-numeric: tabular-nums;
}
input {
  cursor: ew-resize;
}
input:focus {
  cursor: text;
}
select {
  appearance: none;
  text-overflow: ellipsis;
  text-align-last: right;
  font-stretch: 85%;
}
select option {
  background: var(--sheet);
  color: var(--ink);
}
.inherited,
.initial {
  border-style: dashed;
  color: var(--quiet);
  background: transparent;
}
.wrong {
  border-color: var(--flag);
}
.problem {
  position: absolute;
  right: 0;
  top: 26px;
  z-index: 3;
  width: 190px;
  padding: 4px 8px;
  text-align: left;
  font-size: 12px;
  background: var(--sheet);
  border: 1px solid var(--flag);
  border-radius: 4px;
}
</style>
