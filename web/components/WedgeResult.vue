<script setup lang="ts">
/** A wedge: pictures filling in, error over time, the knee of each place in words, and the way to take a step. */
import { computed, ref, watch } from 'vue';
import type { Wedge } from '@daxel/api/schemas';
import { effectInWords, lowerFirst, timeDiffers } from '@daxel/core/plan/knee';
import { equalPrice, longerLadder, valuesInOrder, type WedgeAxis } from '@daxel/core/plan/wedge';
import type { TierValues } from '@daxel/core/recipe/recipe';
import { api } from '../api/client';
import { formatPercent } from '../composables/format';
import { saveText } from '../composables/saveText';
import { notchEffects, pointOf, runNoise, wedgeKnees, wedgePlaces } from '../composables/wedgeFigures';
import WedgeChart from './WedgeChart.vue';
import WedgeSteps from './WedgeSteps.vue';

const props = defineProps<{ wedge: Wedge }>();
const emit = defineEmits<{
  use: [values: TierValues, label: string];
  /** The same wedge once more, over other steps. */
  again: [axes: WedgeAxis[], name: string];
  cancel: [];
  resume: [];
  remove: [];
}>();

const places = computed(() => wedgePlaces(props.wedge));
const place = ref(0);
watch(
  () => props.wedge.id,
  () => (place.value = 0),
);
const knees = computed(() => wedgeKnees(props.wedge));
const knee = computed(() => knees.value.find((k) => k.place === places.value[place.value]?.name)?.index ?? -1);
/** Steps that are missing beside a knee, where the ladder can be made longer. */
const longer = computed(() => {
  const { pairs, axes } = props.wedge.request;
  const of = (way: 'dearer' | 'cheaper') => (pairs ? null : longerLadder(axes as WedgeAxis[], way));
  return { dearer: of('dearer'), cheaper: of('cheaper') };
});
const onePrice = computed(() =>
  props.wedge.request.pairs && props.wedge.state === 'done' && !props.wedge.request.name.endsWith(ONE_PRICE)
    ? equalPrice(props.wedge.request.axes as WedgeAxis[], props.wedge.steps)
    : null,
);
const ONE_PRICE = ', at one price';
const shortOf = (values: TierValues): string =>
  valuesInOrder(props.wedge.request.axes as WedgeAxis[], values).join(' × ');
const done = computed(() => props.wedge.steps.filter((s) => s.seconds !== null).length);
const sensitive = computed(() => props.wedge.request.kind === 'sensitivity');
const effects = computed(() => (sensitive.value ? notchEffects(props.wedge) : []));
const lower = computed(() => lowerFirst(effects.value, noise.value));
const noise = computed(() => runNoise(props.wedge));
const chosen = ref(-1);
const large = computed(() => {
  const at = chosen.value >= 0 ? chosen.value : knee.value;
  return at >= 0 && props.wedge.steps[at]?.picture ? at : props.wedge.steps.findIndex((s) => s.picture);
});
/** Flicker was measured. */
const moving = computed(() => props.wedge.steps.some((s) => s.flicker !== null));
function saveTable(): void {
  const named = (what: string): string[] => places.value.map((p) => `${what} ${p.name}`);
  const flickers = moving.value ? named('flicker') : [];
  const head = ['step', 'seconds', 'samples', 'stepping', ...named('flip'), ...flickers].map((h) => `"${h}"`).join(',');
  const lines = props.wedge.steps.map((s) =>
    [
      `"${s.label}"`,
      s.seconds ?? '',
      s.samples ?? '',
      s.stepping ?? '',
      ...places.value.map((p) => pointOf(s, p.index)?.error ?? ''),
      ...(moving.value ? places.value.map((p) => s.flicker?.[p.index] ?? '') : []),
    ].join(','),
  );
  saveText(`${props.wedge.request.name}.csv`, [head, ...lines].join('\n') + '\n', 'text/csv');
}
</script>

