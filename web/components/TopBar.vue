<script setup lang="ts">
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useProjects } from '../stores/projects';
import JobMenu from './JobMenu.vue';

defineProps<{ connected: boolean }>();
const emit = defineEmits<{ commands: []; keys: []; theme: [] }>();
const route = useRoute();
const router = useRouter();
const projects = useProjects();

const shotId = computed(() => (typeof route.params.shotId === 'string' ? route.params.shotId : null));
const current = computed(() => (shotId.value ? projects.find(shotId.value) : undefined));
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
    <JobMenu v-else />
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
.plain {
  white-space: nowrap;
  border-radius: 3px;
}
</style>
