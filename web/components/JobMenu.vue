<script setup lang="ts">
/** The job that is being worked on; pressed, all that are open, with what each waits for. */
import { useOpenJobs } from '../composables/openJobs';

const jobs = useOpenJobs();
</script>

<template>
  <v-menu v-if="jobs.length > 0" location="bottom end">
    <template #activator="{ props: menu }">
      <button class="job" v-bind="menu" :title="jobs[0].waits">
        <span class="visually-hidden">Running jobs: </span>
        <span>{{ jobs[0].label }}</span>
        <v-progress-linear
          :model-value="jobs[0].progress * 100"
          color="primary"
          height="6"
          rounded
          aria-label="Progress of the render"
          class="track"
        />
        <span class="quiet">{{ jobs[0].active ? jobs[0].left : 'waits' }}</span>
        <span v-if="jobs.length > 1" class="quiet">+{{ jobs.length - 1 }}</span>
      </button>
    </template>
    <div class="jobs" role="menu" aria-label="Running jobs">
      <router-link v-for="j in jobs" :key="j.id" :to="j.to" role="menuitem" class="line" :class="{ active: j.active }">
        <strong>{{ j.label }}</strong>
        <span class="quiet time">{{ j.left }}</span>
        <span class="quiet narrow">{{ j.project }}</span>
        <span class="narrow time" :class="{ quiet: j.active }">{{
          j.active ? 'being rendered' : j.waits || 'waits'
        }}</span>
      </router-link>
      <p class="quiet narrow">Stills and wedges come before frames of sequences; of each kind the oldest first.</p>
    </div>
  </v-menu>
</template>

<style scoped>
.job {
  display: flex;
  align-items: center;
  gap: 8px;
  white-space: nowrap;
}
.track {
  width: 90px;
}
.jobs {
  width: 400px;
  padding: 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
}
.line {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 12px;
  padding: 5px 6px;
  border-radius: 4px;
  color: var(--ink);
  text-decoration: none;
}
.line:hover,
.line:focus-visible {
  background: rgba(var(--v-theme-primary), 0.12);
}
.line + .line {
  border-top: 1px solid var(--line);
}
.time {
  text-align: right;
}
p {
  padding: 6px 6px 2px;
}
</style>
