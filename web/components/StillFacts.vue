<script setup lang="ts">
/** What a still was made of and what it took, and its files. */
import { computed } from 'vue';
import type { Still } from '@daxel/api/schemas';
import { resolveRecipe, writeRecipe } from '@daxel/core/recipe/recipe';
import { SETTINGS, STAGES } from '@daxel/core/recipe/settings';
import { api } from '../api/client';
import { FILE_NAMES } from '../composables/fileNames';
import { formatBytes, formatDate, formatMs } from '../composables/format';

const props = defineProps<{ still: Still }>();
const emit = defineEmits<{ remove: [] }>();

/** What belongs to no stage: with it they add up to the whole. */
const WAITING = { id: 'waiting', label: 'Waiting, set-up' };
const stages = computed(() =>
  [...STAGES, WAITING].flatMap((s) =>
    props.still.stages?.[s.id] ? [{ label: s.label, ...props.still.stages[s.id] }] : [],
  ),
);
const settings = computed(() => {
  const values = resolveRecipe(props.still.recipe, props.still.tier);
  return SETTINGS.map((s) => ({ id: s.id, label: s.label, value: String(values[s.id]) }));
});
const recipeLink = computed(() => `data:application/json,${encodeURIComponent(writeRecipe(props.still.recipe))}`);
</script>

<template>
  <aside class="facts" aria-label="About this still">
    <h1>{{ still.shotName }}</h1>
    <p class="quiet">
      {{ still.projectName }}, frame {{ still.frame }}<template v-if="still.rig">, rig {{ still.rig.name }}</template
      ><template v-if="still.freeView">, free view</template>
    </p>
    <p class="quiet">{{ formatDate(still.finishedAt ?? still.createdAt) }}</p>
    <p>
      {{ still.width }}×{{ still.height }}, {{ still.samples }} samples a pixel<template v-if="still.seconds"
        >, {{ formatMs(still.seconds) }}</template
      >
    </p>
    <p
      v-if="still.beautyHash"
      class="quiet narrow"
      title="Fingerprint of the scene-linear picture: equal when every bit is"
    >
      bits {{ still.beautyHash.slice(0, 8) }}
    </p>
    <div v-if="still.files.length > 0" class="files">
      <a
        v-for="f in still.files"
        :key="f.kind"
        :href="api.stillFile(still.id, f.kind, true)"
        download
        :data-file="f.kind"
        >{{ FILE_NAMES[f.kind] }} <span class="quiet">{{ formatBytes(f.bytes) }}</span></a
      >
    </div>
    <table v-if="stages.length > 0">
      <caption class="narrow">
        Time and memory per stage
      </caption>
      <thead class="visually-hidden">
        <tr>
          <th>Stage</th>
          <th>Time</th>
          <th>Memory</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="s in stages" :key="s.label">
          <th scope="row">{{ s.label }}</th>
          <td>{{ s.seconds > 0 ? formatMs(s.seconds) : '–' }}</td>
          <td>{{ formatBytes(s.bytes) }}</td>
        </tr>
      </tbody>
    </table>
    <details>
      <summary>
        Recipe {{ still.recipe.name }} <span class="quiet">{{ still.recipeHash.slice(0, 8) }}</span>
      </summary>
      <dl>
        <template v-for="s in settings" :key="s.id"
          ><dt>{{ s.label }}</dt>
          <dd>{{ s.value }}</dd></template
        >
      </dl>
      <a :href="recipeLink" :download="`${still.recipe.name}.recipe.json`">Export JSON</a>
    </details>
    <v-btn size="small" @click="emit('remove')">Delete still</v-btn>
  </aside>
</template>

<style scoped>
table {
  border-collapse: collapse;
  margin: 6px 0;
}
caption {
  text-align: left;
  color: var(--quiet);
}
th {
  font-weight: 500;
  text-align: left;
}
td {
  text-align: right;
}
th,
td {
  padding: 2px 0;
  border-bottom: 1px solid var(--line);
}
details {
  margin: 4px 0 10px;
}
summary {
  cursor: pointer;
}
dl {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 1px 8px;
  font-size: 12px;
  margin: 6px 0;
}
dd {
  text-align: right;
}
.v-btn {
  align-self: flex-start;
}
</style>
