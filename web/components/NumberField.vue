<script setup lang="ts">
/** A number of a rig: typed, dragged or stepped by arrows; says its range when it is left. */
import { computed, ref } from 'vue';

const props = withDefaults(
  defineProps<{
    label: string;
    /** For assistive technology, where the label is not enough. */
    name?: string;
    modelValue: number;
    min: number;
    max: number;
    step?: number;
    unit?: string;
    /** A notch multiplies by this instead of adding a step. */
    factor?: number;
    disabled?: boolean;
  }>(),
  { name: '', step: 1, unit: '', factor: 0, disabled: false },
);
const emit = defineEmits<{ 'update:modelValue': [value: number] }>();
const typed = ref<string | null>(null);
const problem = ref<string | null>(null);
const PIXELS_PER_NOTCH = 6;

const shown = computed(() => typed.value ?? String(Number(props.modelValue.toPrecision(6))));
const hint = computed(() => `${props.min} to ${props.max} ${props.unit}. Drag, arrow keys or type.`);

function put(value: number): void {
  if (!(value >= props.min && value <= props.max)) {
    problem.value = `Takes a number from ${props.min} to ${props.max}`;
    return;
  }
  problem.value = typed.value = null;
  if (value !== props.modelValue) emit('update:modelValue', value);
}
function moved(from: number, notches: number): number {
  const next =
    props.factor > 0 && from !== 0
      ? Number((from * props.factor ** notches).toPrecision(4))
      : Number((Math.round((from + notches * props.step) / props.step) * props.step).toFixed(6));
  return Math.min(props.max, Math.max(props.min, next));
}
function keep(): void {
  if (typed.value === null) return;
  const text = typed.value.trim().replace(',', '.');
  put(text === '' ? NaN : Number(text));
}
function key(event: KeyboardEvent): void {
  if (event.key === 'Enter') return keep();
  if (event.key === 'Escape') {
    typed.value = problem.value = null;
    (event.target as HTMLInputElement).blur();
    return;
  }
  if (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') return;
  event.preventDefault();
  const times = event.shiftKey ? 10 : 1;
  put(moved(Number(shown.value) || 0, event.key === 'ArrowUp' ? times : -times));
}
let hand: { x: number; start: number } | null = null;
function down(event: PointerEvent): void {
  const field = event.currentTarget as HTMLInputElement;
  if (document.activeElement === field) return;
  field.setPointerCapture(event.pointerId);
  hand = { x: event.clientX, start: props.modelValue };
}
function drag(event: PointerEvent): void {
  if (!hand || Math.abs(event.clientX - hand.x) < 4) return;
  (event.currentTarget as HTMLInputElement).blur();
  put(moved(hand.start, Math.trunc((event.clientX - hand.x) / PIXELS_PER_NOTCH)));
}
</script>

<template>
  <label class="field">
    <span class="narrow">{{ label }}</span>
    <input
      :value="shown"
      :aria-label="name || label"
      :disabled="disabled"
      :title="hint"
      :aria-invalid="problem !== null"
      :class="{ wrong: problem }"
      inputmode="decimal"
      @input="typed = ($event.target as HTMLInputElement).value"
      @keydown="key"
      @blur="keep"
      @pointerdown="down"
      @pointermove="drag"
      @pointerup="hand = null"
      @pointercancel="hand = null"
    />
    <span class="unit narrow quiet">{{ unit }}</span>
    <span v-if="problem" class="flag problem" role="alert">{{ problem }}</span>
  </label>
</template>

<style scoped>
.field {
  position: relative;
  display: grid;
  grid-template-columns: 1fr 84px 34px;
  align-items: center;
  gap: 6px;
}
input {
  height: 24px;
  min-width: 0;
  padding: 0 6px;
  text-align: right;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
  cursor: ew-resize;
}
input:focus {
  cursor: text;
}
input:disabled {
  background: transparent;
  color: var(--quiet);
  cursor: default;
}
.wrong {
  border-color: var(--flag);
}
.unit {
  font-size: 12px;
}
.problem {
  position: absolute;
  right: 0;
  top: 26px;
  z-index: 3;
  padding: 3px 8px;
  font-size: 12px;
  background: var(--sheet);
  border: 1px solid var(--flag);
  border-radius: 4px;
}
</style>