<template>
  <section class="result" :aria-label="`Wedge ${wedge.request.name}`">
    <header>
      <h1>{{ wedge.request.name }}</h1>
      <span class="quiet"
        >{{ wedge.request.tier === 'final' ? 'Final' : 'Draft' }}, {{ done }} of {{ wedge.steps.length }} steps<template
          v-if="wedge.reference"
          >, against {{ wedge.reference.label
          }}<template v-if="wedge.reference.noise"
            >, noise left {{ formatPercent(wedge.reference.noise) }}</template
          ></template
        ></span
      >
      <span class="space" />
      <template v-if="wedge.state === 'queued' || wedge.state === 'running'">
        <span role="status">{{
          wedge.state === 'queued' ? 'waits' : `rendering, ${Math.floor(wedge.progress * 100)} %`
        }}</span>
        <v-btn size="small" @click="emit('cancel')">Cancel</v-btn>
      </template>
      <template v-else>
        <v-btn v-if="wedge.state !== 'done'" size="small" @click="emit('resume')">Render what is missing</v-btn>
        <v-btn size="small" @click="saveTable">CSV</v-btn>
        <v-btn size="small" @click="emit('remove')">Delete</v-btn>
      </template>
    </header>
    <p v-if="wedge.message" class="flag" role="alert">{{ wedge.message }}</p>
    <WedgeSteps
      v-if="!sensitive"
      :wedge="wedge"
      :place="place"
      :knee="knee"
      :chosen="large"
      @choose="chosen = $event"
    />
    <div v-if="!sensitive" class="halves">
      <div class="chartside">
        <label class="narrow"
          >Error on
          <select v-model.number="place" aria-label="Place">
            <option v-for="p in places" :key="p.index" :value="p.index">{{ p.name }}</option>
          </select></label
        >
        <WedgeChart
          :wedge="wedge"
          :place="place"
          :place-name="places[place]?.name ?? ''"
          :knee="knee"
          @choose="chosen = $event"
        />
      </div>
      <div class="picture">
        <img v-if="large >= 0" :src="api.wedgePicture(wedge.id, large)" :alt="wedge.steps[large].label" />
        <span v-if="large >= 0" class="name">{{ wedge.steps[large].label }}</span>
      </div>
    </div>
    <div v-if="!sensitive" class="knees">
      <p v-if="knees.length === 0" class="quiet">
        {{ done < 2 ? 'The knee is found once two steps are measured.' : 'No step can be measured yet.' }}
      </p>
      <div v-for="k in knees" :key="k.place" class="kneerow" data-testid="knee">
        <button
          class="where"
          :aria-pressed="k.place === places[place]?.name"
          @click="place = places.findIndex((p) => p.name === k.place)"
        >
          {{ k.place }}
        </button>
        <span>{{ k.reason }}</span>
        <span class="acts">
          <button
            v-if="k.missing && longer[k.missing]"
            class="use"
            @click="emit('again', longer[k.missing]!.axes, wedge.request.name)"
          >
            add {{ longer[k.missing]!.added }}
          </button>
          <button class="use" @click="emit('use', wedge.steps[k.index].values, wedge.steps[k.index].label)">
            use {{ shortOf(wedge.steps[k.index].values) }}
          </button>
        </span>
      </div>
      <button v-if="onePrice" class="use" @click="emit('again', onePrice, wedge.request.name + ONE_PRICE)">
        render these splits once more, at one price
      </button>
      <button v-if="large >= 0" class="use" @click="emit('use', wedge.steps[large].values, wedge.steps[large].label)">
        use the chosen step: {{ wedge.steps[large].label }}
      </button>
    </div>
    <div v-if="sensitive" class="lower">
      <h2>What to lower first</h2>
      <p class="quiet narrow">
        A difference in time is claimed where all renders in turn bear it out. Equal renders differed by
        {{ formatPercent(noise) }} during this run.
      </p>
      <p v-if="effects.length === 0" class="quiet">Filled in as the notches are rendered.</p>
      <p v-else-if="lower.length === 0" class="quiet">No notch saves time that can be measured.</p>
      <ol>
        <li v-for="e in lower" :key="e.label" data-testid="lower">
          <strong>{{ e.label }}</strong> <span>{{ effectInWords(e, noise) }}</span>
          <span class="quiet narrow">FLIP {{ e.change.toFixed(3) }} on {{ e.place }}</span>
          <button class="use" @click="emit('use', { [e.id]: e.value }, e.label)">use</button>
        </li>
      </ol>
      <h2>Every notch</h2>
      <table>
        <thead class="narrow">
          <tr>
            <th>One notch</th>
            <th>Time</th>
            <th>Effect</th>
            <th>FLIP</th>
            <th>Most on</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="e in effects" :key="e.label">
            <td>{{ e.label }}</td>
            <td class="figure">{{ timeDiffers(e, noise) ? `${Math.round(e.time * 100)} %` : '—' }}</td>
            <td>{{ effectInWords(e, noise) }}</td>
            <td class="figure">{{ e.change.toFixed(4) }}</td>
            <td>{{ e.place }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.acts {
  display: flex;
  flex-direction: column;
  align-items: flex-end;
  gap: 2px;
}
.result {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 10px 14px;
  overflow-y: auto;
}
header {
  display: flex;
  gap: 10px;
  align-items: baseline;
  flex-wrap: wrap;
}
.space {
  flex: 1;
}
.halves {
  flex: 1 1 300px;
  min-height: 230px;
  display: grid;
  grid-template-columns: 1fr 1fr;
  grid-template-rows: minmax(0, 1fr);
  gap: 10px;
}
.chartside {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.picture {
  position: relative;
  background: var(--mat);
  min-width: 0;
  min-height: 0;
}
.picture img {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  object-fit: contain;
}
.name {
  position: absolute;
  left: 8px;
  top: 8px;
  padding: 1px 8px;
  background: #fff;
  color: #161616;
  font-size: 12px;
  font-weight: 600;
}
.knees {
  flex: none;
  display: flex;
  flex-direction: column;
  gap: 2px;
}
.kneerow {
  display: grid;
  grid-template-columns: 130px 1fr auto;
  gap: 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
}
.where {
  text-align: left;
  font-weight: 600;
}
.where[aria-pressed='true'] {
  color: var(--accent);
}
.use {
  color: var(--accent);
  text-align: left;
}
ol {
  padding-left: 22px;
  margin-bottom: 10px;
}
li {
  padding: 2px 0;
}
li span,
li .use {
  margin-left: 10px;
}
table {
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 500;
  color: var(--quiet);
}
td,
th {
  padding: 2px 14px 2px 0;
  border-bottom: 1px solid var(--line);
}
.figure {
  text-align: right;
}
select {
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
  padding: 1px 6px;
}
</style>
