<script setup lang="ts">
import { computed } from 'vue';
import { useRoute, useRouter, type RouteLocationRaw } from 'vue-router';
import { formatDuration } from '../composables/format';
import { useProjects } from '../stores/projects';
import { finishedFrames, sequenceProgress, useSequences } from '../stores/sequences';
import { useStills } from '../stores/stills';

defineProps<{ connected: boolean }>();
const emit = defineEmits<{ commands: []; keys: []; theme: [] }>();
const route = useRoute();
const router = useRouter();
const projects = useProjects();
const stills = useStills();
const sequences = useSequences();

const shotId = computed(() => (typeof route.params.shotId === 'string' ? route.params.shotId : null));
const current = computed(() => (shotId.value ? projects.find(shotId.value) : undefined));
interface RunningJob {
  label: string;
  progress: number;
  secondsLeft: number | null;
  to: RouteLocationRaw;
}
const job = computed<RunningJob | null>(() => {
  const still = stills.running[0];
  if (still) {
    const { state, shotName, progress, secondsLeft, shotId, id } = still;
    const to = { name: 'still', params: { shotId, stillId: id } };
    return { label: state === 'queued' ? 'Still waits' : `Still ${shotName}`, progress, secondsLeft, to };
  }
  const sequence = sequences.running[0];
  if (!sequence) return null;
  const { shotName, secondsLeft, shotId, id, map } = sequence;
  const to = { name: 'sequence', params: { shotId, sequenceId: id } };
  const label = `${shotName} ${finishedFrames(sequence)} of ${map.length}`;
  return { label, progress: sequenceProgress(sequence), secondsLeft, to };
});
const more = computed(() => stills.running.length + sequences.running.length - 1);
const screens = [
  { name: 'light', label: 'Light' },
  { name: 'tune', label: 'Tune' },
  { name: 'wedges', label: 'Wedges' },
  { name: 'compare', label: 'Compare' },
  { name: 'motion', label: 'Motion' },
  { name: 'output', label: 'Output' },
];
const isScreen = (name: string): boolean =>
  route.name === name || (name === 'output' && (route.name === 'still' || route.name === 'sequence'));
</script>

<template>
  <header class="bar">
    <router-link to="/projects" class="mark" aria-label="Daxel, all projects">Daxel</router-link>
    <v-menu v-if="current" location="bottom start">
      <template #activator="{ props: menu }">
        <button class="shot" v-bind="menu">
          <span class="visually-hidden">Choose a shot: </span>
          <strong>{{ current.shot.name }}</strong>
          <span class="quiet">frame {{ current.shot.frame }} · {{ current.project.name }}</span>
        </button>
      </template>
      <div class="picker" role="menu">
        <template v-for="p in projects.list" :key="p.id">
          <p class="quiet narrow">{{ p.name }}</p>
          <button
            v-for="s in p.shots"
            :key="s.id"
            role="menuitem"
            class="entry"
            :class="{ chosen: s.id === shotId }"
            @click="router.push({ name: 'tune', params: { shotId: s.id } })"
          >
            <img v-if="s.thumbnail" :src="s.thumbnail" alt="" width="72" height="40" />
            {{ s.name }}
          </button>
        </template>
      </div>
    </v-menu>
    <nav v-if="shotId" aria-label="Screens">
      <router-link
        v-for="s in screens"
        :key="s.name"
        :to="{ name: s.name, params: { shotId } }"
        :class="{ here: isScreen(s.name) }"
        :aria-current="isScreen(s.name) ? 'page' : undefined"
      >
        {{ s.label }}
      </router-link>
    </nav>
    <span class="space" />
    <span v-if="!connected" class="flag" role="status">Server not reached, trying again…</span>
    <router-link v-else-if="job" class="job" :to="job.to">
      <span>{{ job.label }}</span>
      <v-progress-linear
        :model-value="job.progress * 100"
        color="primary"
        height="6"
        rounded
        aria-label="Progress of the render"
        class="track"
      />
      <span class="quiet">{{ job.secondsLeft === null ? '…' : `${formatDuration(job.secondsLeft)} left` }}</span>
      <span v-if="more > 0" class="quiet">+{{ more }}</span>
    </router-link>
    <button class="plain" @click="emit('commands')"><kbd>Ctrl K</kbd> <span class="quiet">commands</span></button>
    <button class="plain" aria-label="Keys of this screen" @click="emit('keys')"><kbd>?</kbd></button>
    <button class="plain" @click="emit('theme')"><span class="quiet">light / dim</span></button>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 14px;
  height: 44px;
  padding: 0 14px;
  border-bottom: 1px solid var(--line);
  flex: none;
}
.mark {
  font-size: 17px;
  font-weight: 750;
  font-stretch: 112%;
  color: var(--ink);
  text-decoration: none;
}
.shot {
  display: flex;
  gap: 8px;
  padding: 5px 10px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  max-width: 320px;
  white-space: nowrap;
  overflow: hidden;
}
.shot span {
  overflow: hidden;
  text-overflow: ellipsis;
}
.picker {
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 8px;
  max-height: 70vh;
  overflow: auto;
}
.picker p {
  padding: 4px 6px;
}
.entry {
  display: flex;
  align-items: center;
  gap: 10px;
  width: 240px;
  padding: 4px 6px;
  border-radius: 4px;
  text-align: left;
}
.entry:hover,
.entry.chosen {
  background: rgba(var(--v-theme-primary), 0.12);
}
.entry img {
  background: var(--mat);
  object-fit: cover;
}
nav {
  display: flex;
  align-self: stretch;
  gap: 4px;
}
nav a {
  display: flex;
  align-items: center;
  padding: 2px 10px 0;
  color: var(--ink);
  text-decoration: none;
  border-bottom: 3px solid transparent;
}
nav a.here {
  font-weight: 650;
  border-color: var(--accent);
}
.space {
  flex: 1;
}
.job {
  display: flex;
  align-items: center;
  gap: 8px;
  color: var(--ink);
  text-decoration: none;
  white-space: nowrap;
}
.track {
  width: 90px;
}
.plain {
  white-space: nowrap;
  border-radius: 3px;
}
</style>
