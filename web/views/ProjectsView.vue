<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { Project } from '@daxel/api/schemas';
import { api } from '../api/client';
import { useCommands } from '../commands/commands';
import ProjectCard from '../components/ProjectCard.vue';
import StorageSheet from '../components/StorageSheet.vue';
import { useImports } from '../stores/imports';
import { useNotices } from '../stores/notices';
import { useProjects } from '../stores/projects';

const projects = useProjects();
const notices = useNotices();
const router = useRouter();
const route = useRoute();
const imports = useImports();
const picker = ref<HTMLInputElement | null>(null);
const over = ref(false);
const storage = ref(false);
useCommands([
  { id: 'import', label: 'Import a .glb file', key: 'I', group: 'Projects', run: () => picker.value?.click() },
  { id: 'storage', label: 'See what lies on disk', group: 'Projects', run: () => (storage.value = true) },
]);

const warnings = computed(() => imports.made?.scenes.flatMap((s) => s.warnings) ?? []);

async function bringIn(file: File | undefined): Promise<void> {
  const project = await imports.bringIn(file);
  if (project?.scenes.every((s) => s.warnings.length === 0) && route.name === 'projects') openShot(project);
}
function drop(event: DragEvent): void {
  over.value = false;
  event.stopPropagation();
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
      <v-btn @click="storage = true">On disk…</v-btn>
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
    <div v-if="imports.running" class="strip" role="status">
      <span>{{ imports.running.name }}: {{ imports.doing }}</span>
      <v-progress-linear
        :model-value="(imports.done ?? 0) * 100"
        :indeterminate="imports.done === null"
        color="primary"
        height="6"
        aria-label="Import progress"
      />
      <v-btn @click="imports.running.cancel()">Cancel</v-btn>
    </div>
    <p v-if="imports.failure" class="strip flag" role="alert">{{ imports.failure }}</p>
    <div v-if="imports.made && warnings.length > 0" class="strip told" role="status">
      <div>
        <strong>{{ imports.made.name }}</strong> is ready, with these remarks:
        <ul>
          <li v-for="w in warnings" :key="w">{{ w }}</li>
        </ul>
      </div>
      <v-btn class="strong" @click="openShot(imports.made)">Open {{ imports.made.shots[0]?.name }}</v-btn>
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
    <StorageSheet v-if="storage" @close="storage = false" />
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
