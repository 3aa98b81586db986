<script setup lang="ts">
/** Stairs and bands of shadows per patch, and the search for the setting that cures them. */
import { computed } from 'vue';
import type { Patch } from '@daxel/api/schemas';
import { inPixels } from '@daxel/core/measure/rect';
import { isSeen, priceOfCure, SHADOW_FAULTS } from '@daxel/core/plan/shadowCures';
import type { TierValues } from '@daxel/core/recipe/recipe';
import { measureEdges } from '@daxel/core/measure/shadowFigures';
import type { Cures } from '../composables/useCures';
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
    return { patch: p, ...measureEdges(r, inPixels(p, r.width, r.height)), ...unknown };
  });
});
/** Within what the machine varies a price is no figure: the whole sentence would not fit. */
const price = (seconds: number): { short: string; whole: string } => {
  const whole = priceOfCure(props.found?.times ?? [seconds, seconds], seconds);
  return { short: /%/.test(whole) ? whole : '≈ the same', whole };
};
/** Its time, or both where the machine timed one picture twice and differently. */
const asItIs = computed(() => {
  const [low, high] = [...(props.found?.times ?? [0, 0])].sort((a, b) => a - b);
  return high / low > 1.1 ? `${formatMs(low)} to ${formatMs(high)}` : formatMs(low);
});
const shown = (v: number | null, id: string): string =>
  v === null ? '–' : id === 'stairs' ? `${v.toFixed(2)} px` : `${(v * 100).toFixed(1)} %`;
/** Faults that are seen as it is, or with any change: the others would only fill the table. */
const faults = computed(() => {
  const { found } = props;
  return found ? SHADOW_FAULTS.filter((f) => [found.before, ...found.tried].some((t) => isSeen(t, f))) : [];
});
const seenBefore = computed(() => faults.value.filter((f) => props.found && isSeen(props.found.before, f)));
/** What can be seen without any further picture. */
const AT_ONCE = SHADOW_FAULTS.filter((f) => f.id === 'stairs' || f.id === 'bands');
const unknown = { acne: null, leak: null, dots: null };
</script>

<template>
  <section v-if="patches.length > 0" class="edges" aria-label="Shadow edges">
    <h2>Shadow edges</h2>
    <table>
      <thead>
        <tr class="narrow">
          <th>Patch</th>
          <th v-for="f in AT_ONCE" :key="f.id" :title="f.shows">{{ f.label }}</th>
          <td />
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.patch.id">
          <td class="name">{{ row.patch.name }}</td>
          <td v-for="f in AT_ONCE" :key="f.id" :class="{ flag: isSeen(row, f) }">{{ shown(row[f.id], f.id) }}</td>
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
        Tried on {{ patches.find((p) => p.id === found?.patch)?.name }}; now {{ asItIs }}.
        <template v-if="found.best < 0">{{
          seenBefore.length > 0
            ? 'Nothing tried here helps.'
            : found.hard
              ? 'Nothing wrong is seen, but a light with an extent is drawn from one point here: its edges are hard. Raise Light samples, or choose the soft filter.'
              : 'Nothing visible to cure: no stairs, bands, acne, leaks or dots.'
        }}</template>
        <template v-else>Marked: {{ found.tried[found.best].label }}, by what it leaves and takes.</template>
      </p>
      <table data-testid="cures">
        <thead v-if="faults.length > 0">
          <tr class="narrow">
            <th>Change</th>
            <th v-for="f in faults" :key="f.id" :title="f.shows">{{ f.label }}</th>
            <th>Time</th>
            <td />
          </tr>
        </thead>
        <tbody>
          <tr v-if="faults.length > 0">
            <td class="name quiet">as it is</td>
            <td v-for="f in faults" :key="f.id" :class="{ flag: isSeen(found.before, f) }">
              {{ shown(found.before[f.id], f.id) }}
            </td>
            <td class="narrow price">{{ asItIs }}</td>
            <td />
          </tr>
          <tr v-for="(t, i) in found.tried" :key="t.label" :class="{ best: i === found.best }">
            <td class="name">{{ t.label }}</td>
            <td v-for="f in faults" :key="f.id" :class="{ flag: isSeen(t, f) }">{{ shown(t[f.id], f.id) }}</td>
            <td class="narrow price" :title="price(t.seconds).whole">
              {{ formatMs(t.seconds) }}, {{ price(t.seconds).short }}
            </td>
            <td><button class="act" :aria-label="`Use ${t.label}`" @click="emit('apply', t.values)">use</button></td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.edges {
  padding: 8px 12px;
  overflow-y: auto;
  flex: 1;
  min-height: 0;
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
  white-space: normal;
  min-width: 64px;
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
