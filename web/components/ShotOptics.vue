<script setup lang="ts">
/** Shutter and focus of a shot: how long its camera takes light in, and through how wide an opening. */
import { computed } from 'vue';
import type { ShotOptics } from '@daxel/core/scene/source';
import NumberField from './NumberField.vue';

const props = defineProps<{ optics: ShotOptics; picking: boolean; disabled: boolean; whyNot: string }>();
const emit = defineEmits<{ change: [optics: ShotOptics, key: string]; pick: [] }>();

const put = (more: Partial<ShotOptics>): void => emit('change', { ...props.optics, ...more }, Object.keys(more).join());
const field = <K extends keyof ShotOptics>(key: K) =>
  computed({ get: () => props.optics[key], set: (v: ShotOptics[K]) => put({ [key]: v }) });
const angle = field('shutterAngleDeg');
/** A distance that is set by hand lets go of what was followed. */
const distance = computed({
  get: () => props.optics.focusDistance,
  set: (focusDistance: number) => put({ focusDistance, focusOn: null }),
});
const blades = field('blades');
const fNumber = computed({ get: () => props.optics.fNumber ?? 2.8, set: (v: number) => put({ fNumber: v }) });
const PHASES = [
  ['opens', 'opens at the frame'],
  ['centred', 'centred on the frame'],
  ['closes', 'closes at the frame'],
] as const;
</script>

<template>
  <fieldset class="shot-fields" :disabled="disabled">
    <legend class="visually-hidden">Shutter and focus</legend>
    <NumberField v-model="angle" label="Shutter angle" unit="°" :min="0" :max="360" :step="15" />
    <label class="row">
      <span>Phase</span>
      <select
        :value="optics.shutterPhase"
        @change="put({ shutterPhase: ($event.target as HTMLSelectElement).value as ShotOptics['shutterPhase'] })"
      >
        <option v-for="[value, label] in PHASES" :key="value" :value="value">{{ label }}</option>
      </select>
    </label>
    <label class="check">
      <input
        type="checkbox"
        :checked="optics.fNumber !== null"
        @change="put({ fNumber: ($event.target as HTMLInputElement).checked ? 2.8 : null })"
      />
      Depth of field
    </label>
    <template v-if="optics.fNumber !== null">
      <NumberField v-model="fNumber" label="f-number" :min="0.5" :max="64" :factor="1.1225" />
      <NumberField v-model="distance" label="Focus distance" unit="m" :min="0.01" :max="10000" :factor="1.05" />
      <label v-if="optics.focusOn" class="check">
        <input type="checkbox" checked @change="put({ focusOn: null })" />
        stays on {{ optics.focusOn.name || 'what was picked' }}
      </label>
      <button class="pick" :aria-pressed="picking" :disabled="whyNot !== ''" :title="whyNot" @click="emit('pick')">
        {{ picking ? 'Click what shall be sharp' : 'Pick on the picture' }}
      </button>
      <p v-if="whyNot" class="quiet narrow">{{ whyNot }}</p>
      <NumberField v-model="blades" label="Blades" :min="0" :max="16" :step="1" />
    </template>
  </fieldset>
</template>

<style scoped>
.pick {
  align-self: flex-start;
  color: var(--accent);
  text-decoration: underline;
}
.pick[aria-pressed='true'] {
  font-weight: 650;
}
</style>
