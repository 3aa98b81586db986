<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { useTheme } from 'vuetify';
import type { Sequence } from '@daxel/api/schemas';
import { listenToServer } from './api/client';
import { handleKey, useCommands } from './commands/commands';
import CommandList from './components/CommandList.vue';
import EditConflict from './components/EditConflict.vue';
import KeyHelp from './components/KeyHelp.vue';
import TopBar from './components/TopBar.vue';
import { useSettingCommands } from './composables/useSettingCommands';
import { isEnvironmentFile, useEnvironmentFiles } from './composables/useEnvironmentDrop';
import { useDocument } from './stores/document';
import { useImports } from './stores/imports';
import { useNotices } from './stores/notices';
import { useProjects } from './stores/projects';
import { useSequences } from './stores/sequences';
import { useStills } from './stores/stills';
import { useWedges } from './stores/wedges';

const notices = useNotices();
const projects = useProjects();
const stills = useStills();
const sequences = useSequences();
const wedges = useWedges();
const router = useRouter();
const imports = useImports();
const edits = useDocument();
const environments = useEnvironmentFiles();
const theme = useTheme();
const listOpen = ref(false);
const helpOpen = ref(false);
const connected = ref(true);
const isolated = window.crossOriginIsolated;

const THEME_KEY = 'daxel-theme';
theme.change(localStorage.getItem(THEME_KEY) === 'dim' ? 'dim' : 'light');
function switchTheme(): void {
  const next = theme.global.name.value === 'light' ? 'dim' : 'light';
  theme.change(next);
  localStorage.setItem(THEME_KEY, next);
}

/** A file dropped on any screen is a scene to bring in; the browser would leave the application for it. */
function allowDrop(event: DragEvent): void {
  event.preventDefault();
}
function drop(event: DragEvent): void {
  event.preventDefault();
  const file = event.dataTransfer?.files[0];
  if (!file) return;
  if (isEnvironmentFile(file.name)) return void environments.bringIn(file);
  void router.push('/projects');
  void imports.bringIn(file);
}

useCommands([
  {
    id: 'commands',
    label: 'List of commands',
    key: 'Ctrl+K',
    group: 'Everywhere',
    run: () => (listOpen.value = !listOpen.value),
  },
  {
    id: 'keys',
    label: 'Keys of this screen',
    key: '?',
    group: 'Everywhere',
    run: () => (helpOpen.value = !helpOpen.value),
  },
  { id: 'projects', label: 'Go to Projects', key: 'G', group: 'Everywhere', run: () => void router.push('/projects') },
  { id: 'theme', label: 'Switch between light and dim', key: 'D', group: 'Everywhere', run: switchTheme },
]);

useSettingCommands();

/** An overnight render ends while something else is looked at. */
function tellEnd(before: Sequence | null, now: Sequence): void {
  if (before?.state !== 'running' || (now.state !== 'done' && now.state !== 'failed')) return;
  const text =
    now.state === 'done' ? `${now.shotName}: ${now.map.length} frames are there.` : (now.message ?? 'Failed');
  const to = { name: 'sequence', params: { shotId: now.shotId, sequenceId: now.id } };
  notices.say(text, { label: 'Show', run: () => void router.push(to) });
}

// what an earlier page could not save
watch(
  () => projects.loaded,
  (loaded) => loaded && void edits.sendOthers(),
  { immediate: true },
);

let stop: (() => void) | undefined;
/** The stream begins with a hello; what was loaded a moment before need not be loaded again. */
let greeted = false;
onMounted(() => {
  window.addEventListener('keydown', handleKey);
  window.addEventListener('dragover', allowDrop);
  window.addEventListener('drop', drop);
  Promise.all([stills.load(), sequences.load(), wedges.loadOpen()]).catch(notices.flag);
  stop = listenToServer(
    (event) => {
      if (event.type === 'still') stills.put(event.still);
      else if (event.type === 'still-gone') stills.drop(event.id);
      else if (event.type === 'wedge') wedges.put(event.wedge);
      else if (event.type === 'wedge-gone') wedges.drop(event.id);
      else if (event.type === 'sequence') tellEnd(sequences.put(event.sequence), event.sequence);
      else if (event.type === 'sequence-gone') sequences.drop(event.id);
      else if (event.type === 'projects') void projects.load();
      else if (event.type === 'import') imports.told(event.upload, event.progress);
      else if (greeted)
        void Promise.all([projects.load(), stills.load(), sequences.load(), wedges.loadOpen()])
          .then(() => edits.sendOthers())
          .catch(notices.flag);
      else greeted = true;
    },
    (state) => (connected.value = state),
  );
});
onUnmounted(() => {
  window.removeEventListener('keydown', handleKey);
  window.removeEventListener('dragover', allowDrop);
  window.removeEventListener('drop', drop);
  stop?.();
});

const noticeOpen = computed({
  get: () => notices.current !== null,
  set: (open) => {
    if (!open) notices.current = null;
  },
});
</script>

<template>
  <v-app>
    <div class="frame">
      <TopBar :connected="connected" @commands="listOpen = true" @keys="helpOpen = true" @theme="switchTheme" />
      <p v-if="!isolated" class="banner flag" role="alert">
        This page may not share memory between threads, so pictures are rendered by a single one. Open it from the
        address that ./daxel demo printed, or over HTTPS, to use all of them.
      </p>
      <main class="screen"><router-view /></main>
    </div>
    <EditConflict />
    <CommandList v-model="listOpen" />
    <KeyHelp v-model="helpOpen" />
    <v-dialog
      :model-value="environments.question !== null"
      max-width="460"
      :transition="false"
      @update:model-value="environments.question = null"
    >
      <div class="question" role="dialog" aria-label="A smaller picture">
        <p>{{ environments.question?.message }}</p>
        <p class="answers">
          <v-btn @click="environments.question = null">Leave it</v-btn>
          <v-btn class="strong" @click="environments.accept">Bring it in smaller</v-btn>
        </p>
      </div>
    </v-dialog>
    <v-snackbar
      v-model="noticeOpen"
      :timeout="notices.current?.flagged ? 12000 : 6000"
      location="bottom"
      rounded="4"
      :transition="false"
      class="notice"
    >
      <span :role="notices.current?.flagged ? 'alert' : 'status'">{{ notices.current?.text }}</span>
      <template #actions>
        <v-btn
          v-if="notices.current?.action"
          variant="text"
          @click="(notices.current.action.run(), (notices.current = null))"
        >
          {{ notices.current.action.label }}
        </v-btn>
        <v-btn variant="text" @click="notices.current = null">Close</v-btn>
      </template>
    </v-snackbar>
  </v-app>
</template>

<style scoped>
.frame {
  display: flex;
  flex-direction: column;
  height: 100vh;
}
.screen {
  flex: 1;
  min-height: 0;
}
.banner {
  padding: 6px 14px;
  border-bottom: 1px solid var(--line);
}
</style>
