<script setup lang="ts">
/** Stairs and bands of shadows per patch, and the search for the setting that cures them. */
import { computed } from 'vue';
import type { Patch } from '@daxel/api/schemas';
import { priceOfCure, UNSEEN_BANDS, UNSEEN_STAIRS } from '@daxel/core/plan/shadowCures';
import type { TierValues } from '@daxel/core/recipe/recipe';
import { measureEdges, type Cures } from '../composables/useCures';
import { formatMs } from '../composables/format';
import type { Readings } from '../composables/usePreview';

const props = defineProps<{
  patches: readonly Patch[];
  readings: Readings | null;
  found: Cures | null;
  running: { patch: string; done: number; all: number } | null;
  failure: string | null;
}>();
const emit = defineEmits<{ search: [patch: Patch]; cancel: []; apply: [values: TierValues] }>();

const rows = computed(() => {
  const r = props.readings;
  if (!r) return [];
  return props.patches.map((p) => {
    const rect = { x: p.x * r.width, y: p.y * r.height, width: p.width * r.width, height: p.height * r.height };
    return { patch: p, ...measureEdges(r, rect) };
  });
});
const price = (seconds: number): string =>
  `${formatMs(seconds)}, ${priceOfCure(props.found?.times ?? [seconds, seconds], seconds)}`;
const pixels = (v: number): string => `${v.toFixed(2)} px`;
const percent = (v: number): string => `${(v * 100).toFixed(1)} %`;
</script>

<template>
  <section v-if="patches.length > 0" class="edges" aria-label="Shadow edges">
    <h2>Shadow edges</h2>
    <table>
      <thead>
        <tr class="narrow">
          <th>Patch</th>
          <th title="How far edges run from a smooth line">Stairs</th>
          <th title="Contrast of false layers in soft shadows, as an eye sees them: 1 % is seen">Bands</th>
          <td />
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.patch.id">
          <td class="name">{{ row.patch.name }}</td>
          <td :class="{ flag: row.stairs > UNSEEN_STAIRS }">{{ pixels(row.stairs) }}</td>
          <td :class="{ flag: row.bands > UNSEEN_BANDS }">{{ percent(row.bands) }}</td>
          <td>
            <button
              class="act"
              :disabled="running !== null"
              :aria-label="`Find the cure for ${row.patch.name}`"
              @click="emit('search', row.patch)"
            >
              cure…
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="running" role="status">
      Trying {{ running.done }} of {{ running.all }}
      <button class="act" @click="emit('cancel')">Cancel</button>
    </p>
    <p v-if="failure" class="flag" role="alert">{{ failure }}</p>
    <template v-if="found">
      <p class="quiet">
        Tried on {{ patches.find((p) => p.id === found?.patch)?.name }}; now {{ formatMs(found.before.seconds) }}.
        <template v-if="found.best < 0">{{
          found.before.stairs > UNSEEN_STAIRS || found.before.bands > UNSEEN_BANDS
            ? 'Nothing tried here helps.'
            : found.hard
              ? 'No stairs or bands are seen, but a light with an extent is drawn from one point here: its edges are hard. Raise Light samples, or choose the soft filter.'
              : 'Nothing visible to cure.'
        }}</template>
        <template v-else>Marked: {{ found.tried[found.best].label }}, by what it leaves and takes.</template>
      </p>
      <table data-testid="cures">
        <tbody>
          <tr v-for="(t, i) in found.tried" :key="t.label" :class="{ best: i === found.best }">
            <td class="name">{{ t.label }}</td>
            <td>{{ pixels(t.stairs) }}</td>
            <td>{{ percent(t.bands) }}</td>
            <td class="narrow price">{{ price(t.seconds) }}</td>
            <td><button class="act" :aria-label="`Use ${t.label}`" @click="emit('apply', t.values)">use</button></td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.edges {
  padding: 8px 14px 12px;
  border-top: 1px solid var(--line);
  max-height: 46%;
  overflow-y: auto;
  flex: none;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 12px;
}
th {
  font-weight: 500;
  color: var(--quiet);
  text-align: right;
}
th:first-child,
.name {
  text-align: left;
}
td {
  padding: 2px 0 2px 6px;
  text-align: right;
  white-space: nowrap;
}
.name {
  padding-left: 0;
  white-space: normal;
}
.price {
  color: var(--quiet);
}
.best td {
  font-weight: 650;
  background: rgba(var(--v-theme-primary), 0.14);
}
.act {
  color: var(--accent);
}
.act:disabled {
  color: var(--quiet);
}
</style>
