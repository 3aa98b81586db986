<script setup lang="ts">
/** Takes side by side, playing in step. */
import { computed, toRef } from 'vue';
import { usePlayer } from '../composables/usePlayer';
import type { TrialTake } from '../composables/useTakes';
import PictureCanvas from './PictureCanvas.vue';

const props = defineProps<{
  trials: TrialTake[];
  first: number;
  rate: number;
  progress: { done: number; all: number } | null;
  failure: string | null;
}>();
const emit = defineEmits<{ keep: [number: number]; others: []; close: [] }>();

const trials = toRef(props, 'trials');
const count = computed(() => Math.min(...trials.value.map((t) => t.pictures.length)));
const player = usePlayer(
  computed(() => (count.value > 0 ? { first: props.first, count: count.value, rate: props.rate } : null)),
);
const { frame, playing } = player;
const at = computed(() => frame.value - props.first);
</script>

<template>
  <div class="trials" role="group" aria-label="Takes">
    <figure v-for="t in trials" :key="t.number">
      <PictureCanvas
        v-if="t.pictures[at]"
        :picture="t.pictures[at]"
        :label="`Take ${t.number}, frame ${frame}`"
        class="picture"
      />
      <figcaption>
        <span>Take {{ t.number }}</span>
        <button @click="emit('keep', t.number)">Keep</button>
      </figcaption>
    </figure>
  </div>
  <p v-if="failure" class="failure" role="alert">{{ failure }}</p>
  <div class="picture-tools">
    <button :aria-pressed="playing" :disabled="count < 2" @click="player.toggle">
      {{ playing ? 'Stop' : `Play ${rate}/s` }}
    </button>
    <input
      type="range"
      aria-label="Frame"
      :min="first"
      :max="first + Math.max(0, count - 1)"
      :value="frame"
      @input="player.go(Number(($event.target as HTMLInputElement).value))"
    />
    <span v-if="progress" role="status">{{ progress.done }} of {{ progress.all }} small frames</span>
    <button v-else @click="emit('others')">Four others</button>
    <button @click="emit('close')">Close</button>
  </div>
</template>

<style scoped>
.trials {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 1fr 1fr;
  place-content: center;
  gap: 10px;
  padding: 14px;
}
figure {
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.picture {
  display: block;
  width: 100%;
}
figcaption {
  display: flex;
  justify-content: space-between;
  padding: 2px 8px;
  background: #fff;
  color: #161616;
  font-size: 12px;
  font-weight: 600;
}
figcaption button {
  color: #0b7a75;
  text-decoration: underline;
}
.failure {
  padding: 6px 12px;
  background: var(--sheet);
  color: var(--flag);
}
</style>
