<script setup lang="ts">
/** The surroundings of a rig: an even light, a gradient, or a picture, and what each is used for. */
import { computed, ref } from 'vue';
import type { Rig } from '@daxel/core/light/rig';
import { linearToSrgb, srgbToLinear } from '@daxel/core/math/color';
import { isEnvironmentFile, useEnvironmentFiles } from '../composables/useEnvironmentDrop';
import NumberField from './NumberField.vue';

type Environment = Rig['environment'];
const props = defineProps<{ environment: Environment; hasOwnPicture: boolean }>();
const emit = defineEmits<{ change: [environment: Environment, key: string]; splitSun: [] }>();
const environments = useEnvironmentFiles();
const chooser = ref<HTMLInputElement | null>(null);

const USES = [
  { on: 'seenByCamera', strength: 'cameraStrength', label: 'Seen by the camera' },
  { on: 'lightsSurfaces', strength: 'lightStrength', label: 'Lights surfaces' },
  { on: 'seenInReflections', strength: 'reflectionStrength', label: 'Seen in reflections' },
] as const;
const known = computed(() => environments.known[props.environment.picture ?? '']);
const sunFound = computed(() => known.value?.sun !== undefined && known.value?.sun !== null);

function set(part: Partial<Environment>): void {
  emit('change', { ...props.environment, ...part }, Object.keys(part).join());
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
  emit('change', { ...props.environment, stops }, `stop ${index}`);
}
function addStop(): void {
  const ys = props.environment.stops.map((s) => s.y);
  const y = ys.includes(0) ? (ys.includes(1) ? 0.5 : 1) : 0;
  const last = props.environment.stops.at(-1)!;
  set({
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
  <div class="fields">
    <div class="kinds" role="group" aria-label="Kind of surroundings">
      <button
        v-for="kind in ['constant', 'gradient', 'picture'] as const"
        :key="kind"
        :aria-pressed="environment.kind === kind"
        @click="setKind(kind)"
      >
        {{ { constant: 'Even', gradient: 'Gradient', picture: 'Picture' }[kind] }}
      </button>
    </div>
    <input ref="chooser" type="file" accept=".hdr,.exr" hidden aria-label="Environment picture" @change="chosen" />
    <template v-if="environment.kind === 'picture'">
      <p class="row">
        <span class="file">{{
          environment.picture === 'scene'
            ? 'the picture that came with the scene'
            : (environment.pictureName ?? 'picture')
        }}</span>
        <v-btn size="small" :loading="environments.running !== null" @click="chooser?.click()">Other…</v-btn>
      </p>
      <p v-if="environment.cut" class="row">
        <span class="quiet narrow">Its sun is split off as a light.</span>
        <v-btn size="small" @click="set({ cut: undefined })">Leave it in</v-btn>
      </p>
      <p v-else-if="sunFound" class="row">
        <span class="quiet narrow">A sun stands out of it: as a light it casts shadows.</span>
        <v-btn size="small" @click="emit('splitSun')">Split off the sun</v-btn>
      </p>
    </template>
    <template v-else>
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
          @click="set({ stops: environment.stops.filter((_, k) => k !== i) })"
        >
          ×
        </button>
      </div>
      <v-btn v-if="environment.kind === 'gradient' && shownStops.length < 32" size="small" class="add" @click="addStop"
        >Add a stop</v-btn
      >
    </template>
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
.row {
  display: flex;
  align-items: center;
  gap: 8px;
}
.row > :first-child {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
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
.stop :deep(.field),
.use :deep(.field) {
  grid-template-columns: 0 1fr 24px;
  gap: 3px;
}
.add {
  align-self: flex-start;
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
