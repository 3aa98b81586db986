<script setup lang="ts">
/** Frames, rate and handles of a shot. */
import { computed } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import { MOST_HANDLES, ranged, rateName, RATES, retimed } from '@daxel/core/scene/shotTiming';
import NumberField from './NumberField.vue';

type Timing = Pick<Shot, 'firstFrame' | 'lastFrame' | 'rate' | 'handles' | 'frame'>;
const props = defineProps<{ shot: Timing; disabled: boolean }>();
const emit = defineEmits<{ change: [timing: Partial<Timing>, key: string] }>();

const timing = computed(() => {
  const { firstFrame, lastFrame, rate, frame } = props.shot;
  return { firstFrame, lastFrame, rate, frame };
});
/** The usual ones, and the file's own where it is none of them. */
const rates = computed(() =>
  RATES.includes(props.shot.rate) ? RATES : [...RATES, props.shot.rate].sort((a, b) => a - b),
);
const seconds = computed(() => (props.shot.lastFrame - props.shot.firstFrame + 1) / props.shot.rate);
</script>

<template>
  <fieldset class="shot-fields" :disabled="disabled">
    <legend class="visually-hidden">Frames of the shot</legend>
    <NumberField
      label="Begins at"
      name="Begins at frame"
      :model-value="shot.firstFrame"
      :min="-100000"
      :max="100000"
      :step="1"
      @update:model-value="(firstFrame) => emit('change', ranged(timing, { firstFrame }), 'first frame')"
    />
    <NumberField
      label="Ends at"
      name="Ends at frame"
      :model-value="shot.lastFrame"
      :min="-100000"
      :max="100000"
      :step="1"
      @update:model-value="(lastFrame) => emit('change', ranged(timing, { lastFrame }), 'last frame')"
    />
    <label class="row">
      <span>Rate</span>
      <select
        aria-label="Frames a second"
        :value="shot.rate"
        @change="emit('change', retimed(timing, Number(($event.target as HTMLSelectElement).value)), 'rate')"
      >
        <option v-for="r in rates" :key="r" :value="r">{{ rateName(r) }}</option>
      </select>
      <span class="narrow">a second</span>
    </label>
    <NumberField
      label="Handles"
      unit="frames"
      :model-value="shot.handles"
      :min="0"
      :max="MOST_HANDLES"
      :step="1"
      @update:model-value="(handles) => emit('change', { handles }, 'handles')"
    />
    <p class="narrow quiet">
      {{ seconds.toFixed(2) }} s. Another rate keeps the seconds and changes the frames; handles are rendered out beyond
      both ends.
    </p>
  </fieldset>
</template>
