<script setup lang="ts">
/** Light by elevation: colour, level and elevation of each stop; an even light is its lowest alone. */
import { computed } from 'vue';
import type { EnvironmentSource } from '@daxel/core/light/surroundings/document';
import { linearToSrgb, srgbToLinear } from '@daxel/core/math/color';
import NumberField from '../NumberField.vue';

const props = defineProps<{ environment: EnvironmentSource }>();
const emit = defineEmits<{ set: [part: Partial<EnvironmentSource>, key?: string] }>();

/** A stop's colour at full brightness, and how bright it is. */
const levelOf = (rgb: readonly number[]): number => Math.max(...rgb);
function codeOf(rgb: readonly number[]): string {
  const top = Math.max(levelOf(rgb), 1e-9);
  return `#${rgb
    .map((v) =>
      Math.round(linearToSrgb(v / top) * 255)
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;
}
function setStop(index: number, change: { code?: string; level?: number; y?: number }): void {
  const stops = props.environment.stops.map((s, i) => {
    if (i !== index) return s;
    const code = change.code ?? codeOf(s.radiance);
    const rgb = [1, 3, 5].map((k) => srgbToLinear(parseInt(code.slice(k, k + 2), 16) / 255));
    const top = Math.max(...rgb, 1e-9);
    const level = change.level ?? levelOf(s.radiance);
    return { y: change.y ?? s.y, radiance: rgb.map((v) => (v / top) * level) as [number, number, number] };
  });
  emit('set', { stops }, `stop ${index}`);
}
function addStop(): void {
  const ys = props.environment.stops.map((s) => s.y);
  const y = ys.includes(0) ? (ys.includes(1) ? 0.5 : 1) : 0;
  const last = props.environment.stops.at(-1)!;
  emit('set', {
    stops: [...props.environment.stops, { y, radiance: [...last.radiance] as [number, number, number] }].sort(
      (a, b) => a.y - b.y,
    ),
  });
}
const shownStops = computed(() =>
  props.environment.kind === 'constant' ? props.environment.stops.slice(0, 1) : props.environment.stops,
);
const elevation = (y: number): number => Number(((Math.asin(y) * 180) / Math.PI).toFixed(1));
</script>

<template>
  <div class="stops">
    <div v-for="(s, i) in shownStops" :key="i" class="stop">
      <input
        type="color"
        :value="codeOf(s.radiance)"
        :aria-label="`Colour of stop ${i + 1}`"
        @input="setStop(i, { code: ($event.target as HTMLInputElement).value })"
      />
      <NumberField
        label=""
        :name="`Radiance of stop ${i + 1}`"
        :model-value="levelOf(s.radiance)"
        :min="0"
        :max="1e9"
        unit="nit"
        :factor="1.1"
        :step="1"
        @update:model-value="setStop(i, { level: $event })"
      />
      <NumberField
        v-if="environment.kind === 'gradient'"
        label=""
        :name="`Elevation of stop ${i + 1}`"
        :model-value="elevation(s.y)"
        :min="-90"
        :max="90"
        unit="°"
        @update:model-value="setStop(i, { y: Math.sin(($event * Math.PI) / 180) })"
      />
      <button
        v-if="environment.kind === 'gradient' && shownStops.length > 2"
        :aria-label="`Delete stop ${i + 1}`"
        @click="emit('set', { stops: environment.stops.filter((_, k) => k !== i) })"
      >
        ×
      </button>
    </div>
    <v-btn v-if="environment.kind === 'gradient' && shownStops.length < 32" size="small" class="add" @click="addStop"
      >Add a stop</v-btn
    >
  </div>
</template>

<style scoped>
.stops {
  display: contents;
}
.stop {
  display: grid;
  grid-template-columns: 34px 1fr 1fr 16px;
  gap: 4px;
  align-items: center;
}
.stop input[type='color'] {
  width: 34px;
  height: 24px;
  padding: 2px;
  border: 1px solid var(--line);
  border-radius: 4px;
}
.stop :deep(.field) {
  grid-template-columns: 0 1fr 24px;
  gap: 3px;
}
.add {
  align-self: flex-start;
}
</style>
