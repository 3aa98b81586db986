<script setup lang="ts">
/** Where the camera of a shot goes: as in the file, one simple move, or from key to key. */
import { computed, ref } from 'vue';
import { EASES, type CameraPath, type PathKey } from '@daxel/core/scene/cameraPath';
import NumberField from './NumberField.vue';

export type PathMove = 'orbit' | 'dolly' | 'rail';
const props = defineProps<{ path: CameraPath | null; frame: number; disabled: boolean }>();
const emit = defineEmits<{
  change: [path: CameraPath | null, key: string];
  move: [kind: PathMove, amount: number];
}>();

const MOVES: Record<
  PathMove,
  { label: string; unit: string; min: number; max: number; step: number; initial: number }
> = {
  orbit: { label: 'Orbit', unit: '°', min: -720, max: 720, step: 5, initial: 30 },
  dolly: { label: 'Dolly in', unit: '%', min: -500, max: 95, step: 5, initial: 25 },
  rail: { label: 'Rail', unit: 'm', min: -1000, max: 1000, step: 0.1, initial: 0.5 },
};
const kind = ref<PathMove>('orbit');
const amounts = ref<Record<PathMove, number>>({
  orbit: MOVES.orbit.initial,
  dolly: MOVES.dolly.initial,
  rail: MOVES.rail.initial,
});
const move = computed(() => MOVES[kind.value]);
const EASE_NAMES: Record<PathKey['ease'], string> = { smooth: 'eased', linear: 'even', hold: 'holds' };

function put(index: number, more: Partial<PathKey>): void {
  if (!props.path) return;
  const keys = props.path.keys.map((k, i) => (i === index ? { ...k, ...more } : k)).sort((a, b) => a.frame - b.frame);
  if (keys.some((k, i) => i > 0 && k.frame === keys[i - 1].frame)) return;
  emit('change', { ...props.path, keys }, `path ${index} ${Object.keys(more).join()}`);
}
function remove(index: number): void {
  const keys = props.path?.keys.filter((_, i) => i !== index) ?? [];
  emit('change', props.path && keys.length > 0 ? { ...props.path, keys } : null, 'path');
}
</script>

<template>
  <fieldset class="shot-fields" :disabled="disabled">
    <legend class="visually-hidden">Camera path</legend>
    <p v-if="!path" class="quiet narrow">
      As in the file. Keys are set on Tune: look around, choose a frame, <em>Key at frame</em>.
    </p>
    <ol v-else aria-label="Keys">
      <li v-for="(k, i) in path.keys" :key="i" :class="{ here: k.frame === frame }">
        <NumberField
          label="Key at"
          :name="`Frame of key ${i + 1}`"
          :model-value="k.frame"
          :min="-100000"
          :max="100000"
          :step="1"
          @update:model-value="(v) => put(i, { frame: v })"
        />
        <select
          v-if="i + 1 < path.keys.length"
          :value="k.ease"
          :aria-label="`Way from key ${i + 1} to the next`"
          @change="put(i, { ease: ($event.target as HTMLSelectElement).value as PathKey['ease'] })"
        >
          <option v-for="e in EASES" :key="e" :value="e">{{ EASE_NAMES[e] }}</option>
        </select>
        <button :aria-label="`Remove key ${i + 1}`" @click="remove(i)">×</button>
      </li>
    </ol>
    <div class="move">
      <select v-model="kind" aria-label="Move">
        <option v-for="(m, id) in MOVES" :key="id" :value="id">{{ m.label }}</option>
      </select>
      <NumberField
        v-model="amounts[kind]"
        label=""
        :name="`${move.label}, ${move.unit}`"
        :unit="move.unit"
        :min="move.min"
        :max="move.max"
        :step="move.step"
      />
    </div>
    <div class="acts">
      <v-btn size="small" :disabled="disabled" @click="emit('move', kind, amounts[kind])">Make the move</v-btn>
      <v-btn v-if="path" size="small" :disabled="disabled" @click="emit('change', null, 'path')">As in the file</v-btn>
    </div>
  </fieldset>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 132px;
  overflow-y: auto;
}
li,
.move {
  display: flex;
  align-items: center;
  gap: 4px;
}
li.here {
  box-shadow: inset 3px 0 0 var(--accent);
}
li :deep(.field),
.move :deep(.field) {
  grid-template-columns: auto 56px auto;
}
</style>
