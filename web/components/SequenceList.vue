<script setup lang="ts">
import type { Sequence } from '@daxel/api/schemas';
import { api } from '../api/client';
import { formatDate } from '../composables/format';
import { useOpenJobs } from '../composables/openJobs';
import { finishedFrames, newestFrame, sequenceProgress } from '../stores/sequences';

defineProps<{ sequences: Sequence[]; chosen: string | null; loaded: boolean }>();
const emit = defineEmits<{ open: [sequence: Sequence]; ask: [] }>();

const STATES: Record<Sequence['state'], string> = {
  queued: 'waits',
  running: 'rendering',
  paused: 'paused',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
};
const jobs = useOpenJobs();
/** With what is ahead of it, and the time until it is done with that. */
function stateOf(s: Sequence): string {
  const job = jobs.value.find((j) => j.id === s.id);
  if (!job) return STATES[s.state];
  return `${job.waits ? `waits ${job.waits}` : STATES[s.state]} · ${job.left}`;
}
/** The last finished frame. */
function source(s: Sequence): string | null {
  const frame = newestFrame(s.map, s.request.first);
  return frame === null ? null : api.sequenceFrame(s.id, frame, 'png8');
}
</script>

<template>
  <section aria-label="Sequences" class="list">
    <header>
      <h2>Sequences</h2>
      <span class="quiet">{{ sequences.length }}</span>
      <v-btn size="small" class="ask" @click="emit('ask')">Render frames…</v-btn>
    </header>
    <p v-if="loaded && sequences.length === 0" class="quiet none">
      Frames of a shot, rendered out one after the other. They go on after a restart.
    </p>
    <ul>
      <li v-for="s in sequences" :key="s.id">
        <button
          class="entry"
          :class="{ chosen: s.id === chosen }"
          :aria-current="s.id === chosen ? 'true' : undefined"
          @click="emit('open', s)"
        >
          <span class="thumb"
            ><img v-if="source(s)" :src="source(s) ?? ''" alt="" loading="lazy" decoding="async"
          /></span>
          <span class="text">
            <strong>{{ s.shotName }} {{ s.request.first }}–{{ s.request.last }}</strong>
            <span class="quiet narrow">{{ s.recipe.name }} · {{ s.width }}×{{ s.height }} · {{ s.samples }} spp</span>
            <span class="narrow" :class="s.state === 'failed' ? 'flag' : 'quiet'">
              <template v-if="s.state === 'done'">{{ formatDate(s.finishedAt ?? s.createdAt) }}</template>
              <template v-else>{{ finishedFrames(s) }} of {{ s.map.length }} · {{ stateOf(s) }}</template>
            </span>
          </span>
        </button>
        <v-progress-linear
          v-if="s.state === 'running'"
          :model-value="sequenceProgress(s) * 100"
          color="primary"
          height="3"
          :aria-label="`Progress of ${s.shotName}`"
        />
      </li>
    </ul>
  </section>
</template>

<style scoped>
.list {
  flex: 0 1 auto;
  max-height: 60%;
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-bottom: 1px solid var(--line);
}
.ask {
  margin-left: auto;
}
</style>
