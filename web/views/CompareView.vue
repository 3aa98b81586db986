<script setup lang="ts">
/** Compare: two to six pictures at one zoom, with figures against one of them. */
import { computed, onMounted, onUnmounted, ref, shallowRef, toRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import BounceCures from '../components/BounceCures.vue';
import CandidateList from '../components/CandidateList.vue';
import ComparePictures, { type CompareMode, type Held } from '../components/ComparePictures.vue';
import CompareTable, { type FigureRow } from '../components/CompareTable.vue';
import LevelMatch from '../components/LevelMatch.vue';
import { useCommands } from '../commands/commands';
import { contactSheet } from '../composables/contactSheet';
import { saveBlob, saveText } from '../composables/saveText';
import { liveKey, liveOf, useCandidates, type Live, type Method } from '../composables/useCandidates';
import { useBounceCures } from '../composables/useBounceCures';
import { useMatchLevels } from '../composables/useMatchLevels';
import { useRigs } from '../composables/useRigs';
import { useStage } from '../composables/useStage';
import { exposedBy } from '@daxel/core/light/rig';
import { isPathTraced } from '@daxel/core/recipe/pathSettings';
import { pixelRect } from '@daxel/core/measure/rect';
import { resolveRecipe, type Tier, type TierValues } from '@daxel/core/recipe/recipe';
import type { Wish } from '../composables/usePreview';
import type { DifferenceView, PlaceFigures } from '../render/measureWorker';
import type { Picture } from '../render/preview';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { useStills } from '../stores/stills';

const props = defineProps<{ shotId: string }>();
const route = useRoute();
const router = useRouter();
const stills = useStills();
const notices = useNotices();
const stage = useStage(toRef(props, 'shotId'), { draws: false });
const { shot, missing, scene } = stage;
const { rigs, active, lighting } = stage.light;
const edits = useRigs(rigs, active);

function wishOf({ tier, method, rigId }: Live, size: { width: number; height: number } | null): Wish | null {
  const base = stage.base.value;
  const rig = rigId ? rigs.value.find((r) => r.id === rigId) : active.value;
  const light = rig && stage.light.lightingOf(rig);
  if (!base || !light || !shot.value) return null;
  // one size for all: that of a still or file, or else the draft's
  const draft = resolveRecipe(shot.value.recipe, 'draft');
  const { width, height } = size ?? { width: draft['output.width'], height: draft['output.height'] };
  const recipe = {
    ...exposedBy(resolveRecipe(shot.value.recipe, tier), rig),
    'samples.method': method,
    'output.width': width,
    'output.height': height,
    // light is compared, not what the lens makes of it
    'lens.bloom': 0,
    'lens.vignette': 0,
  };
  return { ...base, recipe, lighting: light, view: 'picture' };
}
const mine = computed(() => stills.list.filter((s) => s.shotId === props.shotId));
const ready = computed(() => stills.loaded && stage.base.value !== null && lighting.value !== null);
const held = useCandidates(mine, wishOf, ready, (id) => rigs.value.find((r) => r.id === id)?.name);
const { list, reference, measurer } = held;

/** As the recipe has it. */
const methodOf = (tier: Tier): Method =>
  shot.value && isPathTraced(resolveRecipe(shot.value.recipe, tier)) ? 'path' : 'raster';
const ownKey = (tier: Tier): string => liveKey({ tier, method: methodOf(tier) });

// the first time: the draft against the newest still
watch(
  ready,
  (now) => {
    if (!now || route.query.with !== undefined) return;
    const newest = mine.value.find((s) => s.state === 'done');
    const keys = [ownKey('draft'), newest ? `still:${newest.id}` : ownKey('final')];
    void router.replace({ query: { ...route.query, with: keys.join(','), ref: keys[1] } });
  },
  { immediate: true },
);

const letters = computed(() => Object.fromEntries(held.keys.value.map((k, i) => [k, 'ABCDEF'[i]])));
const finished = computed<Held[]>(() =>
  list.value.flatMap((c) =>
    c.picture ? [{ key: c.key, letter: letters.value[c.key] ?? '', name: c.name, picture: c.picture as Picture }] : [],
  ),
);
/** Chosen first and second; in their absence the first that is no reference, and the reference. */
const pair = ref<string[]>([]);
const shown = computed<Held[]>(() => {
  if (mode.value === 'side') return finished.value;
  const chosen = pair.value.flatMap((k) => finished.value.filter((h) => h.key === k));
  const rest = finished.value.filter((h) => !chosen.includes(h));
  const against = rest.filter((h) => h.key === reference.value);
  const others = rest.filter((h) => h.key !== reference.value);
  // one picture and the reference, in this order
  const first = chosen.length > 0 ? [] : others.slice(0, 1);
  return [...chosen, ...first, ...against, ...others.slice(first.length)].slice(0, 2);
});
function show(key: string): void {
  pair.value = [...pair.value.filter((k) => k !== key), key].slice(-2);
}

const MODES: { id: CompareMode; label: string; key: string }[] = [
  { id: 'wipe', label: 'Wipe', key: 'W' },
  { id: 'flip', label: 'Flip', key: 'F' },
  { id: 'side', label: 'Side by side', key: 'S' },
  { id: 'difference', label: 'Difference', key: 'X' },
  { id: 'blend', label: 'Blend', key: 'L' },
];
const mode = computed<CompareMode>({
  get: () => MODES.find((m) => m.id === route.query.mode)?.id ?? 'wipe',
  set: (id) => void router.replace({ query: { ...route.query, mode: id === 'wipe' ? undefined : id } }),
});
const wipe = ref(0.5);
const blend = ref(0.5);
const difference = ref<DifferenceView>({ kind: 'signed', gain: 4 });
const GAINS = [1, 2, 4, 8, 16, 32];
const KINDS = [
  ['signed', 'brighter / darker'],
  ['absolute', 'absolute'],
  ['flip', 'FLIP'],
] as const;
const differencePicture = shallowRef<Picture | null>(null);
const problem = ref<string | null>(null);
let wanted = 0;
watch(
  [mode, shown, difference],
  async () => {
    differencePicture.value = null;
    problem.value = null;
    const [a, b] = shown.value;
    const ticket = ++wanted;
    if (mode.value !== 'difference' || !a || !b) return;
    try {
      const codes = await measurer.difference(a.key, b.key, { ...difference.value });
      const { width, height } = a.picture;
      if (ticket === wanted) differencePicture.value = { width, height, codes, samples: 1, coarse: false };
    } catch (error) {
      if (ticket === wanted) problem.value = (error as Error).message;
    }
  },
  { deep: true },
);

const patches = computed(() => shot.value?.patches ?? []);
const places = computed(() => [{ id: '', name: 'whole picture', x: 0, y: 0, width: 1, height: 1 }, ...patches.value]);
const chosenPatch = ref('');
const figures = shallowRef<Record<string, PlaceFigures[] | string>>({});
watch(
  [finished, reference, places],
  async () => {
    const against = finished.value.find((h) => h.key === reference.value);
    const next: Record<string, PlaceFigures[] | string> = {};
    figures.value = next;
    if (!against) return;
    const { width, height } = against.picture;
    const rects = places.value.map((p) => pixelRect(p, width, height));
    for (const h of finished.value) {
      if (h.key === against.key) continue;
      const result = await measurer.figures(h.key, against.key, rects).catch((error: Error) => error.message);
      if (figures.value !== next && !Object.keys(next).every((k) => figures.value[k] === next[k])) return;
      next[h.key] = result;
      figures.value = { ...next };
    }
  },
  { immediate: true },
);
const rows = computed<FigureRow[]>(() =>
  places.value.flatMap((p, i) =>
    finished.value
      .filter((h) => h.key !== reference.value)
      .map((h) => {
        const result = figures.value[h.key];
        return {
          key: h.key,
          patch: p.id,
          patchName: p.name,
          letter: h.letter,
          name: h.name,
          figures: Array.isArray(result) ? result[i] : null,
          message: typeof result === 'string' ? result : null,
          curable: liveOf(h.key)?.method === 'raster',
        };
      }),
  ),
);
const referenceLetter = computed(() => (reference.value ? (letters.value[reference.value] ?? '') : ''));

const pixel = ref<{ x: number; y: number } | null>(null);
const values = ref<Record<string, number[]>>({});
let asking = false;
async function look(place: { x: number; y: number } | null): Promise<void> {
  pixel.value = place;
  if (!place || asking) return;
  asking = true;
  try {
    values.value = await measurer.pixel(place.x, place.y);
  } finally {
    asking = false;
  }
}
const number = (v: number): string => (Math.abs(v) >= 100 ? v.toFixed(0) : Number(v.toPrecision(3)).toString());

const match = useMatchLevels();
function searchLevels(): void {
  const key = reference.value;
  const wish = wishOf({ tier: 'draft', method: 'raster' }, null);
  const size = finished.value.find((h) => h.key === key)?.picture;
  if (!key || !wish || !active.value || !size) return;
  void match.search(wish, active.value, size, (w, h) => measurer.small(key, w, h));
}
function applyLevels(): void {
  const rig = active.value;
  const proposal = match.proposal.value;
  if (!rig || !proposal) return;
  const round = (v: number): number => Number(v.toPrecision(4));
  const of = (index: number): number => proposal.lights.find((l) => l.index === index)?.factor ?? 1;
  // the rig's lights that are off are not among those that were drawn
  const on = rig.lights.filter((l) => isOn(l, rig.lights));
  edits.change(
    {
      lights: rig.lights.map((l) => ({
        ...l,
        intensity: round(l.intensity * (on.includes(l) ? of(on.indexOf(l)) : 1)),
      })),
      environment: { ...rig.environment, strength: round(rig.environment.strength * of(-1)) },
    },
    'match levels',
  );
  match.dismiss();
  notices.say('The levels were written to the rig. Rendered candidates are drawn again.');
  for (const c of [...list.value]) if (c.key.startsWith('live:')) held.again(c.key);
}
function isOn(l: { on: boolean; solo: boolean }, all: readonly { solo: boolean }[]): boolean {
  return l.on && (l.solo || !all.some((o) => o.solo));
}

const cures = useBounceCures(measurer);
function cure({ key, patch, letter }: FigureRow): void {
  const live = liveOf(key);
  const size = finished.value.find((h) => h.key === reference.value)?.picture;
  const wish = live && wishOf(live, size ?? null);
  const place = places.value.find((p) => p.id === patch);
  if (!wish || !place || !reference.value) return;
  const others = patches.value.filter((p) => p.id !== patch);
  void cures.search({ key, reference: reference.value, letter, place, others }, wish);
}
function applyCure(values: TierValues): void {
  const key = cures.found.value?.asked.key;
  const live = key && liveOf(key);
  if (!live) return;
  for (const [id, value] of Object.entries(values)) useDocument().setValue(live.tier, id, value);
  cures.dismiss();
  notices.say(`${live.tier === 'final' ? 'Final' : 'Draft'} has it now. Rendered candidates are drawn again.`);
  for (const c of [...list.value]) if (liveOf(c.key)?.method === 'raster') held.again(c.key);
}
// figures of other pictures say nothing about these
watch([held.keys, reference, () => shot.value?.recipe, lighting], cures.dismiss);

async function saveSheet(): Promise<void> {
  try {
    const caption = (h: Held): [string, string] => {
      const result = figures.value[h.key];
      const c = list.value.find((k) => k.key === h.key);
      const time = c?.seconds ? `${c.seconds.toFixed(2)} s` : '';
      const error = Array.isArray(result)
        ? `FLIP ${result[0].flip.toFixed(3)}, SSIM ${result[0].ssim.toFixed(3)}, ${result[0].meanStops.toFixed(2)} stops`
        : h.key === reference.value
          ? 'reference'
          : '';
      return [`${h.letter}  ${h.name}`, [error, time].filter(Boolean).join('   ')];
    };
    saveBlob(`${shot.value?.name ?? 'compare'}-contact-sheet.png`, await contactSheet(finished.value, caption));
  } catch (error) {
    notices.flag(error);
  }
}
function saveTable(): void {
  const head = 'where,candidate,name,flip,ssim,psnr_db,rmse,relative_mse,mean_stops,bounce_stops,noise_floor,in_words';
  const quote = (s: string): string => `"${s.replaceAll('"', '""')}"`;
  const lines = rows.value.flatMap(({ patchName, letter, name, figures: f }) =>
    f
      ? [
          [
            quote(patchName),
            letter,
            quote(name),
            f.flip,
            f.ssim,
            f.psnr,
            f.rmse,
            f.relMse,
            f.meanStops,
            f.bounce && f.bounce !== 'unknown' ? f.bounce.stops : '',
            f.floor,
            quote(f.says),
          ].join(','),
        ]
      : [],
  );
  saveText(`${shot.value?.name ?? 'compare'}-figures.csv`, [head, ...lines].join('\n') + '\n', 'text/csv');
}

const pictures = ref<InstanceType<typeof ComparePictures> | null>(null);
useCommands([
  ...MODES.map((m) => ({
    id: `compare-${m.id}`,
    label: `${m.label}`,
    key: m.key,
    group: 'Compare',
    run: () => {
      if (m.id === 'flip' && mode.value === 'flip') pictures.value?.flip();
      mode.value = m.id;
    },
  })),
  { id: 'compare-fit', label: 'Whole pictures', key: '0', group: 'Compare', run: () => pictures.value?.zoomTo(null) },
  { id: 'compare-true', label: 'True pixels', key: '1', group: 'Compare', run: () => pictures.value?.zoomTo(1) },
  { id: 'compare-sheet', label: 'Save a contact sheet', group: 'Compare', run: () => void saveSheet() },
]);
function drop(event: DragEvent): void {
  const files = [...(event.dataTransfer?.files ?? [])].filter((f) => /\.(png|exr)$/i.test(f.name));
  if (files.length === 0) return;
  event.preventDefault();
  event.stopPropagation();
  held.addFiles(files);
}
onMounted(() => window.addEventListener('drop', drop, true));
onUnmounted(() => window.removeEventListener('drop', drop, true));
</script>

<template>
  <div v-if="missing" class="page">
    <h1>This shot is not here</h1>
    <router-link to="/projects">All projects</router-link>
  </div>
  <div v-else class="compare">
    <div class="upper">
      <CandidateList
        :list="list"
        :letters="letters"
        :reference="reference"
        :rigs="rigs.filter((r) => r.id !== active?.id)"
        :method="methodOf('draft')"
        :shown="shown.map((h) => h.key)"
        :stills="mine"
        @add="held.add"
        @files="held.addFiles"
        @remove="held.remove"
        @again="held.again"
        @cancel="held.cancel"
        @reference="held.setReference"
        @show="show"
      />
      <section class="middle" aria-label="Pictures">
        <ComparePictures
          ref="pictures"
          v-model:wipe="wipe"
          v-model:blend="blend"
          :mode="mode"
          :held="shown"
          :difference="differencePicture"
          :patches="patches"
          :chosen-patch="chosenPatch"
          @pixel="look"
        />
        <p v-if="problem" class="over" role="alert">{{ problem }}</p>
        <p v-else-if="shown.length < 2" class="over" role="status">
          {{ list.some((c) => c.state === 'loading') ? 'Loading the pictures…' : 'Add two pictures to compare.' }}
        </p>
        <div class="picture-tools">
          <button v-for="m in MODES" :key="m.id" :aria-pressed="mode === m.id" @click="mode = m.id">
            {{ m.label }}
          </button>
          <label v-if="mode === 'wipe'"
            ><span class="visually-hidden">Wipe position</span
            ><input v-model.number="wipe" type="range" min="0" max="1" step="0.005"
          /></label>
          <label v-if="mode === 'blend'"
            ><span class="visually-hidden">Share of the second picture</span
            ><input v-model.number="blend" type="range" min="0" max="1" step="0.01"
          /></label>
          <button v-if="mode === 'flip'" @click="pictures?.flip()">flip (F)</button>
          <template v-if="mode === 'difference'">
            <select v-model="difference.kind" aria-label="Kind of difference">
              <option v-for="[id, label] in KINDS" :key="id" :value="id">{{ label }}</option>
            </select>
            <select v-model.number="difference.gain" aria-label="Gain">
              <option v-for="g in GAINS" :key="g" :value="g">×{{ g }}</option>
            </select>
          </template>
          <span class="zoom">{{ Math.round((pictures?.scale ?? 1) * 100) }} %</span>
          <button @click="pictures?.zoomTo(null)">Fit</button>
          <button @click="pictures?.zoomTo(1)">100 %</button>
          <button :disabled="finished.length === 0" @click="saveSheet">Contact sheet</button>
        </div>
        <p class="pixel narrow" data-testid="pixel">
          <template v-if="pixel">
            <span>{{ pixel.x }}, {{ pixel.y }}</span>
            <span v-for="h in finished" :key="h.key"
              ><strong>{{ h.letter }}</strong> {{ (values[h.key] ?? []).map(number).join(' ') }}</span
            >
          </template>
          <span v-else>Wheel zooms, drag moves, double press fits; values under the pointer appear here.</span>
        </p>
      </section>
    </div>
    <LevelMatch
      :proposal="match.proposal.value"
      :running="match.running.value"
      :failure="match.failure.value"
      :rig="active?.name ?? ''"
      :enabled="scene !== null && finished.some((h) => h.key === reference)"
      @search="searchLevels"
      @cancel="match.cancel"
      @apply="applyLevels"
      @dismiss="match.dismiss"
    />
    <div v-if="reference" class="lower">
      <CompareTable
        :rows="rows"
        :reference="referenceLetter"
        :chosen="chosenPatch"
        :busy="cures.running.value !== null"
        @choose="chosenPatch = $event"
        @csv="saveTable"
        @cure="cure"
      />
      <BounceCures
        v-if="cures.running.value || cures.found.value || cures.failure.value"
        :found="cures.found.value"
        :running="cures.running.value"
        :failure="cures.failure.value"
        @cancel="cures.cancel"
        @dismiss="cures.dismiss"
        @apply="applyCure"
      />
    </div>
    <p v-else class="hint quiet">Choose a reference to measure the others against.</p>
  </div>
</template>

<style scoped>
.compare {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.upper {
  flex: 1;
  min-height: 0;
  display: flex;
}
.lower {
  display: flex;
  flex: none;
}
.middle {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
  position: relative;
  background: var(--mat);
}
.over {
  position: absolute;
  left: 50%;
  top: 40%;
  transform: translate(-50%, -50%);
  padding: 8px 14px;
  background: #f4f4f4;
  color: #161616;
  border-radius: 4px;
}
.picture-tools input {
  width: 120px;
}
.zoom {
  padding: 2px 10px;
  border-radius: 4px;
  background: #4a4a4a;
  color: #fff;
}
.pixel {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  min-height: 24px;
  padding: 2px 12px 4px;
  background: #4a4a4a;
  color: #fff;
}
.hint,
.page {
  padding: 8px 12px;
}
</style>
