<script setup lang="ts">
/** Exposure as a photographer reads it: histogram in stops, clipped and crushed, and a meter for the whole or a part. */
import { computed, ref, watch } from 'vue';
import type { Patch } from '@daxel/api/schemas';
import { exposureStatistics, HIGHEST_STOP, LOWEST_STOP, STOP_BINS } from '@daxel/core/measure/histogram';
import { inPixels } from '@daxel/core/measure/rect';
import type { Readings } from '../composables/usePreview';

const props = defineProps<{
  readings: Readings | null;
  patches: readonly Patch[];
  point: { x: number; y: number } | null;
}>();
const zebra = defineModel<boolean>('zebra', { required: true });
const picking = defineModel<boolean>('picking', { required: true });
const emit = defineEmits<{ expose: [ev: number] }>();
const of = ref('whole');
watch(
  () => props.point,
  (p) => {
    if (p) of.value = 'point';
  },
);
/** Half the side of a metered point, share of the picture's width. */
const SPOT = 0.01;

const rect = computed(() => {
  const s = props.readings?.exposure;
  if (!s || of.value === 'whole') return null;
  if (of.value === 'point') {
    if (!props.point) return null;
    const half = SPOT * s.width;
    return { x: props.point.x * s.width - half, y: props.point.y * s.height - half, width: half * 2, height: half * 2 };
  }
  const p = props.patches.find((patch) => patch.id === of.value);
  return p && inPixels(p, s.width, s.height);
});
const statistics = computed(() => {
  const s = props.readings?.exposure;
  return s ? exposureStatistics(s.beauty, s.display, s.width, s.height, rect.value ?? null) : null;
});
const HEIGHT = 54;
const bars = computed(() => {
  const bins = statistics.value?.bins;
  if (!bins) return '';
  const top = Math.max(...bins, 1e-9);
  let d = '';
  bins.forEach((v, i) => {
    const h = Math.sqrt(v / top) * HEIGHT;
    if (h > 0.4) d += `M${i + 0.1} ${HEIGHT}v${-h}h0.8v${h}z`;
  });
  return d;
});
const percent = (v: number): string => `${(v * 100).toFixed(v < 0.0995 ? 1 : 0)} %`;
const ev = computed(() => {
  const m = statistics.value?.meterEv ?? 0;
  return Math.round(m * 4) / 4;
});
const binOf = (stop: number): number => (stop - LOWEST_STOP) * 2;
const stops = [-10, -8, -6, -4, -2, 0, 2, 4];
</script>

<template>
  <section class="helper" aria-label="Exposure">
    <header>
      <h2>Exposure</h2>
      <select v-model="of" aria-label="What is metered">
        <option value="whole">whole picture</option>
        <option value="point">a point</option>
        <option v-for="p in patches" :key="p.id" :value="p.id">{{ p.name }}</option>
      </select>
    </header>
    <svg
      :viewBox="`0 0 ${STOP_BINS} ${HEIGHT + 1}`"
      preserveAspectRatio="none"
      role="img"
      aria-label="Histogram in stops from white"
    >
      <line :x1="binOf(0)" :x2="binOf(0)" y1="0" :y2="HEIGHT" class="white" />
      <line :x1="binOf(-2.47)" :x2="binOf(-2.47)" y1="0" :y2="HEIGHT" class="grey" />
      <path :d="bars" />
    </svg>
    <div class="scale narrow quiet" aria-hidden="true">
      <span v-for="s in stops" :key="s" :style="{ left: `${(binOf(s) / STOP_BINS) * 100}%` }">{{
        s === 0 ? 'white' : s
      }}</span>
    </div>
    <p v-if="statistics" class="numbers">
      <span>clipped {{ percent(statistics.clipped) }}</span>
      <span>crushed {{ percent(statistics.crushed) }}</span>
      <span class="quiet">{{ LOWEST_STOP }} to {{ HIGHEST_STOP }} stops</span>
    </p>
    <p class="acts">
      <v-btn size="small" :class="{ strong: zebra }" :aria-pressed="zebra" title="Z" @click="zebra = !zebra"
        >Zebra</v-btn
      >
      <v-btn
        v-if="of === 'point'"
        size="small"
        :class="{ strong: picking }"
        :aria-pressed="picking"
        @click="picking = !picking"
        >{{ picking ? 'Click the picture…' : 'Choose the point' }}</v-btn
      >
      <v-btn size="small" :disabled="!statistics || ev === 0" @click="emit('expose', ev)"
        >To middle grey, {{ ev > 0 ? '+' : '' }}{{ ev }} EV</v-btn
      >
    </p>
  </section>
</template>

<style scoped>
.helper {
  display: flex;
  flex-direction: column;
  gap: 4px;
}
header {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
}
select {
  max-width: 150px;
  height: 24px;
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
select option {
  background: var(--sheet);
  color: var(--ink);
}
svg {
  width: 100%;
  height: 56px;
  border: 1px solid var(--line);
  background: var(--sheet);
}
path {
  fill: var(--quiet);
}
.white,
.grey {
  stroke: var(--flag);
  vector-effect: non-scaling-stroke;
}
.grey {
  stroke: var(--accent);
  stroke-dasharray: 3 2;
}
.scale {
  position: relative;
  height: 14px;
  font-size: 12px;
}
.scale span {
  position: absolute;
  translate: -50%;
}
.numbers,
.acts {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
</style>
