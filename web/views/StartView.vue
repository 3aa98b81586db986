<script setup lang="ts">
/** The first page leads on to the shot last looked at, or to the demo's first. */
import { watchEffect } from 'vue';
import { useRouter } from 'vue-router';
import { LAST_VISITED } from '../composables/useShot';
import { useProjects } from '../stores/projects';

const router = useRouter();
const projects = useProjects();
watchEffect(() => {
  if (!projects.loaded) return;
  const last = localStorage.getItem(LAST_VISITED);
  const shot = (last && projects.find(last)?.shot) || projects.shots[0]?.shot;
  void router.replace(shot ? { name: 'tune', params: { shotId: shot.id } } : { name: 'projects' });
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
