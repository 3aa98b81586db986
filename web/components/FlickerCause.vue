<script setup lang="ts">
/** What makes a place flicker, and what was measured to calm it; one click takes a cure over. */
import { computed } from 'vue';
import {
  bestForItsTime,
  OF_USE,
  SURE,
  UNSEEN,
  verdictOfCure,
  worsens,
  type Elsewhere,
  type TriedFlickerCure,
} from '@daxel/core/plan/flickerCures';
import type { TierValues } from '@daxel/core/recipe/recipe';
import { formatDuration, formatMs, formatPercent } from '../composables/format';
import type { FlickerCause as Cause } from '@daxel/core/plan/flickerSearch';
import BlameList from './BlameList.vue';

const props = defineProps<{
  cause: Cause | null;
  running: { done: number; all: number; elsewhere?: string } | null;
  failure: string | null;
  /** Frames of the whole range, for what a cure costs. */
  frames: number;
  tier: string;
  /** What the report of the run says of the place, null when it does not name it. */
  reported: number | null;
  /** Values that the recipe has now. */
  values: TierValues;
}>();
const emit = defineEmits<{ search: []; cancel: []; use: [values: TierValues] }>();

/** Share of the place over which something must pass for its motion to be blamed. */
const PASSES = 0.002;
const taken = (values: TierValues): boolean => Object.entries(values).every(([id, v]) => props.values[id] === v);
const cheap = computed(() => (props.cause ? bestForItsTime(props.cause.before, props.cause.tried) : -1));
/** What is said of a change that was tried. */
function saidOf(tried: TriedFlickerCure, i: number): string {
  const cause = props.cause!;
  const verdict = verdictOfCure(cause.before, tried);
  if (verdict === 'no use' || verdict === 'worse elsewhere') return verdict;
  if (i === cause.best) return verdict === 'cures it' ? 'cures it, quickest' : 'leaves least';
  return i === cheap.value ? `${verdict}, best for its time` : verdict;
}
const extra = (seconds: number): string => {
  const before = props.cause?.before.seconds ?? 0;
  const more = (seconds - before) * props.frames;
  // one that seems quicker was luckier: the first frame of a search is the slowest
  if (seconds < (1 + SURE) * before || more < 0.5) return 'about the same time';
  return `+${formatDuration(more)} for the run`;
};
/** At the next worst places, which the search has not looked for. */
function inWords(elsewhere: readonly Elsewhere[]): string {
  const moves = elsewhere.map(({ before, after }) => `${before.toFixed(1)} → ${after.toFixed(1)}`).join(', ');
  return worsens(elsewhere) ? `worse elsewhere: ${moves}` : `elsewhere ${moves}`;
}
</script>

<template>
  <section class="cause" aria-label="Suspects">
    <h2>Suspects</h2>
    <template v-if="cause">
      <p class="narrow">
        Frame {{ cause.frame }}, at {{ cause.rect.x }}, {{ cause.rect.y }}: flicker
        <strong data-testid="cause-before">{{ cause.before.index.toFixed(2) }}</strong>
      </p>
      <p v-if="reported !== null && Math.abs(reported - cause.before.index) > 0.05 * reported" class="quiet narrow">
        The report says {{ reported.toFixed(2) }} of it, with the whole picture around it: there the eye is adapted to
        all of it, what lies near moving things is left out more widely, and glow is in it.
      </p>
      <BlameList v-if="cause.before.index >= UNSEEN" :blame="cause.before.blame" label="What flickers there" />
      <table v-if="cause.tried.length > 0">
        <caption class="quiet narrow">
          Tried there, frame by frame
        </caption>
        <thead class="visually-hidden">
          <tr>
            <th>Change</th>
            <th>Flicker after it</th>
            <th>A frame takes</th>
            <th>Use</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(t, i) in cause.tried" :key="t.label" :class="{ best: i === cause.best && !running }">
            <th scope="row">
              {{ t.label }}
              <span class="narrow price said">{{ saidOf(t, i) }}</span>
              <span v-if="t.timed" class="quiet narrow price"
                >{{ formatMs(t.seconds) }} a frame, {{ extra(t.seconds) }}</span
              >
              <span v-if="t.elsewhere?.length" class="narrow price" :class="worsens(t.elsewhere) ? 'flag' : 'quiet'">{{
                inWords(t.elsewhere)
              }}</span>
            </th>
            <td class="number">{{ t.index.toFixed(2) }}</td>
            <td>
              <span v-if="taken(t.values)" class="quiet">used</span>
              <button v-else :aria-label="`Use ${t.label} in ${tier}`" @click="emit('use', t.values)">use</button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="!running && cause.before.index < UNSEEN" class="narrow" data-testid="cause-verdict">
        <template v-if="cause.before.passing > PASSES"
          >It is motion: light, a shadow or a thing passes here. No setting takes that away.</template
        >
        <template v-else>Nobody would notice it here.</template>
      </p>
      <p v-else-if="!running && cause.best < 0" class="narrow" data-testid="cause-verdict">
        Nothing tried is of use here: each leaves more than {{ formatPercent(OF_USE) }} of it, or makes another place
        worse.
      </p>
      <p v-if="cause.untried > 0" class="quiet narrow">
        The search ends after two minutes: {{ cause.untried }} more changes were not tried.
      </p>
    </template>
    <p v-else-if="!running" class="quiet narrow">
      Renders the worst place again, with one setting raised at a time, and measures what is left.
    </p>
    <template v-if="running">
      <v-progress-linear
        :model-value="(100 * running.done) / running.all"
        color="primary"
        height="6"
        rounded
        aria-label="Progress of the search"
      />
      <p class="quiet narrow" role="status">
        <template v-if="running.elsewhere">Holding “{{ running.elsewhere }}” against other places</template>
        <template v-else>{{
          running.done === 0 ? 'Measuring it as it is' : `Change ${running.done} of ${running.all - 1}`
        }}</template>
      </p>
      <v-btn variant="outlined" @click="emit('cancel')">Cancel</v-btn>
    </template>
    <v-btn v-else variant="outlined" @click="emit('search')">
      {{ cause ? 'Search at the marked place' : 'Find the cause' }}
    </v-btn>
    <p v-if="failure" class="flag" role="alert">{{ failure }}</p>
  </section>
</template>

<style scoped>
.cause {
  padding: 10px 12px;
  border-bottom: 1px solid var(--line);
}
table {
  width: 100%;
  border-collapse: collapse;
  margin-bottom: 8px;
}
caption {
  text-align: left;
}
th[scope='row'] {
  text-align: left;
  font-weight: 400;
  padding: 3px 0;
}
.price {
  display: block;
}
.said {
  font-weight: 600;
}
td {
  text-align: right;
  vertical-align: top;
  padding: 3px 0 3px 8px;
}
.best th,
.best .number {
  font-weight: 650;
}
.best .price {
  font-weight: 400;
}
.best {
  box-shadow: inset 3px 0 0 var(--accent);
}
.best th {
  padding-left: 8px;
}
td button {
  color: var(--accent);
  text-decoration: underline;
}
</style>
