<script setup lang="ts">
/** Motion: a range of frames rendered, played at its rate, and its flicker measured. */
import { computed, ref, toRef, watch } from 'vue';
import { storeToRefs } from 'pinia';
import CameraPathFields from '../components/CameraPathFields.vue';
import FlickerCause from '../components/FlickerCause.vue';
import FlickerOverlay from '../components/FlickerOverlay.vue';
import FlickerReport from '../components/FlickerReport.vue';
import FlickerTrace from '../components/FlickerTrace.vue';
import HistoryOverlay from '../components/HistoryOverlay.vue';
import NumberField from '../components/NumberField.vue';
import PictureCanvas from '../components/PictureCanvas.vue';
import ShotOptics from '../components/ShotOptics.vue';
import ShotTakeFields from '../components/ShotTakeFields.vue';
import ShotTimingFields from '../components/ShotTimingFields.vue';
import TakeTrials from '../components/TakeTrials.vue';
import ZoomSheet from '../components/ZoomSheet.vue';
import { rateName } from '@daxel/core/scene/shotTiming';
import { useCommands } from '../commands/commands';
import { formatDuration, formatMs, formatPercent } from '../composables/format';
import { sourceOf } from '../composables/useCamera';
import { useCameraPath } from '../composables/useCameraPath';
import { useCause } from '../composables/useCause';
import { useFileRun } from '../composables/useFileRun';
import { useFocusPick } from '../composables/useFocusPick';
import { useGhosts } from '../composables/useGhosts';
import { DIFFERENCE, useLooking } from '../composables/useLooking';
import { usePlayer } from '../composables/usePlayer';
import { LEAST_FRAMES, MOST_FRAMES, useRunner } from '../composables/useRun';
import { isSetup, type MotionSetup } from '../composables/motionSetup';
import { FITTED, zoomedTo, resolvedLook } from '../composables/panZoom';
import { remembered } from '../composables/remembered';
import { useRunPicture } from '../composables/useRunPicture';
import { useShotTake } from '../composables/useShotTake';
import { useStage } from '../composables/useStage';
import type { ToneCurve } from '@daxel/core/film/tone';
import { exposedBy } from '@daxel/core/light/rig';
import { resolveRecipe, totalSamples, type TierValues } from '@daxel/core/recipe/recipe';
import { shotCamera } from '@daxel/core/scene/shotCamera';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { useRuns, type Run } from '../stores/runs';

const props = defineProps<{ shotId: string }>();
const stage = useStage(toRef(props, 'shotId'), { draws: false });
const { shot, missing, scene, loading, failure: sceneFailure } = stage;
const runs = useRuns();
const notices = useNotices();
const document = useDocument();
const runner = useRunner();
const { progress: rendering, failure } = storeToRefs(runner);
const { start, cancel } = runner;
/** Of this shot's run; that of another one goes on meanwhile. */
const progress = computed(() => (runner.shotId === props.shotId ? rendering.value : null));
watch([toRef(props, 'shotId'), rendering], ([id]) => void runs.recall(id).catch(() => undefined), { immediate: true });
async function removeRun(gone: Run): Promise<void> {
  const back = await runs.remove(gone);
  second.value = false;
  notices.say(`The run ${gone.name} was deleted.`, { label: 'Undo', run: () => void back() });
}

/** What is set up for a shot: kept in the browser. A second at first: enough to see flicker, soon rendered. */
const setup = remembered<MotionSetup>(
  () => (shot.value ? `motion ${shot.value.id}` : null),
  () => {
    const first = shot.value?.firstFrame ?? 0;
    // a shot of one frame is held for as many as are needed
    const least = first + 2 * LEAST_FRAMES - 1;
    const second = first + Math.round(shot.value?.rate ?? 24) - 1;
    return {
      tier: 'draft',
      from: first,
      to: Math.max(least, Math.min(shot.value?.lastFrame ?? 0, second)),
      look: FITTED,
    };
  },
  isSetup,
);
const part = <K extends keyof MotionSetup>(key: K) =>
  computed({
    get: () => setup.value[key],
    set: (value) => (setup.value = { ...setup.value, [key]: value }),
  });
