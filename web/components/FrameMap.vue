<script setup lang="ts">
/** The frames of a sequence, a cell each, by state; many frames share a cell, which shows the worst of them. */
import { computed } from 'vue';

const props = defineProps<{
  /** A letter a frame: `.` missing, `+` finished, `!` something is wrong. */
  map: string;
  first: number;
  /** The frame that is being rendered, or null. */
  current: number | null;
  /** The frame that is looked at, or null. */
  frame: number | null;
}>();
const emit = defineEmits<{ go: [frame: number] }>();
const MOST_CELLS = 480;

const each = computed(() => Math.max(1, Math.ceil(props.map.length / MOST_CELLS)));
const cells = computed(() => {
  const { map, first, current, frame } = props;
  const k = each.value;
  return Array.from({ length: Math.ceil(map.length / k) }, (_, i) => {
    const part = map.slice(i * k, i * k + k);
    const from = first + i * k;
    const to = from + part.length - 1;
    const holds = (n: number | null): boolean => n !== null && n >= from && n <= to;
    const state = part.includes('!') ? 'wrong' : !part.includes('.') ? 'done' : part.includes('+') ? 'part' : 'missing';
    return { from, to, state, now: holds(current), chosen: holds(frame) };
  });
});
const NAMES: Record<string, string> = {
  wrong: 'something is wrong',
  done: 'finished',
  part: 'partly finished',
  missing: 'missing',
};
function name(c: { from: number; to: number; state: string; now: boolean }): string {
  const which = c.from === c.to ? `frame ${c.from}` : `frames ${c.from} to ${c.to}`;
  return `${which}: ${c.now ? 'being rendered' : NAMES[c.state]}`;
}
</script>

<template>
  <div class="map" role="group" aria-label="Frame map">
    <button
      v-for="c in cells"
      :key="c.from"
      :class="[c.state, { now: c.now, chosen: c.chosen }]"
      :title="name(c)"
      :aria-label="name(c)"
      :aria-current="c.chosen ? 'true' : undefined"
      :disabled="c.state === 'missing'"
      :tabindex="c.chosen ? 0 : -1"
      @click="emit('go', c.from)"
    />
  </div>
</template>

<style scoped>
.map {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
}
button {
  width: 14px;
  height: 14px;
  border: 1px solid var(--line);
  border-radius: 2px;
}
button.done {
  background: #0b7a75;
  border-color: #0b7a75;
}
button.part {
  background: linear-gradient(to top, #0b7a75 50%, transparent 50%);
}
button.wrong {
  background: #c2410c;
  border-color: #c2410c;
}
button.now {
  border: 2px solid var(--accent);
}
button.chosen {
  outline: 2px solid var(--ink);
  outline-offset: 1px;
}
</style>
