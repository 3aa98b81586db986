<script setup lang="ts">
/** The surroundings of a rig: an even light, a gradient, or a picture, and what each is used for. */
import { ref, type Component } from 'vue';
import type { EnvironmentSource as Environment } from '@daxel/core/light/surroundings/document';
import { SURROUNDINGS_KINDS } from '@daxel/core/light/surroundings/kinds';
import { isEnvironmentFile, useEnvironmentFiles } from '../composables/useEnvironmentDrop';
import NumberField from './NumberField.vue';
import GradientFields from './surroundings/GradientFields.vue';
import PictureFields from './surroundings/PictureFields.vue';

const props = defineProps<{ environment: Environment; hasOwnPicture: boolean }>();
const emit = defineEmits<{ change: [environment: Environment, key: string]; splitSun: [] }>();
const environments = useEnvironmentFiles();
const chooser = ref<HTMLInputElement | null>(null);

/** What each kind has of its own. */
const OWN_FIELDS: Record<Environment['kind'], Component> = {
  constant: GradientFields,
  gradient: GradientFields,
  picture: PictureFields,
};
const USES = [
  { on: 'seenByCamera', strength: 'cameraStrength', label: 'Seen by the camera' },
  { on: 'lightsSurfaces', strength: 'lightStrength', label: 'Lights surfaces' },
  { on: 'seenInReflections', strength: 'reflectionStrength', label: 'Seen in reflections' },
] as const;
/** @param key changes of one key are one step of undo */
function set(part: Partial<Environment>, key = Object.keys(part).join()): void {
  emit('change', { ...props.environment, ...part }, key);
}
function setKind(kind: Environment['kind']): void {
  if (kind === 'picture' && props.environment.picture === undefined) {
    if (props.hasOwnPicture) set({ kind, picture: 'scene' });
    else chooser.value?.click();
    return;
  }
  set({ kind });
}
function chosen(event: Event): void {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = '';
  if (file && isEnvironmentFile(file.name)) void environments.bringIn(file);
}
</script>

<template>
  <div class="fields">
    <div class="kinds" role="group" aria-label="Kind of surroundings">
      <button
        v-for="{ kind, label } in SURROUNDINGS_KINDS"
        :key="kind"
        :aria-pressed="environment.kind === kind"
        @click="setKind(kind)"
      >
        {{ label }}
      </button>
    </div>
    <input ref="chooser" type="file" accept=".hdr,.exr" hidden aria-label="Environment picture" @change="chosen" />
    <component
      :is="OWN_FIELDS[environment.kind]"
      :environment="environment"
      @set="set"
      @choose="chooser?.click()"
      @split-sun="emit('splitSun')"
    />
    <NumberField
      label="Strength"
      :model-value="environment.strength"
      :min="0"
      :max="1000"
      :step="0.05"
      unit="×"
      @update:model-value="set({ strength: $event })"
    />
    <NumberField
      label="Turned"
      :model-value="environment.rotationDeg"
      :min="-3600"
      :max="3600"
      unit="°"
      @update:model-value="set({ rotationDeg: $event })"
    />
    <div v-for="use in USES" :key="use.on" class="use">
      <label class="check">
        <input
          type="checkbox"
          :checked="environment[use.on]"
          @change="set({ [use.on]: ($event.target as HTMLInputElement).checked })"
        />
        {{ use.label }}
      </label>
      <NumberField
        label=""
        :name="`${use.label}, strength`"
        :disabled="!environment[use.on]"
        :model-value="environment[use.strength] ?? 1"
        :min="0"
        :max="1000"
        :step="0.05"
        unit="×"
        @update:model-value="set({ [use.strength]: $event })"
      />
    </div>
  </div>
</template>

<style scoped>
.fields {
  display: flex;
  flex-direction: column;
  gap: 5px;
}
.kinds {
  display: flex;
  gap: 2px;
}
.kinds button {
  flex: 1;
  padding: 2px 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
}
.kinds [aria-pressed='true'] {
  border-color: var(--accent);
  background: rgba(var(--v-theme-primary), 0.14);
  font-weight: 650;
}
.use :deep(.field) {
  grid-template-columns: 0 1fr 24px;
  gap: 3px;
}
.use {
  display: grid;
  grid-template-columns: 1fr 100px;
  align-items: center;
}
.check {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
