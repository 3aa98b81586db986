<script setup lang="ts">
/** The first page leads on to the shot last looked at, or to the demo's first. */
import { watchEffect } from 'vue';
import { useRouter } from 'vue-router';
import { shotToOpen } from '../composables/useShot';
import { useProjects } from '../stores/projects';

const router = useRouter();
const projects = useProjects();
watchEffect(() => {
  if (!projects.loaded) return;
  const shotId = shotToOpen(projects);
  void router.replace(shotId ? { name: 'tune', params: { shotId } } : { name: 'projects' });
});
</script>

<template>
  <p class="page quiet" role="status">{{ projects.failure ?? 'Opening…' }}</p>
</template>
<style scoped>
.page {
  padding: 40px;
}
</style>