const [tier, from, to, look] = [part('tier'), part('from'), part('to'), part('look')];
const count = computed(() => to.value - from.value + 1);
const problem = computed(() => {
  if (count.value < LEAST_FRAMES) return `Flicker needs at least ${LEAST_FRAMES} frames.`;
  return count.value > MOST_FRAMES ? `At most ${MOST_FRAMES} frames are held at once.` : null;
});

const run = computed(() => (runs.newest?.shotId === props.shotId ? runs.newest : null));
const before = computed(() => (runs.before?.shotId === props.shotId ? runs.before : null));
/** Pictures of the run in memory. */
const held = computed(() => run.value?.pictures.filter((p) => p !== null).length ?? 0);
/** Which of the two is played. */
const second = ref(false);
const shown = computed(() => (second.value && before.value ? before.value : run.value));
const player = usePlayer(
  computed(() =>
    shown.value && shown.value.pictures.length > 0
      ? { first: shown.value.first, count: shown.value.pictures.length, rate: shown.value.rate }
      : null,
  ),
);
const { frame, last, playing, loop } = player;
const picture = useRunPicture(shown, frame);
// while it is rendered or read the newest frame is shown, unless another one is looked at
watch(
  () => run.value?.pictures.length,
  (n, before = 0) => {
    if (!n || !run.value || !busy.value || playing.value || second.value) return;
    const { first } = run.value;
    if (n === 1 || frame.value === first + before - 1) player.go(first + n - 1);
  },
);
const { lut, graded, dark, difference, seen, tableFile, loadTable, toggleGrade } = useLooking(
  toRef(props, 'shotId'),
  run,
  before,
  frame,
  picture,
);
const showMap = ref(false);
/** Through the grade while that is looked through. */
const throughGrade = computed(() => (graded.value && shown.value?.graded) || null);
const map = computed(() => (showMap.value ? ((throughGrade.value ?? shown.value)?.maps[frame.value] ?? null) : null));
const showHistory = ref(false);
const history = computed(() => shown.value?.histories[frame.value - shown.value.first] ?? null);
/** Of the frame that is shown, with the history they come from. */
const { ghosts, looking, look: lookForGhosts, cancel: letGhostsBe } = useGhosts(shown, frame, picture);
const showGhosts = ref(true);
function toggleGhosts(): void {
  if (looking.value) letGhostsBe();
  else if (ghosts.value) showGhosts.value = !showGhosts.value;
  else {
    showGhosts.value = true;
    void lookForGhosts();
  }
}
const mark = ref<{ x: number; y: number; width: number; height: number } | null>(null);
const found = computed(() => (throughGrade.value ?? shown.value)?.found[frame.value] ?? null);

const ready = computed(
  () => scene.value !== null && stage.base.value !== null && stage.light.lighting.value && stage.light.active.value,
);
function render(): void {
  const light = stage.light.lighting.value;
  const active = stage.light.active.value;
  const base = stage.base.value;
  const s = scene.value;
  if (!shot.value || !s || !light || !active || !base || problem.value || busy.value) return;
  const recipe = exposedBy(resolveRecipe(shot.value.recipe, tier.value), active);
  const source = sourceOf(s, shot.value);
  mark.value = null;
  second.value = false;
  takes.close();
  cause.forget();
  void start({
    shotId: props.shotId,
    name: `${tier.value === 'final' ? 'Final' : 'Draft'}, ${samplesOf(recipe)}`,
    tier: tier.value,
    first: from.value,
    last: to.value,
    rate: shot.value.rate,
    scene: s,
    cameraAt: (timeSeconds) => shotCamera(s, source, timeSeconds),
    patches: shot.value.patches,
    grade: lut.value,
    wish: {
      ...base,
      recipe,
      lighting: light,
      view: 'picture',
    },
  });
}
function goTo(to: number, place?: { x: number; y: number; width: number; height: number }): void {
  if (playing.value) player.toggle();
  player.go(to);
  mark.value = place ?? null;
  if (place) showMap.value = true;
}
const box = (m: { x: number; y: number; width: number; height: number }) =>
  picture.value
    ? {
        left: `${(100 * m.x) / picture.value.width}%`,
        top: `${(100 * m.y) / picture.value.height}%`,
        width: `${(100 * m.width) / picture.value.width}%`,
        height: `${(100 * m.height) / picture.value.height}%`,
      }
    : {};

