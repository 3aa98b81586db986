<script setup lang="ts">
/** A sequence at large: its frames one by one, or as a movie, over the map of all frames. */
import { computed, ref, watch } from 'vue';
import type { Sequence } from '@daxel/api/schemas';
import { api } from '../api/client';
import { formatDuration } from '../composables/format';
import type { Movie } from '../composables/useMovie';
import { finishedFrames, sequenceProgress } from '../stores/sequences';
import FrameMap from './FrameMap.vue';

const props = defineProps<{
  sequence: Sequence;
  frame: number | null;
  movie: Movie | null;
  making: { done: number; all: number } | null;
}>();
const playing = defineModel<boolean>('playing', { required: true });
const emit = defineEmits<{ go: [frame: number]; step: [by: number]; movie: []; stop: [] }>();

const actual = ref(false);
const source = computed(() => {
  const { id, formed } = props.sequence;
  if (props.frame !== null) return api.sequenceFrame(id, props.frame, 'png8');
  return formed > 0 ? api.sequenceForming(id, formed) : null;
});
const current = computed(() => {
  const { state, map, request } = props.sequence;
  const at = map.indexOf('.');
  return state === 'running' && at >= 0 ? request.first + at : null;
});
const video = ref<HTMLVideoElement | null>(null);
watch([video, playing], () => {
  if (playing.value) video.value?.play().catch(() => (playing.value = false));
});
const STATES: Record<Sequence['state'], string> = {
  queued: 'waits for its turn',
  running: 'rendering',
  paused: 'paused',
  done: 'finished',
  failed: 'failed',
  cancelled: 'cancelled',
};
</script>

<template>
  <div class="room" :class="{ actual }" data-testid="sequence-picture">
    <video
      v-if="playing && movie"
      ref="video"
      :src="movie.url"
      :width="sequence.width"
      controls
      loop
      muted
      playsinline
      aria-label="Movie of the sequence"
    />
    <img
      v-else-if="source"
      :src="source"
      :alt="frame === null ? 'The first frame so far' : `Frame ${frame} of ${sequence.shotName}`"
      :width="sequence.width"
      :height="sequence.height"
      draggable="false"
    />
    <p v-else class="chip">
      {{
        sequence.state === 'running' ? 'The first frame is being rendered.' : `No frame yet: ${STATES[sequence.state]}.`
      }}
    </p>
  </div>
  <div class="picture-tools">
    <template v-if="frame !== null">
      <button aria-label="Frame before" :disabled="playing" @click="emit('step', -1)">◀</button>
      <span class="chip">frame {{ frame }}</span>
      <button aria-label="Next frame" :disabled="playing" @click="emit('step', 1)">▶</button>
      <button v-if="making" @click="emit('stop')">
        Making the movie, {{ making.done }} of {{ making.all }} – stop
      </button>
      <button v-else :aria-pressed="playing" @click="emit('movie')">
        {{ playing ? 'Back to frames' : 'Play movie' }}
      </button>
      <button :aria-pressed="!actual" @click="actual = false">Fit</button>
      <button :aria-pressed="actual" @click="actual = true">100 %</button>
    </template>
  </div>
  <div class="lower">
    <p class="state" role="status">
      {{ finishedFrames(sequence) }} of {{ sequence.map.length }} frames, {{ STATES[sequence.state]
      }}<template v-if="sequence.state === 'running' && sequence.secondsLeft !== null"
        >, {{ formatDuration(sequence.secondsLeft) }} left</template
      >
    </p>
    <v-progress-linear
      v-if="sequence.state === 'running' || sequence.state === 'paused'"
      :model-value="sequenceProgress(sequence) * 100"
      color="primary"
      height="6"
      rounded
      aria-label="Progress of the sequence"
    />
    <FrameMap
      :map="sequence.map"
      :first="sequence.request.first"
      :current="current"
      :frame="frame"
      @go="(n) => emit('go', n)"
    />
  </div>
</template>

<style scoped>
.room {
  flex: 1;
  min-height: 0;
  display: grid;
  place-items: center;
  padding: 14px;
  overflow: hidden;
}
.room.actual {
  overflow: auto;
  place-items: safe center;
}
img,
video {
  display: block;
  max-width: 100%;
  max-height: 100%;
  min-width: 0;
  min-height: 0;
  height: auto;
  object-fit: contain;
}
.actual img,
.actual video {
  max-width: none;
  max-height: none;
}
.chip {
  padding: 2px 10px;
  border-radius: 4px;
  background: #4a4a4a;
  color: #fff;
}
.lower {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 8px 12px 10px;
  background: var(--ground);
  border-top: 1px solid var(--line);
  max-height: 40%;
  overflow-y: auto;
}
</style>
