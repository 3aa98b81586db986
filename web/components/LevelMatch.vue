<script setup lang="ts">
/** Light levels that would bring the rasterised picture closest to the reference, as a proposal. */
import { formatPercent } from '../composables/format';
import type { LevelProposal } from '../composables/useMatchLevels';

defineProps<{
  proposal: LevelProposal | null;
  running: { done: number; all: number } | null;
  failure: string | null;
  rig: string;
  enabled: boolean;
}>();
const emit = defineEmits<{ search: []; cancel: []; apply: []; dismiss: [] }>();
</script>

<template>
  <section class="match" aria-label="Match levels">
    <v-btn size="small" :disabled="!enabled || running !== null" @click="emit('search')">Match levels…</v-btn>
    <span v-if="running" role="status"
      >drawing light {{ running.done }} of {{ running.all }} <button @click="emit('cancel')">cancel</button></span
    >
    <span v-else-if="failure" class="flag" role="alert">{{ failure }}</span>
    <template v-else-if="proposal">
      <span class="narrow"
        >Difference {{ formatPercent(proposal.before) }} →
        <strong>{{ formatPercent(proposal.after) }}</strong> with:</span
      >
      <span v-for="l in proposal.lights" :key="l.index" class="level narrow" data-testid="level"
        >{{ l.name }} ×{{ l.factor.toFixed(2) }}</span
      >
      <v-btn size="small" class="strong" @click="emit('apply')">Apply to rig {{ rig }}</v-btn>
      <button @click="emit('dismiss')">dismiss</button>
    </template>
    <span v-else class="quiet narrow"
      >finds the light strengths that bring the rasterised picture closest to the reference</span
    >
  </section>
</template>

<style scoped>
.match {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
  padding: 6px 12px;
  border-top: 1px solid var(--line);
}
.level {
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
}
button:not(.v-btn) {
  color: var(--accent);
}
</style>