/** Its pixel samples, times its shutter samples. */
function samplesOf(recipe: ReturnType<typeof resolveRecipe>): string {
  const [all, instants] = [totalSamples(recipe), recipe['samples.shutter'] as number];
  const history = recipe['samples.history'] as number;
  const samples =
    instants === 1 ? `${all} ${all === 1 ? 'sample' : 'samples'}` : `${all / instants} × ${instants} samples`;
  return history > 1 ? `${samples}, over ${history} frames` : samples;
}

// frames that were rendered elsewhere
const outside = useFileRun(() => {
  const s = shot.value;
  if (!s || busy.value) return null;
  mark.value = null;
  second.value = false;
  takes.close();
  cause.forget();
  const tone = resolveRecipe(s.recipe, tier.value)['lens.tone'] as ToneCurve;
  return { shotId: props.shotId, rate: s.rate, tone, grade: lut.value };
});
const busy = computed<boolean>(() => rendering.value !== null || outside.progress.value !== null);
const frameFiles = ref<HTMLInputElement | null>(null);

// the cause of what flickers at the marked place, or at the worst one
const cause = useCause();
function findCause(): void {
  const from = run.value;
  const worst = from?.report?.worst[0];
  const marked = mark.value && !second.value ? { frame: frame.value, rect: mark.value } : null;
  const at = marked ?? (worst && { frame: worst.frame, rect: worst });
  if (!from?.order || !at || busy.value) return;
  const { x, y, width, height } = at.rect;
  goTo(at.frame, { x, y, width, height });
  void cause.search(from, at.frame, { x, y, width, height });
}
/** What the report says of the place that was searched. */
const reported = computed(() => {
  const place = cause.found.value;
  const same = run.value?.report?.worst.find(
    (w) => place && w.frame === place.frame && w.x === place.rect.x && w.y === place.rect.y,
  );
  return same?.index ?? null;
});
const runTier = computed(() => run.value?.tier ?? 'draft');
const values = computed<TierValues>(() => (shot.value ? resolveRecipe(shot.value.recipe, runTier.value) : {}));
function useCure(cure: TierValues): void {
  for (const [id, value] of Object.entries(cure)) document.setValue(runTier.value, id, value);
}

/** The picture of a run that was rendered here; of others it is not known where their camera stood. */
const { optics, picking, pickFocus } = useFocusPick(scene, shot, () => {
  const order = shown.value?.order;
  if (!order || !picture.value) return null;
  const timeSeconds = frame.value / order.rate;
  const { width, height } = picture.value;
  return { wish: order.wish, camera: order.cameraAt(timeSeconds), timeSeconds, width, height };
});
const whyNoPick = computed(() => {
  if (!picture.value) return 'Render frames first, or pick on Tune.';
  return shown.value?.order ? '' : 'These frames were not rendered now: render them again, or pick on Tune.';
});

const { path, changePath, makeMove } = useCameraPath(scene, shot, () => ({ first: from.value, last: to.value }));
const { take, random, takes, tryTakes, changeTake, keepTake, freeze } = useShotTake(scene, shot, () => {
  const light = stage.light.lighting.value;
  const active = stage.light.active.value;
  const base = stage.base.value;
  if (!shot.value || !light || !active || !base || progress.value) return null;
  const recipe = exposedBy(resolveRecipe(shot.value.recipe, tier.value), active);
  return { first: from.value, last: to.value, wish: { ...base, recipe, lighting: light, view: 'picture' } };
});

