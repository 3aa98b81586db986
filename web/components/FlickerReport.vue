<script setup lang="ts">
/** What flickers in a run, in figures and words. */
import { computed, shallowRef, watch } from 'vue';
import { VISIBLE_STEPPING } from '@daxel/core/measure/stepping';
import type { Kind } from '@daxel/core/measure/stability/kinds';
import type { StabilityReport, WorstPlace } from '@daxel/core/measure/stability/meter';
import type { SequenceReport } from '@daxel/core/measure/stability/sequence';
import { pixelRect } from '@daxel/core/measure/rect';
import { patchFigures, type PatchFigures } from '../composables/patchFigures';
import { formatPercent } from '../composables/format';
import type { Run } from '../stores/runs';
import BlameList from './BlameList.vue';
import PlaceClip from './PlaceClip.vue';

const props = defineProps<{ report: SequenceReport; run: Run; before: Run | null }>();
const emit = defineEmits<{ go: [frame: number, place: { x: number; y: number; width: number; height: number }] }>();

/** What each kind looks like, and what governs it. */
const KINDS: Record<Kind, { name: string; hint: string }> = {
  crawl: { name: 'Crawling edges', hint: 'stairs that run along edges: more pixel samples, a wider pixel filter' },
  sparkle: {
    name: 'Sparkle',
    hint: 'highlights or bars smaller than a pixel: temporal accumulation, steady highlights; samples alone seldom',
  },
  grain: { name: 'Grain', hint: 'noise that is new in every frame: more samples, denoising' },
  boil: { name: 'Boil', hint: 'soft blotches that change: shadow filters, denoising with few samples' },
  light: {
    name: 'What passes',
    hint: 'light, shadows, things that move, what they uncover: no fault, not in the figures above',
  },
  pop: { name: 'Pop', hint: 'comes once: a shadow, a light or a thing that switches' },
};
const kinds = computed(() =>
  (Object.entries(props.report.kinds) as [Kind, number][])
    .filter(([, share]) => share >= 0.005)
    .sort((a, b) => b[1] - a[1]),
);
/** The place that is shown as a clip. */
const clip = shallowRef<WorstPlace | null>(null);
watch(
  () => props.report,
  () => (clip.value = null),
);
function show(place: WorstPlace): void {
  clip.value = place;
  emit('go', place.frame, place);
}
function placeOf({ frame, x, y, width, height }: WorstPlace) {
  return { frame, x, y, width, height };
}
/** The frame whose motion blur steps most. */
const stepping = computed(() => worstStepping(props.run));
const steppingWas = computed(() => props.before && worstStepping(props.before));
function worstStepping(run: Run): { frame: number; contrast: number; spacing: number; x: number; y: number } | null {
  const all = Object.entries(run.stepping).map(([frame, s]) => ({ frame: Number(frame), ...s }));
  return all.sort((a, b) => b.contrast - a.contrast)[0] ?? null;
}
/** Patches of the shot: flicker as its median over the frames, and the frame where it is worst. */
const patches = computed(() => patchFigures(props.run));
const patchWas = computed(() => (props.before ? patchFigures(props.before) : []));
function goToPatch({ frame, patch }: PatchFigures): void {
  const size = props.run.pictures.find((p) => p !== null);
  if (size) emit('go', frame, pixelRect(patch, size.width, size.height));
}
/** Half the side of the place that is shown, pixels. */
const PLACE = 24;
function goToStepping(): void {
  const s = stepping.value;
  if (s) emit('go', s.frame, { x: s.x - PLACE, y: s.y - PLACE, width: 2 * PLACE, height: 2 * PLACE });
}
const was = computed(() => props.before?.report ?? null);
/** Of the graded picture; its figures stand beside those of the picture itself. */
const graded = computed(() => props.run.graded?.report ?? null);
const FIGURES = [
  ['Flicker, median', (r: StabilityReport) => r.index.toFixed(2)],
  ['Worst frame', (r: StabilityReport) => r.peak.toFixed(2)],
  ['Visible on', (r: StabilityReport) => formatPercent(r.visible)],
  ['Certain on', (r: StabilityReport) => formatPercent(r.certain)],
  ['Measured', (r: StabilityReport) => formatPercent(r.coverage)],
  ['Passes over', (r: StabilityReport) => formatPercent(r.movingLight)],
] as const;
</script>

