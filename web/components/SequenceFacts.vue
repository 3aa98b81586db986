<script setup lang="ts">
/** What a sequence is made of and what it took, what checking its frames found, and its files. */
import { computed } from 'vue';
import type { Sequence, SequenceFrame } from '@daxel/api/schemas';
import { brightnessJumps } from '@daxel/core/measure/frameCheck';
import { rateName } from '@daxel/core/scene/shotTiming';
import { api } from '../api/client';
import { FILE_NAMES } from '../composables/fileNames';
import { formatBytes, formatDate, formatDuration, formatMs } from '../composables/format';
import type { Movie } from '../composables/useMovie';
import { finishedFrames } from '../stores/sequences';

const props = defineProps<{
  sequence: Sequence;
  frames: SequenceFrame[];
  frame: number | null;
  movie: Movie | null;
  movieFailure: string | null;
}>();
const emit = defineEmits<{ pause: []; resume: []; cancel: []; remove: []; go: [frame: number] }>();

const open = computed(() => props.sequence.state === 'queued' || props.sequence.state === 'running');
const finished = computed(() => finishedFrames(props.sequence));
const missing = computed(() => props.sequence.map.length - finished.value);
/** What checking found, in the order of the frames. */
const findings = computed(() => {
  const found = props.frames.flatMap((f) => f.faults.map((text) => ({ frame: f.frame, text })));
  for (const { index, stops } of brightnessJumps(props.frames.map((f) => f.mean)))
    found.push({
      frame: props.frames[index].frame,
      text: `${Math.abs(stops).toFixed(1)} stops ${stops > 0 ? 'brighter' : 'darker'} than its neighbours`,
    });
  return found.sort((a, b) => a.frame - b.frame);
});
const own = computed(() => props.frames.find((f) => f.frame === props.frame) ?? null);
const movieName = computed(
  () => `${props.sequence.shotName}-${props.sequence.request.first}-${props.sequence.request.last}.webm`,
);
</script>

<template>
  <aside class="facts" aria-label="About this sequence">
    <h1>{{ sequence.shotName }}</h1>
    <p class="quiet">
      {{ sequence.projectName }}, frames {{ sequence.request.first }} to {{ sequence.request.last }},
      {{ rateName(sequence.rate) }} a second<template v-if="sequence.rig">, rig {{ sequence.rig.name }}</template>
    </p>
    <p class="quiet">{{ formatDate(sequence.finishedAt ?? sequence.createdAt) }}</p>
    <p>
      {{ sequence.request.tier === 'final' ? 'Final' : 'Draft' }} of {{ sequence.recipe.name }}, {{ sequence.width }}×{{
        sequence.height
      }}, {{ sequence.samples }} samples a pixel
    </p>
    <p v-if="finished > 0">
      {{ formatDuration(sequence.seconds) }} for {{ finished }} {{ finished === 1 ? 'frame' : 'frames' }},
      {{ formatMs(sequence.seconds / finished) }} each
    </p>
    <p v-if="sequence.message" class="flag" role="alert">{{ sequence.message }}</p>
    <p v-if="open || missing > 0" class="acts">
      <v-btn v-if="open" size="small" @click="emit('pause')">Pause</v-btn>
      <v-btn v-if="!open && missing > 0" size="small" class="strong" @click="emit('resume')">
        {{ sequence.state === 'paused' ? 'Resume' : `Render the ${missing} missing` }}
      </v-btn>
      <v-btn v-if="open || sequence.state === 'paused'" size="small" @click="emit('cancel')">Cancel</v-btn>
    </p>
    <template v-if="finished > 0">
      <h2>Files</h2>
      <div class="files">
        <a
          v-for="f in sequence.files"
          :key="f.kind"
          :href="api.sequenceZip(sequence.id, f.kind)"
          download
          :data-zip="f.kind"
          >{{ FILE_NAMES[f.kind] }} <span class="quiet">ZIP, {{ formatBytes(f.bytes) }}</span></a
        >
        <a v-if="movie" :href="movie.url" :download="movieName" data-movie
          >Movie, WebM <span class="quiet">{{ movie.frames }} frames, {{ formatBytes(movie.bytes) }}</span></a
        >
      </div>
      <p v-if="movieFailure" class="flag" role="alert">{{ movieFailure }}</p>
      <p v-if="movie" class="quiet narrow">A movie is compressed: judge flicker on the frames, or on Motion.</p>
      <h2>Checks</h2>
      <p v-if="missing === 0 && findings.length === 0">All {{ finished }} frames are there, and nothing stands out.</p>
      <p v-else-if="findings.length === 0" class="quiet">{{ missing }} missing so far, nothing stands out.</p>
      <ul v-else>
        <li v-for="(f, i) in findings.slice(0, 50)" :key="i">
          <button class="link flag" @click="emit('go', f.frame)">frame {{ f.frame }}</button> {{ f.text }}
        </li>
      </ul>
      <template v-if="own">
        <h2>Frame {{ own.frame }}</h2>
        <p>{{ formatMs(own.seconds) }}, mean light {{ own.mean.toPrecision(3) }}</p>
        <p class="quiet narrow" title="Fingerprint of the scene-linear picture: equal when every bit is">
          bits {{ own.beautyHash.slice(0, 8) }}
        </p>
        <p class="singles">
          <a
            v-for="f in sequence.files"
            :key="f.kind"
            :href="api.sequenceFrame(sequence.id, own.frame, f.kind, true)"
            download
            >{{ FILE_NAMES[f.kind] }}</a
          >
        </p>
      </template>
    </template>
    <v-btn size="small" class="delete" @click="emit('remove')">Delete sequence</v-btn>
  </aside>
</template>

<style scoped>
h2 {
  padding-top: 8px;
}
.acts {
  display: flex;
  gap: 6px;
  padding: 4px 0;
}
ul {
  list-style: none;
  max-height: 160px;
  overflow-y: auto;
}
.link {
  text-decoration: underline;
}
.singles {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
}
.delete {
  margin-top: 10px;
  align-self: flex-start;
}
</style>
