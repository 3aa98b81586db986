<script setup lang="ts">
/** A still at large: forming while it renders, then wiped against the draft of its own recipe. */
import { computed, onMounted, onUnmounted, ref } from 'vue';
import type { Still } from '@daxel/api/schemas';
import { api } from '../api/client';
import { formatDuration } from '../composables/format';
import type { Picture } from '../render/preview';
import PictureCanvas from './PictureCanvas.vue';

const props = defineProps<{ still: Still; draft: Picture | null; drawing: boolean }>();
const against = defineModel<boolean>('against', { required: true });
const emit = defineEmits<{ cancel: []; again: [] }>();

const room = ref<HTMLElement | null>(null);
const space = ref({ width: 600, height: 400 });
const zoom = ref<'fit' | 1 | 2>('fit');
const wipe = ref(0.5);
const now = ref(Date.now());
const MARGIN = 30;

const source = computed(() => {
  const s = props.still;
  if (s.state === 'done') return api.stillFile(s.id, 'png8');
  return s.state === 'running' && s.formed > 0 ? api.forming(s.id, s.formed) : null;
});
const size = computed(() => {
  const { width, height } = props.still;
  const k =
    zoom.value === 'fit'
      ? Math.min((space.value.width - MARGIN) / width, (space.value.height - MARGIN) / height)
      : zoom.value;
  return { width: `${Math.round(width * k)}px`, height: `${Math.round(height * k)}px` };
});
const elapsed = computed(() => (props.still.startedAt ? (now.value - Date.parse(props.still.startedAt)) / 1000 : 0));
const wiping = computed(() => against.value && props.still.state === 'done' && props.draft !== null);

let observer: ResizeObserver | undefined;
let clock: ReturnType<typeof setInterval> | undefined;
onMounted(() => {
  observer = new ResizeObserver(([e]) => (space.value = { width: e.contentRect.width, height: e.contentRect.height }));
  if (room.value) observer.observe(room.value);
  clock = setInterval(() => (now.value = Date.now()), 500);
});
onUnmounted(() => {
  observer?.disconnect();
  clearInterval(clock);
});
function follow(event: PointerEvent): void {
  if (!wiping.value || event.buttons === 0) return;
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  wipe.value = Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
}
</script>

<template>
  <div ref="room" class="room" :class="{ wide: zoom !== 'fit' }">
    <div class="picture" :style="size" @pointerdown.prevent="follow" @pointermove="follow">
      <img
        v-if="source"
        :src="source"
        :alt="`Still of ${still.shotName}`"
        draggable="false"
        :class="{ pixelated: zoom === 2 }"
      />
      <template v-if="wiping && draft">
        <PictureCanvas
          :picture="draft"
          label="Draft of the same recipe"
          class="draft"
          :style="{ clipPath: `inset(0 ${(1 - wipe) * 100}% 0 0)` }"
        />
        <span class="edge" :style="{ left: `${wipe * 100}%` }" />
        <span class="name left">A Draft</span>
        <span class="name right">B Still</span>
      </template>
    </div>
  </div>
  <div class="tools">
    <template v-if="still.state === 'running' || still.state === 'queued'">
      <span class="chip" role="status">
        <template v-if="still.state === 'queued'">Waits for its turn</template>
        <template v-else
          >{{ Math.floor(still.progress * 100) }} % · {{ formatDuration(elapsed) }} elapsed ·
          {{ still.secondsLeft === null ? 'estimating…' : `${formatDuration(still.secondsLeft)} left` }}</template
        >
      </span>
      <v-progress-linear
        :model-value="still.progress * 100"
        color="white"
        height="6"
        rounded
        class="track"
        aria-label="Progress of this still"
      />
      <button @click="emit('cancel')">Cancel</button>
    </template>
    <template v-else-if="still.state === 'done'">
      <button :aria-pressed="against" @click="against = !against">wipe against draft (W)</button>
      <label v-if="wiping" class="chip"
        ><span class="visually-hidden">Wipe position</span
        ><input v-model.number="wipe" type="range" min="0" max="1" step="0.01"
      /></label>
      <span v-else-if="against" class="chip" role="status">{{
        drawing ? 'drawing the draft…' : 'loading the scene…'
      }}</span>
      <button v-for="z in ['fit', 1, 2] as const" :key="z" :aria-pressed="zoom === z" @click="zoom = z">
        {{ z === 'fit' ? 'Fit' : `${z}00 %` }}
      </button>
    </template>
    <template v-else>
      <span class="chip" role="status">{{ still.state === 'failed' ? still.message : 'Cancelled' }}</span>
      <button @click="emit('again')">Render again</button>
    </template>
  </div>
</template>

<style scoped>
.room {
  flex: 1;
  min-height: 0;
  display: grid;
  place-content: center;
  overflow: hidden;
}
.room.wide {
  overflow: auto;
  place-content: safe center;
}
.picture {
  position: relative;
  background: #6a6a6a;
  touch-action: none;
}
img,
.draft {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  display: block;
}
.pixelated {
  image-rendering: pixelated;
}
.edge {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 2px;
  margin-left: -1px;
  background: #fff;
  outline: 1px solid rgb(0 0 0 / 45%);
  cursor: ew-resize;
}
.name {
  position: absolute;
  bottom: 0;
  padding: 1px 8px;
  background: #fff;
  color: #161616;
  font-size: 12px;
  font-weight: 600;
  pointer-events: none;
}
.left {
  left: 0;
}
.right {
  right: 0;
}
.tools {
  display: flex;
  justify-content: center;
  align-items: center;
  gap: 8px;
  padding: 8px;
  min-height: 42px;
}
button {
  padding: 2px 10px;
  border-radius: 4px;
  background: #4a4a4a;
  color: #fff;
}
button[aria-pressed='true'] {
  background: #fff;
  color: #161616;
}
.chip {
  display: inline-flex;
  padding: 2px 10px;
  border-radius: 4px;
  background: #4a4a4a;
  color: #fff;
}
.track {
  max-width: 160px;
}
input {
  accent-color: #fff;
  width: 140px;
}
</style>
