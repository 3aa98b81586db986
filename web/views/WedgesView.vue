<script setup lang="ts">
/** Wedges: how much of a setting is enough, and what each setting costs and changes. */
import { computed, toRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { z } from 'zod';
import type { Wedge, wedgeRequest } from '@daxel/api/schemas';
import { withValue, type TierValues } from '@daxel/core/recipe/recipe';
import { api } from '../api/client';
import WedgeForm from '../components/WedgeForm.vue';
import WedgeResult from '../components/WedgeResult.vue';
import { formatDate } from '../composables/format';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { useProjects } from '../stores/projects';
import { useStills } from '../stores/stills';
import { useWedges } from '../stores/wedges';

const props = defineProps<{ shotId: string }>();
const route = useRoute();
const router = useRouter();
const document = useDocument();
const notices = useNotices();
const projects = useProjects();
const stills = useStills();
const wedges = useWedges();

const found = computed(() => projects.find(props.shotId));
watch(
  () => found.value?.shot,
  (shot) => {
    if (shot) void document.open(shot);
  },
  { immediate: true },
);
watch(toRef(props, 'shotId'), (id) => void wedges.load(id).catch((error: unknown) => notices.flag(error)), {
  immediate: true,
});
const shot = computed(() => (document.shot?.id === props.shotId ? document.shot : null));
const mine = computed(() => stills.list.filter((s) => s.shotId === props.shotId));
const shown = computed<Wedge | null>(
  () => wedges.list.find((w) => w.id === route.query.wedge) ?? wedges.list[0] ?? null,
);
const busy = computed(() => wedges.list.some((w) => w.state === 'queued' || w.state === 'running'));
function open(id: string): void {
  void router.replace({ query: { ...route.query, wedge: id } });
}
async function act(run: () => Promise<unknown>): Promise<void> {
  try {
    await run();
  } catch (error) {
    notices.flag(error);
  }
}
const start = (request: z.input<typeof wedgeRequest>): Promise<void> =>
  act(async () => {
    // what is rendered is what the server has
    await document.save();
    const wedge = await api.renderWedge(props.shotId, request);
    wedges.put(wedge);
    open(wedge.id);
  });
function use(wedge: Wedge, values: TierValues, label: string): void {
  if (!document.recipe) return;
  let recipe = document.recipe;
  for (const [id, value] of Object.entries(values)) recipe = withValue(recipe, wedge.request.tier, id, value);
  document.change({ recipe }, `wedge ${label}`);
  notices.say(`${label} is in the ${wedge.request.tier === 'final' ? 'Final' : 'Draft'} tier now.`, {
    label: 'Undo',
    run: document.undo,
  });
}
</script>

<template>
  <div class="wedges">
    <aside class="side" aria-label="Wedges">
      <WedgeForm v-if="shot" :recipe="shot.recipe" :patches="shot.patches" :stills="mine" :busy="busy" @start="start" />
      <h2 v-if="wedges.list.length > 0">Rendered</h2>
      <button
        v-for="w in wedges.list"
        :key="w.id"
        class="entry"
        :class="{ chosen: w.id === shown?.id }"
        :aria-current="w.id === shown?.id ? 'true' : undefined"
        @click="open(w.id)"
      >
        <strong>{{ w.request.name }}</strong>
        <span class="quiet narrow">{{ w.state }}, {{ formatDate(w.createdAt) }}</span>
      </button>
    </aside>
    <WedgeResult
      v-if="shown"
      :wedge="shown"
      @use="(values, label) => shown && use(shown, values, label)"
      @again="(axes, name) => shown && start({ ...shown.request, axes, name })"
      @cancel="act(async () => shown && wedges.put(await api.cancelWedge(shown.id)))"
      @resume="act(async () => shown && wedges.put(await api.resumeWedge(shown.id)))"
      @remove="act(async () => shown && (await api.deleteWedge(shown.id)))"
    />
    <p v-else class="empty quiet">
      {{
        wedges.loaded
          ? 'A wedge renders one setting in steps and finds where more time buys nothing. Choose one at the left.'
          : 'Loading…'
      }}
    </p>
  </div>
</template>

<style scoped>
.wedges {
  display: flex;
  height: 100%;
}
.side {
  width: 268px;
  flex: none;
  border-right: 1px solid var(--line);
  overflow-y: auto;
  padding-bottom: 12px;
}
.side h2 {
  padding: 10px 12px 4px;
}
.entry {
  display: flex;
  flex-direction: column;
  width: 100%;
  text-align: left;
  padding: 4px 12px;
}
.entry.chosen {
  box-shadow: inset 3px 0 0 var(--accent);
  background: rgba(var(--v-theme-primary), 0.1);
}
.empty {
  margin: auto;
  max-width: 420px;
}
</style>