/** The middle of what is seen stays in the middle. */
function zoomTo(zoom: number): void {
  const size = picture.value;
  if (size) look.value = zoomedTo(resolvedLook(look.value, size, size, 0), zoom);
}
const group = 'Motion';
const some = (): boolean => picture.value !== null;
useCommands([
  {
    id: 'motion-cause',
    label: 'Find the cause of the flicker',
    key: 'C',
    group,
    run: findCause,
    enabled: () => Boolean(run.value?.order && run.value.report?.worst.length),
  },
  { id: 'motion-render', label: 'Render the frames', key: 'R', group, run: render },
  { id: 'motion-play', label: 'Play or stop', key: ' ', group, run: player.toggle, enabled: some },
  { id: 'motion-back', label: 'Frame before', key: 'ArrowLeft', group, run: () => player.step(-1), enabled: some },
  { id: 'motion-on', label: 'Next frame', key: 'ArrowRight', group, run: () => player.step(1), enabled: some },
  {
    id: 'motion-difference',
    label: 'Difference to the run before',
    key: 'X',
    group,
    run: () => (difference.value = !difference.value),
    enabled: () => before.value !== null,
  },
  { id: 'motion-grade', label: 'Look through a grade (.cube)', key: 'T', group, run: toggleGrade, enabled: some },
  { id: 'motion-dark', label: 'Dark room', key: 'K', group, run: () => (dark.value = !dark.value), enabled: some },
  { id: 'motion-first', label: 'First frame', key: 'Home', group, run: () => player.step(-1e9), enabled: some },
  { id: 'motion-last', label: 'Last frame', key: 'End', group, run: () => player.step(1e9), enabled: some },
  { id: 'motion-loop', label: 'Loop or stop at the end', key: 'L', group, run: () => (loop.value = !loop.value) },
  {
    id: 'motion-history',
    label: 'Where temporal accumulation took earlier frames over',
    key: 'H',
    group,
    run: () => (showHistory.value = !showHistory.value),
    enabled: () => history.value !== null,
  },
  {
    id: 'motion-ghosts',
    label: 'Ghosts: the frame against one rendered by itself',
    key: 'O',
    group,
    run: toggleGhosts,
    enabled: () => history.value !== null && Boolean(shown.value?.order),
  },
  { id: 'motion-fit', label: 'Whole picture', key: '0', group, run: () => (look.value = FITTED), enabled: some },
  { id: 'motion-true', label: 'True pixels', key: '1', group, run: () => zoomTo(1), enabled: some },
  { id: 'motion-double', label: 'Pixels at 200 %', key: '2', group, run: () => zoomTo(2), enabled: some },
  { id: 'motion-map', label: 'Flicker map', key: 'M', group, run: () => (showMap.value = !showMap.value) },
  {
    id: 'motion-second',
    label: 'This run or the one before',
    key: 'B',
    group,
    run: () => (second.value = !second.value),
    enabled: () => before.value !== null,
  },
]);
</script>

