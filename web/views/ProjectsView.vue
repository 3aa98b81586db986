<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import type { Project } from '@daxel/api/schemas';
import { api, ApiError } from '../api/client';
import { useCommands } from '../commands/commands';
import ProjectCard from '../components/ProjectCard.vue';
import { useNotices } from '../stores/notices';
import { useProjects } from '../stores/projects';

const projects = useProjects();
const notices = useNotices();
const router = useRouter();
const picker = ref<HTMLInputElement | null>(null);
const over = ref(false);
const importing = ref<{ name: string; share: number; cancel: () => void } | null>(null);
const failure = ref<string | null>(null);
const made = ref<Project | null>(null);

useCommands([
  { id: 'import', label: 'Import a .glb file', key: 'I', group: 'Projects', run: () => picker.value?.click() },
]);

const warnings = computed(() => made.value?.scenes.flatMap((s) => s.warnings) ?? []);

async function bringIn(file: File | undefined): Promise<void> {
  if (!file || importing.value) return;
  failure.value = null;
  made.value = null;
  if (!/\.glb$/i.test(file.name)) {
    failure.value = `${file.name}: only .glb files can be dropped here. Export the scene as glTF binary (.glb).`;
    return;
  }
  const upload = api.importFile(file, (share) => {
    if (importing.value) importing.value.share = share;
  });
  importing.value = { name: file.name, share: 0, cancel: upload.cancel };
  try {
    const project = await upload.promise;
    await projects.load();
    made.value = project;
    if (project.scenes.every((s) => s.warnings.length === 0)) openShot(project);
  } catch (error) {
    if (!(error instanceof ApiError && error.code === 'cancelled')) failure.value = (error as Error).message;
  } finally {
    importing.value = null;
  }
}
function drop(event: DragEvent): void {
  over.value = false;
  void bringIn(event.dataTransfer?.files[0]);
}
function openShot(project: Project): void {
  const shot = project.shots[0];
  if (shot) void router.push({ name: 'tune', params: { shotId: shot.id } });
}
async function remove(project: Project): Promise<void> {
  try {
    await api.deleteProject(project.id);
    await projects.load();
    const undo = async (): Promise<void> => {
      await api.restoreProject(project.id);
      await projects.load();
    };
    notices.say(`${project.name} was deleted.`, { label: 'Undo', run: () => void undo().catch(notices.flag) });
  } catch (error) {
    notices.flag(error);
  }
}
async function rename(project: Project, name: string): Promise<void> {
  try {
    await api.renameProject(project.id, name);
    await projects.load();
  } catch (error) {
    notices.flag(error);
  }
}
</script>

<template>
  <section
    class="page"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave.self="over = false"
    @drop.prevent="drop"
  >
    <header>
      <h1>Projects</h1>
      <span class="quiet">Drop a .glb anywhere on this page: its cameras become shots.</span>
      <span class="space" />
      <v-btn class="strong" @click="picker?.click()">Import .glb…</v-btn>
      <input
        ref="picker"
        type="file"
        accept=".glb"
        class="visually-hidden"
        tabindex="-1"
        aria-label="Scene file"
        @change="(bringIn(picker?.files?.[0]), picker && (picker.value = ''))"
      />
    </header>
    <div v-if="importing" class="strip" role="status">
      <span>{{ importing.share < 1 ? 'Sending' : 'Checking, compiling and drawing' }} {{ importing.name }}</span>
      <v-progress-linear
        :model-value="importing.share * 100"
        :indeterminate="importing.share >= 1"
        color="primary"
        height="6"
        aria-label="Import progress"
      />
      <v-btn @click="importing.cancel()">Cancel</v-btn>
    </div>
    <p v-if="failure" class="strip flag" role="alert">{{ failure }}</p>
    <div v-if="made && warnings.length > 0" class="strip told" role="status">
      <div>
        <strong>{{ made.name }}</strong> is ready, with these remarks:
        <ul>
          <li v-for="w in warnings" :key="w">{{ w }}</li>
        </ul>
      </div>
      <v-btn class="strong" @click="openShot(made)">Open {{ made.shots[0]?.name }}</v-btn>
    </div>
    <p v-if="projects.failure" class="strip flag" role="alert">{{ projects.failure }}</p>
    <p v-else-if="projects.loaded && projects.list.length === 0" class="empty">
      No project yet. Drop a .glb here to begin.
    </p>
    <div class="cards">
      <ProjectCard
        v-for="p in projects.list"
        :key="p.id"
        :project="p"
        @remove="remove(p)"
        @rename="(name) => rename(p, name)"
      />
    </div>
  </section>
</template>

<style scoped>
.page {
  height: 100%;
  overflow: auto;
  padding: 18px 24px;
  border: 2px dashed transparent;
}
.page.over {
  border-color: var(--accent);
}
header {
  display: flex;
  align-items: baseline;
  gap: 14px;
  margin-bottom: 16px;
}
.space {
  flex: 1;
}
.strip {
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 10px 12px;
  margin-bottom: 14px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
}
.strip .v-progress-linear {
  max-width: 260px;
}
.told {
  justify-content: space-between;
}
.told ul {
  padding-left: 18px;
}
.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(260px, 1fr));
  gap: 18px;
}
.empty {
  padding: 60px;
  text-align: center;
  font-size: 15px;
}
</style>
