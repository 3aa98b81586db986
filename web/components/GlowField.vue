<script setup lang="ts">
/** How strongly glowing meshes glow in a rig, and what their glow does in the method that is shown. */
import NumberField from './NumberField.vue';

defineProps<{ glow: number; lights: boolean }>();
const emit = defineEmits<{ change: [glow: number] }>();
</script>

<template>
  <div class="glow">
    <label class="check">
      <input
        type="checkbox"
        :checked="glow > 0"
        @change="emit('change', ($event.target as HTMLInputElement).checked ? 1 : 0)"
      />
      Glowing meshes
    </label>
    <NumberField
      label=""
      name="Glowing meshes, strength"
      :model-value="glow"
      :min="0"
      :max="1000"
      :step="0.05"
      unit="×"
      @update:model-value="emit('change', $event)"
    />
    <p v-if="!lights && glow > 0" class="quiet narrow">
      They are seen but light nothing around them while Bounce takes its light from surroundings alone. Any other Method
      there does, and path tracing; or a light in the same place stands for them.
    </p>
  </div>
</template>

<style scoped>
.glow {
  display: grid;
  grid-template-columns: 1fr 100px;
  align-items: center;
  padding: 6px 0;
  border-top: 1px solid var(--line);
}
.glow :deep(.field) {
  grid-template-columns: 0 1fr 24px;
  gap: 3px;
}
.check {
  display: flex;
  gap: 6px;
  align-items: center;
}
p {
  grid-column: 1 / -1;
}
</style>