<template>
  <div v-if="missing" class="page">
    <h1>This shot is not here</h1>
    <router-link to="/projects">All projects</router-link>
  </div>
  <div v-else class="motion">
    <h1 class="visually-hidden">Motion</h1>
    <div class="upper">
      <aside class="side" aria-label="Run">
        <h2>Frames</h2>
        <div class="tiers" role="radiogroup" aria-label="Tier">
          <label><input v-model="tier" type="radio" value="draft" :disabled="progress !== null" /> Draft</label>
          <label><input v-model="tier" type="radio" value="final" :disabled="progress !== null" /> Final</label>
        </div>
        <div class="range">
          <NumberField v-model="from" label="First frame" :min="-100000" :max="100000" :step="1" />
          <NumberField v-model="to" label="Last frame" :min="-100000" :max="100000" :step="1" />
        </div>
        <p class="quiet narrow">
          {{ count }} frames<template v-if="shot"
            >, {{ (count / shot.rate).toFixed(1) }} s at {{ rateName(shot.rate) }} a second</template
          >
        </p>
        <p v-if="problem" class="flag" role="alert">{{ problem }}</p>
        <div class="act">
          <v-btn
            v-if="!progress"
            class="strong"
            variant="flat"
            :disabled="!ready || problem !== null || busy"
            @click="render"
          >
            Render frames
          </v-btn>
          <v-btn v-else variant="outlined" @click="cancel">Cancel</v-btn>
        </div>
        <template v-if="progress">
          <v-progress-linear
            :model-value="(100 * progress.done) / progress.all"
            color="primary"
            height="6"
            rounded
            aria-label="Progress of the run"
          />
          <p class="quiet narrow" role="status">
            {{ progress.done }} of {{ progress.all }} frames<template v-if="progress.secondsLeft !== null"
              >, {{ formatDuration(progress.secondsLeft) }} left</template
            >
          </p>
        </template>
        <p v-else-if="rendering" class="quiet narrow" role="status">
          Frames of another shot are being rendered: {{ rendering.done }} of {{ rendering.all }}.
        </p>
        <p v-if="failure && runner.shotId === shotId" class="flag" role="alert">{{ failure }}</p>
        <div class="act">
          <v-btn v-if="!outside.progress.value" size="small" :disabled="busy || !shot" @click="frameFiles?.click()">
            Open frames…
          </v-btn>
          <v-btn v-else size="small" @click="outside.cancel">Cancel</v-btn>
          <input
            ref="frameFiles"
            class="visually-hidden"
            type="file"
            accept=".exr,.png"
            multiple
            aria-label="Frames from files"
            tabindex="-1"
            @change="outside.choose"
          />
        </div>
        <p v-if="outside.progress.value" class="quiet narrow" role="status">
          {{ outside.progress.value.done }} of {{ outside.progress.value.all }} frames read
        </p>
        <p v-if="outside.failure.value" class="flag" role="alert">{{ outside.failure.value }}</p>
        <template v-if="optics">
          <h2>Shutter and focus</h2>
          <ShotOptics
            :optics="optics"
            :picking="picking"
            :disabled="progress !== null"
            :why-not="whyNoPick"
            @change="(o, key) => document.change({ optics: o }, key)"
            @pick="picking = !picking"
          />
        </template>
        <template v-if="shot">
          <h2>Length and rate</h2>
          <ShotTimingFields
            :shot="shot"
            :disabled="progress !== null"
            @change="(timing, key) => document.change(timing, key)"
          />
          <h2>Camera</h2>
          <CameraPathFields
            :path="path"
            :frame="frame"
            :disabled="progress !== null"
            @change="changePath"
            @move="makeMove"
          />
        </template>
        <template v-if="take">
          <h2>Take</h2>
          <ShotTakeFields
            :take="take"
            :random="random"
            :disabled="progress !== null"
            @change="changeTake"
            @try="tryTakes(take.number)"
            @freeze="freeze"
          />
        </template>
        <template v-if="run">
          <h2>Runs</h2>
          <button class="entry" :class="{ chosen: !second }" :aria-pressed="!second" @click="second = false">
            <strong>{{ run.name }}</strong>
            <span class="quiet narrow">
              frames {{ run.first }}–{{ run.last }}, {{ run.state
              }}<template v-if="run.seconds > 0">, {{ formatMs(run.seconds / run.pictures.length) }} each</template
              ><template v-if="held < run.pictures.length"
                >; {{ held }} in memory, the others are read when they are looked at</template
              >
            </span>
          </button>
          <p v-if="!run.order && !run.again" class="quiet narrow">
            Kept from an earlier visit: played and compared as it is, rendered again to look for causes.
          </p>
          <button v-if="before" class="entry" :class="{ chosen: second }" :aria-pressed="second" @click="second = true">
            <strong>{{ before.name }}</strong>
            <span class="quiet narrow">
              the run before<template v-if="before.seconds > 0"
                >, {{ formatMs(before.seconds / before.pictures.length) }} each</template
              >
            </span>
          </button>
          <div v-if="run.state === 'done' || run.state === 'cancelled'" class="act">
            <v-btn size="small" @click="shown && removeRun(shown)">Delete this run</v-btn>
          </div>
        </template>
      </aside>
      <section class="middle" :class="{ dark }" aria-label="Picture" @drop="outside.drop">
        <p v-if="sceneFailure" class="over" role="alert">{{ sceneFailure }}</p>
        <TakeTrials
          v-else-if="takes.trials.value && takes.order.value"
          :trials="takes.trials.value"
          :first="takes.order.value.first"
          :rate="takes.order.value.rate"
          :progress="takes.progress.value"
          :failure="takes.failure.value"
          @keep="keepTake"
          @others="tryTakes(takes.order.value.numbers[0] + takes.order.value.numbers.length)"
          @close="takes.close"
        />
        <p v-else-if="!scene" class="over" role="status">Loading the scene, {{ Math.round(loading * 100) }} %…</p>
        <p v-else-if="!picture" class="over">
          Render a second of frames, play them, and see what flickers. Every frame is measured as it comes. Frames from
          elsewhere, numbered .exr or .png files, can be dropped here.
        </p>
        <ZoomSheet
          v-else
          v-model:look="look"
          :width="picture.width"
          :height="picture.height"
          :picking="picking"
          @press="pickFocus"
        >
          <PictureCanvas :picture="seen ?? picture" :label="`Frame ${frame}`" />
          <HistoryOverlay v-if="showHistory && history" :map="history" class="layer" />
          <FlickerOverlay v-if="showGhosts && ghosts" :map="ghosts.map" label="Map of ghosts" class="layer" />
          <FlickerOverlay v-if="map" :map="map" class="layer" />
          <div v-if="mark" class="mark" :style="box(mark)" />
        </ZoomSheet>
        <div v-if="picture && !takes.trials.value" class="picture-tools">
          <button aria-label="Frame before" @click="player.step(-1)">◀</button>
          <button :aria-pressed="playing" @click="player.toggle">
            {{ playing ? 'Stop' : `Play ${rateName(shown?.rate ?? 0)}/s` }}
          </button>
          <button aria-label="Next frame" @click="player.step(1)">▶</button>
          <button :aria-pressed="loop" @click="loop = !loop">Loop</button>
          <span class="zooms" role="group" aria-label="Size of the picture">
            <button :aria-pressed="look.zoom === null" @click="look = FITTED">Fit</button>
            <button v-for="z in [1, 2]" :key="z" :aria-pressed="look.zoom === z" @click="zoomTo(z)">
              {{ z * 100 }} %
            </button>
          </span>
          <input
            type="range"
            aria-label="Frame"
            :min="shown?.first"
            :max="last"
            :value="frame"
            @input="goTo(Number(($event.target as HTMLInputElement).value))"
          />
          <span class="number"
            >frame {{ frame }}<template v-if="found">, flicker {{ found.index.toFixed(2) }}</template
            ><template v-else-if="showMap && shown?.report">, not measured</template
            ><template v-if="ghosts"
              >, ghosts on {{ formatPercent(ghosts.share) }} against {{ ghosts.samples }} samples</template
            ></span
          >
          <button :aria-pressed="showMap" @click="showMap = !showMap">Flicker map</button>
          <button
            v-if="history"
            :aria-pressed="showHistory"
            title="Striped where nothing of earlier frames was taken over: there each frame stands for itself"
            @click="showHistory = !showHistory"
          >
            History
          </button>
          <button
            v-if="history && shown?.order"
            :aria-pressed="showGhosts && ghosts !== null"
            title="Renders this frame by itself with many samples, and shows where earlier frames make it another one"
            @click="toggleGhosts"
          >
            {{ looking ? 'Stop looking for ghosts' : 'Ghosts' }}
          </button>
          <template v-if="before">
            <button :aria-pressed="second" @click="second = !second">Run before</button>
            <button :aria-pressed="difference" @click="difference = !difference">Difference × {{ DIFFERENCE }}</button>
          </template>
          <button :aria-pressed="graded" @click="toggleGrade">{{ lut ? `Grade: ${lut.name}` : 'Grade…' }}</button>
          <button v-if="lut" aria-label="Load another table" @click="tableFile?.click()">…</button>
          <button :aria-pressed="dark" @click="dark = !dark">Dark room</button>
          <input
            ref="tableFile"
            class="visually-hidden"
            type="file"
            accept=".cube"
            aria-label="Table file"
            tabindex="-1"
            @change="loadTable"
          />
        </div>
      </section>
      <aside class="side right" aria-label="Report">
        <FlickerCause
          v-if="run?.report && run.order && !second && (run.report.worst.length > 0 || mark || cause.found.value)"
          :cause="cause.found.value"
          :running="cause.running.value"
          :failure="cause.failure.value"
          :frames="run.pictures.length"
          :tier="runTier === 'final' ? 'Final' : 'Draft'"
          :reported="reported"
          :values="values"
          @search="findCause"
          @cancel="cause.cancel"
          @use="useCure"
        />
        <FlickerReport
          v-if="shown?.report"
          :report="shown.report"
          :run="shown"
          :before="shown === run ? before : null"
          @go="goTo"
        />
        <p v-else class="quiet empty">
          {{ run && run.pictures.length > 0 ? 'The report comes when all frames are measured.' : 'No run yet.' }}
        </p>
      </aside>
    </div>
    <div v-if="run && Object.keys(run.found).length > 0" class="lower">
      <div class="title">
        <h2>Flicker by frame</h2>
        <p class="quiet narrow">1 is just noticed<template v-if="before">; dashed: the run before</template></p>
      </div>
      <FlickerTrace :run="run" :before="before" :frame="frame" @go="goTo" />
    </div>
  </div>
