<script setup lang="ts">
/** What lies under the picture: tier, zoom, the hold-against key, and the way back from looking around. */
import { computed } from 'vue';
import { VIEW_MODES, type ViewMode } from '@daxel/core/shading/views';
import type { Tier } from '@daxel/core/recipe/recipe';

const tier = defineModel<Tier>('tier', { required: true });
const zoom = defineModel<'fit' | 1 | 2>('zoom', { required: true });
const holding = defineModel<boolean>('holding', { required: true });
const view = defineModel<ViewMode>('view', { required: true });
const props = defineProps<{
  isFree: boolean;
  hasBefore: boolean;
  traced?: boolean;
  /** The frame that is shown, and those there are; absent where it cannot be chosen. */
  frame?: number;
  first?: number;
  last?: number;
}>();
/** Noise is known of path-traced pictures only. */
const views = computed(() => VIEW_MODES.filter((v) => v.id !== 'noise' || props.traced));
const emit = defineEmits<{ back: []; key: []; frame: [frame: number] }>();
function chooseFrame(event: Event): void {
  const input = event.target as HTMLInputElement;
  const n = Math.round(Number(input.value));
  const within = Number.isFinite(n) ? Math.min(props.last ?? n, Math.max(props.first ?? n, n)) : props.frame;
  input.value = String(within);
  if (within !== undefined && within !== props.frame) emit('frame', within);
}
const TIERS = [
  ['draft', 'Draft'],
  ['final', 'Final'],
] as const;
const ZOOMS = [
  ['fit', 'Fit'],
  [1, '100 %'],
  [2, '200 %'],
] as const;
</script>

<template>
  <div class="tools">
    <div role="group" aria-label="Tier shown">
      <button v-for="[value, text] in TIERS" :key="value" :aria-pressed="tier === value" @click="tier = value">
        {{ text }}
      </button>
    </div>
    <div role="group" aria-label="Zoom">
      <button v-for="[value, text] in ZOOMS" :key="value" :aria-pressed="zoom === value" @click="zoom = value">
        {{ text }}
      </button>
    </div>
    <label class="view">
      <span class="visually-hidden">View</span>
      <select v-model="view" title="V: the next view">
        <option v-for="v in views" :key="v.id" :value="v.id">{{ v.label }}</option>
      </select>
    </label>
    <button
      :disabled="!hasBefore"
      :aria-pressed="holding"
      title="Hold to see the picture before the last change"
      @pointerdown="holding = true"
      @pointerup="holding = false"
      @pointerleave="holding = false"
    >
      hold B: before
    </button>
    <label v-if="frame !== undefined" class="frame" :title="`Frames ${first} to ${last}`">
      frame
      <input type="number" :value="frame" :min="first" :max="last" step="1" @change="chooseFrame" />
    </label>
    <button
      v-if="isFree && frame !== undefined"
      title="The camera of the shot passes through here"
      @click="emit('key')"
    >
      Key at frame {{ frame }}
    </button>
    <button v-if="isFree" class="back" @click="emit('back')">Back to the shot’s camera (Home)</button>
    <span v-else class="tip">drag to look around</span>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  justify-content: center;
  gap: 16px;
  padding: 0 0 10px;
  flex: none;
  flex-wrap: wrap;
}
.tools div {
  display: flex;
  gap: 2px;
}
button {
  padding: 2px 9px;
  border-radius: 4px;
  background: #4a4a4a;
  color: #fff;
}
select {
  height: 22px;
  padding: 0 8px;
  border-radius: 4px;
  background: #4a4a4a;
  color: #fff;
}
button[aria-pressed='true'] {
  background: #fff;
  color: #161616;
}
button:disabled {
  background: #5a5a5a;
  color: #d8d8d8;
}
.frame {
  display: flex;
  gap: 6px;
  padding: 2px 4px 2px 9px;
  border-radius: 4px;
  background: #4a4a4a;
  color: #fff;
}
.frame input {
  width: 52px;
  text-align: right;
  color: #fff;
}
.back {
  background: #0b5f5b;
  color: #fff;
}
.tip {
  padding: 2px 6px;
  color: #fff;
  background: #4a4a4a;
  border-radius: 4px;
  opacity: 1;
}
</style>
