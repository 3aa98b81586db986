<script setup lang="ts">
/** Camera shake of a shot and the take of it: how much, how quick, which course. */
import { computed } from 'vue';
import type { ShakeBand, ShotTake } from '@daxel/core/scene/take';
import NumberField from './NumberField.vue';

const props = defineProps<{
  take: ShotTake;
  /** Something besides the camera is random: it sways, or throws sparks. */
  random: boolean;
  disabled: boolean;
}>();
const emit = defineEmits<{ change: [take: ShotTake, key: string]; try: []; freeze: [] }>();

const put = (more: Partial<ShotTake>): void =>
  emit('change', { ...props.take, ...more }, `take ${Object.keys(more).join()}`);
const BANDS = [
  { id: 'large', label: 'Large, slow' },
  { id: 'small', label: 'Small, quick' },
] as const;
/** `scale` takes what is stored to what is shown; a notch steps, or multiplies by a factor. */
const FIELDS = [
  { key: 'angleDeg', label: 'Turn', unit: '°', scale: 1, min: 0, max: 45, step: 0.05, factor: 0 },
  { key: 'shift', label: 'Shift', unit: 'mm', scale: 1000, min: 0, max: 10_000, step: 1, factor: 0 },
  { key: 'hertz', label: 'Rate', unit: 'Hz', scale: 1, min: 0.01, max: 60, step: 1, factor: 1.1225 },
] as const;
const band = (id: 'large' | 'small', more: Partial<ShakeBand>): void => put({ [id]: { ...props.take[id], ...more } });
const moves = computed(
  () => props.take.keys !== null || BANDS.some(({ id }) => props.take[id].angleDeg > 0 || props.take[id].shift > 0),
);
const frozen = computed(() => props.take.keys !== null);
/** A hand-held camera, to begin with. */
function shake(on: boolean): void {
  const [large, small] = on ? [0.6, 0.06] : [0, 0];
  put({
    large: { ...props.take.large, angleDeg: large, shift: on ? 0.01 : 0 },
    small: { ...props.take.small, angleDeg: small, shift: 0 },
    keys: null,
  });
}
</script>

<template>
  <fieldset class="shot-fields" :disabled="disabled">
    <legend class="visually-hidden">Camera shake and take</legend>
    <label class="check">
      <input type="checkbox" :checked="moves" @change="shake(($event.target as HTMLInputElement).checked)" />
      Camera shake
    </label>
    <template v-if="moves && !frozen">
      <div v-for="{ id, label } in BANDS" :key="id" class="band" role="group" :aria-label="label">
        <span class="narrow quiet">{{ label }}</span>
        <NumberField
          v-for="f in FIELDS"
          :key="f.key"
          :label="f.label"
          :name="`${label}: ${f.label.toLowerCase()}`"
          :unit="f.unit"
          :model-value="take[id][f.key] * f.scale"
          :min="f.min"
          :max="f.max"
          :step="f.step"
          :factor="f.factor"
          @update:model-value="(v) => band(id, { [f.key]: v / f.scale })"
        />
      </div>
    </template>
    <template v-if="moves || random">
      <NumberField
        v-if="!frozen || random"
        label="Take"
        :model-value="take.number"
        :min="0"
        :max="2147483647"
        :step="1"
        @update:model-value="(v) => put({ number: v })"
      />
      <p v-if="frozen" class="narrow">The shake is frozen to {{ (take.keys?.values.length ?? 0) / 6 }} keys.</p>
      <div class="acts">
        <v-btn v-if="!frozen || random" size="small" :disabled="disabled" @click="emit('try')">Try four takes</v-btn>
        <v-btn v-if="moves && !frozen" size="small" :disabled="disabled" @click="emit('freeze')">Freeze shake</v-btn>
        <v-btn v-if="frozen" size="small" :disabled="disabled" @click="put({ keys: null })">Let it go again</v-btn>
      </div>
    </template>
  </fieldset>
</template>

<style scoped>
.band {
  display: flex;
  flex-direction: column;
  gap: 3px;
  padding-left: 8px;
  border-left: 2px solid var(--line);
}
</style>
