<script setup lang="ts">
import type { Still } from '@daxel/api/schemas';
import { api } from '../api/client';
import { formatDate, formatDuration } from '../composables/format';

defineProps<{ stills: Still[]; chosen: string | null; loaded: boolean }>();
const emit = defineEmits<{ open: [still: Still]; cancel: [still: Still] }>();

const STATES: Record<Still['state'], string> = {
  queued: 'waits',
  running: 'rendering',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
};
function source(s: Still): string | null {
  if (s.state === 'done') return api.stillFile(s.id, 'png8');
  return s.state === 'running' && s.formed > 0 ? api.forming(s.id, s.formed) : null;
}
</script>

<template>
  <section aria-label="Stills" class="list">
    <header>
      <h2>Stills</h2>
      <span class="quiet">{{ stills.length }}</span>
    </header>
    <p v-if="loaded && stills.length === 0" class="quiet none">Finished stills are kept here.</p>
    <ul>
      <li v-for="s in stills" :key="s.id">
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
            <strong>{{ s.shotName }}<template v-if="s.freeView"> · free view</template></strong>
            <span class="quiet narrow">{{ s.recipe.name }} · {{ s.width }}×{{ s.height }} · {{ s.samples }} spp</span>
            <span class="narrow" :class="s.state === 'failed' ? 'flag' : 'quiet'">
              <template v-if="s.state === 'running'"
                >{{ Math.floor(s.progress * 100) }} % ·
                {{ s.secondsLeft === null ? '…' : `${formatDuration(s.secondsLeft)} left` }}</template
              >
              <template v-else-if="s.state === 'done'">{{ formatDate(s.finishedAt ?? s.createdAt) }}</template>
              <template v-else>{{ STATES[s.state] }}</template>
            </span>
          </span>
        </button>
        <v-progress-linear
          v-if="s.state === 'running'"
          :model-value="s.progress * 100"
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
  flex: 1 1 0;
  display: flex;
  flex-direction: column;
  min-height: 0;
}
</style>