</template>

<style scoped>
.motion {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.upper {
  flex: 1;
  min-height: 0;
  display: flex;
}
.side {
  width: 220px;
  flex: none;
  overflow-y: auto;
  border-right: 1px solid var(--line);
  padding-bottom: 10px;
}
.side.right {
  width: 250px;
  border-right: none;
  border-left: 1px solid var(--line);
}
.side > h2 {
  padding: 10px 12px 4px;
}
.side > p,
.tiers,
.range,
.act {
  padding: 2px 12px;
}
.tiers {
  display: flex;
  gap: 14px;
}
.range {
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.act {
  padding: 8px 12px;
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
  padding: 12px !important;
}
.middle {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
  position: relative;
  background: var(--mat);
}
.middle.dark {
  background: #0d0d0d;
}
.layer {
  position: absolute;
  inset: 0;
}
.mark {
  position: absolute;
  outline: 2px solid #fff;
  box-shadow: 0 0 0 1px #161616;
  pointer-events: none;
}
.over {
  position: absolute;
  left: 50%;
  top: 40%;
  transform: translate(-50%, -50%);
  max-width: 360px;
  padding: 8px 14px;
  background: #f4f4f4;
  color: #161616;
  border-radius: 4px;
}
.picture-tools input[type='range'] {
  width: 84px;
}
.zooms {
  display: flex;
  gap: 2px;
}
.number {
  min-width: 92px;
  padding: 2px 8px;
  border-radius: 4px;
  background: #4a4a4a;
}
.lower {
  flex: none;
  height: 168px;
  display: flex;
  border-top: 1px solid var(--line);
}
.title {
  width: 220px;
  flex: none;
  padding: 10px 12px;
}
.page {
  padding: 8px 12px;
}
</style>
