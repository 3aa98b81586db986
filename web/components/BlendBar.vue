<script setup lang="ts">
/** A slider between the shown rig and another one; what it shows can be kept as a rig. */
import { computed } from 'vue';
import type { StoredRig } from '@daxel/api/schemas';

const props = defineProps<{
  active: StoredRig;
  rigs: readonly StoredRig[];
  drawing: boolean;
  failure: string | null;
}>();
const amount = defineModel<number>({ required: true });
const partner = defineModel<string | null>('partner', { required: true });
const emit = defineEmits<{ keep: [] }>();
const others = computed(() => props.rigs.filter((r) => r.id !== props.active.id));
const chosen = computed(() => others.value.find((r) => r.id === partner.value) ?? null);
</script>

<template>
  <div class="blend">
    <label class="with">
      <span>Blend {{ active.name }} with</span>
      <select
        :value="chosen?.id ?? ''"
        aria-label="Blend with"
        @change="partner = ($event.target as HTMLSelectElement).value || null"
      >
        <option value="">nothing</option>
        <option v-for="r in others" :key="r.id" :value="r.id">{{ r.name }}</option>
      </select>
    </label>
    <template v-if="chosen">
      <span class="quiet">{{ Math.round((1 - amount) * 100) }} %</span>
      <input
        v-model.number="amount"
        type="range"
        min="0"
        max="1"
        step="0.01"
        aria-label="Share of the other rig"
        :aria-valuetext="`${Math.round(amount * 100)} % ${chosen.name}`"
      />
      <span class="quiet">{{ Math.round(amount * 100) }} %</span>
      <v-btn @click="emit('keep')">Keep as a new rig</v-btn>
      <span v-if="drawing" class="quiet" role="status">drawing both…</span>
    </template>
    <span v-if="failure" class="flag" role="alert">{{ failure }}</span>
  </div>
</template>

<style scoped>
.blend,
.with {
  display: flex;
  align-items: center;
  gap: 8px;
}
select {
  height: 26px;
  max-width: 180px;
  padding: 0 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
select option {
  background: var(--sheet);
  color: var(--ink);
}
input {
  width: 180px;
  accent-color: #0b7a75;
}
</style>
