<script setup lang="ts">
/** What brings bounced light of a place to that of the reference: everything that was tried, with what it leaves and takes. */
import { computed } from 'vue';
import { levelInStops, levelInWords, type PartLevel } from '@daxel/core/measure/partLevel';
import { ENOUGH_OFF, ENOUGH_STOPS, isEnough, type TriedBounce } from '@daxel/core/plan/bounceCures';
import { priceOfCure } from '@daxel/core/plan/shadowCures';
import type { TierValues } from '@daxel/core/recipe/recipe';
import { formatMs, formatPercent } from '../composables/format';
import type { BounceAsked, BounceCures } from '../composables/useBounceCures';

const props = defineProps<{
  found: BounceCures | null;
  running: { asked: BounceAsked; done: number; all: number } | null;
  failure: string | null;
}>();
const emit = defineEmits<{ cancel: []; dismiss: []; apply: [values: TierValues] }>();

const asked = computed(() => props.running?.asked ?? props.found?.asked ?? null);
const price = (t: TriedBounce): { short: string; whole: string } => {
  const whole = priceOfCure(props.found!.times, t.seconds);
  return { short: whole.includes('%') ? whole : '≈ the same', whole };
};
/** Less than half a percent is what noise leaves. */
const off = ({ off: o }: PartLevel): string => (!Number.isFinite(o) ? '–' : o < 0.005 ? '≈' : formatPercent(o));
/** A second or more is worth a word. */
const once = (t: TriedBounce): string => (t.once >= 1 ? `, ${formatMs(t.once)} once` : '');
/** Nothing is said of the best before all were tried. */
const verdict = computed(() => {
  const { found, running } = props;
  if (!found || running) return '';
  if (isEnough(found.before)) return 'Right as it is: nothing to cure.';
  const best = found.tried[found.best];
  if (!best) return 'Nothing that was tried takes a quarter of it away and leaves the other patches alone.';
  const says = best.level && isEnough(best.level) ? 'the cheapest that is enough' : 'takes most of it away';
  return `Marked: ${best.label}, ${says}.`;
});
</script>

<template>
  <section class="cures" aria-label="Cures of bounced light">
    <header>
      <h2 v-if="asked">Bounced light of {{ asked.letter }}, {{ asked.place.name }}</h2>
      <button class="act" aria-label="Close the cures" @click="emit('dismiss')">close</button>
    </header>
    <p v-if="running" role="status">
      Trying {{ running.done }} of {{ running.all }} <button class="act" @click="emit('cancel')">Cancel</button>
    </p>
    <p v-if="failure" class="flag" role="alert">{{ failure }}</p>
    <template v-if="found">
      <p class="quiet" data-testid="bounce-verdict">{{ levelInWords(found.before, 'bounced light') }} {{ verdict }}</p>
      <table v-if="found.tried.length > 0" data-testid="bounce-cures">
        <thead class="narrow">
          <tr>
            <th>Change</th>
            <th :title="`Stops brighter or darker than the reference; ${ENOUGH_STOPS} is let pass`">Stops</th>
            <th :title="`What small places differ by from the reference; ${formatPercent(ENOUGH_OFF)} is let pass`">
              Places
            </th>
            <th title="Stops of the patch that is most wrong of the others">Elsewhere</th>
            <th title="Of a picture once what it keeps stands; making that is once">Time</th>
            <td />
          </tr>
        </thead>
        <tbody>
          <tr>
            <td class="name quiet">as it is</td>
            <td>{{ levelInStops(found.before) }}</td>
            <td>{{ off(found.before) }}</td>
            <td>{{ found.elsewhere ? levelInStops(found.elsewhere) : '–' }}</td>
            <td class="price">{{ formatMs(found.before.seconds) }}</td>
            <td />
          </tr>
          <tr v-for="(t, i) in found.tried" :key="t.label" :class="{ best: !running && i === found.best }">
            <td class="name">{{ t.label }}</td>
            <template v-if="t.level">
              <td>{{ levelInStops(t.level) }}</td>
              <td>{{ off(t.level) }}</td>
              <td>{{ t.elsewhere ? levelInStops(t.elsewhere) : '–' }}</td>
              <td class="price" :title="price(t).whole">
                {{ formatMs(t.seconds) }}, {{ price(t).short }}{{ once(t) }}
              </td>
            </template>
            <td v-else colspan="4" class="why">{{ t.failure ?? 'has no bounced light to speak of' }}</td>
            <td><button class="act" :aria-label="`Use ${t.label}`" @click="emit('apply', t.values)">use</button></td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.cures {
  flex: 0 0 500px;
  max-height: 250px;
  overflow-y: auto;
  padding: 6px 12px;
  border-top: 1px solid var(--line);
  border-left: 1px solid var(--line);
}
header {
  display: flex;
  justify-content: space-between;
  gap: 12px;
}
h2 {
  font-size: 13px;
  font-weight: 600;
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
  padding: 2px 0 2px 8px;
  text-align: right;
  white-space: nowrap;
}
.name {
  padding-left: 0;
}
.price {
  color: var(--quiet);
}
.why {
  white-space: normal;
  color: var(--quiet);
}
.best td {
  font-weight: 650;
  background: rgba(var(--v-theme-primary), 0.14);
}
.act {
  color: var(--accent);
}
/* on the tint the accent is too faint */
.best .act {
  color: inherit;
  text-decoration: underline;
}
</style>