<template>
  <section class="report" aria-label="What flickers">
    <h2>What flickers</h2>
    <p class="verdict" :class="{ flag: report.verdict.level !== 'calm' }">{{ report.verdict.words }}</p>
    <table>
      <thead :class="graded ? 'narrow' : 'visually-hidden'">
        <tr>
          <th><span class="visually-hidden">Figure</span></th>
          <th>{{ graded ? 'as it is' : 'This run' }}</th>
          <th v-if="graded" :title="run.graded?.name">graded</th>
          <th>{{ graded && !was ? '' : graded ? 'before' : 'Run before' }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="([name, text], i) in FIGURES" :key="name">
          <th scope="row">{{ name }}</th>
          <td :data-testid="i === 0 ? 'index' : undefined">{{ text(report) }}</td>
          <td v-if="graded" :data-testid="i === 0 ? 'graded-index' : undefined">{{ text(graded) }}</td>
          <td class="quiet">{{ was ? text(was) : '' }}</td>
        </tr>
        <tr v-if="stepping">
          <th scope="row"><button class="where" @click="goToStepping">Stepping of blur</button></th>
          <td :class="{ flag: stepping.contrast > VISIBLE_STEPPING }">{{ formatPercent(stepping.contrast) }}</td>
          <td v-if="graded" />
          <td class="quiet">{{ steppingWas ? formatPercent(steppingWas.contrast) : '' }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="stepping && stepping.contrast > VISIBLE_STEPPING" class="quiet narrow">
      In frame {{ stepping.frame }} copies stand {{ stepping.spacing.toFixed(1) }} px apart: more shutter samples.
    </p>
    <p v-if="graded" class="quiet narrow">Through {{ run.graded?.name }}: {{ graded.verdict.words }}</p>
    <p class="quiet narrow">
      1 is just noticed.<template v-if="was">
        {{ ` The ${graded ? 'last' : 'second'} column is the run before.` }}</template
      >
    </p>
    <template v-if="patches.length > 0">
      <h3>Patches</h3>
      <table aria-label="Flicker of patches">
        <thead class="visually-hidden">
          <tr>
            <th>Patch</th>
            <th>This run</th>
            <th>Run before</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in patches" :key="p.patch.id">
            <th scope="row">
              <button class="where" :disabled="p.index === null" @click="goToPatch(p)">{{ p.patch.name }}</button>
            </th>
            <td :class="{ flag: (p.index ?? 0) >= 1 }">{{ p.index === null ? 'not measured' : p.index.toFixed(2) }}</td>
            <td class="quiet">{{ patchWas.find((w) => w.patch.id === p.patch.id)?.index?.toFixed(2) ?? '' }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <template v-if="kinds.length > 0">
      <h3>Kinds</h3>
      <ul>
        <li v-for="[kind, share] in kinds" :key="kind">
          <strong>{{ KINDS[kind].name }}</strong>
          <span class="share">{{ formatPercent(share) }}</span>
          <p class="quiet narrow">{{ KINDS[kind].hint }}</p>
        </li>
      </ul>
    </template>
    <template v-if="report.blame && report.blame.points > 0">
      <h3>Light that flickers</h3>
      <BlameList :blame="report.blame" label="Light that flickers" />
      <p class="quiet narrow">Of what is visible anywhere in the run, moving light aside.</p>
    </template>
    <template v-if="report.worst.length > 0">
      <h3>Worst places</h3>
      <ul class="worst">
        <li v-for="(w, i) in report.worst" :key="i">
          <button :class="{ chosen: w === clip }" :aria-expanded="w === clip" @click="show(w)">
            frame {{ w.frame }}, at {{ w.x }}, {{ w.y }}
            <span class="share">{{ w.index.toFixed(2) }}</span>
          </button>
          <PlaceClip v-if="w === clip" :run="run" v-bind="placeOf(w)" />
        </li>
      </ul>
    </template>
    <p v-for="note in report.notes" :key="note" class="quiet narrow note">{{ note }}</p>
  </section>
</template>

<style scoped>
.report {
  padding: 10px 12px;
}
.verdict {
  padding: 2px 0 6px;
  font-weight: 600;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th[scope='row'] {
  text-align: left;
  font-weight: 400;
}
td,
thead th {
  text-align: right;
  padding: 1px 0 1px 8px;
  font-weight: 400;
}
td {
  white-space: nowrap;
}
.where {
  color: var(--accent);
  text-decoration: underline;
}
h3 {
  margin: 0;
  font-size: 13px;
  font-weight: 650;
  padding: 10px 0 2px;
}
ul {
  list-style: none;
  padding: 0;
}
li {
  padding: 3px 0;
}
.share {
  float: right;
}
.worst button {
  width: 100%;
  text-align: left;
  color: var(--accent);
}
.worst button.chosen {
  font-weight: 650;
}
.note {
  padding-top: 6px;
}
</style>
