<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue';
import { useRouter, type RouteLocationRaw } from 'vue-router';
import type { Sequence, SequenceFrame, Still } from '@daxel/api/schemas';
import { exposedBy } from '@daxel/core/light/rig';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import type { Lighting } from '@daxel/core/scene/source';
import { api } from '../api/client';
import { useCommands } from '../commands/commands';
import SequenceFacts from '../components/SequenceFacts.vue';
import SequenceForm from '../components/SequenceForm.vue';
import SequenceList from '../components/SequenceList.vue';
import SequencePicture from '../components/SequencePicture.vue';
import StillFacts from '../components/StillFacts.vue';
import StillList from '../components/StillList.vue';
import WipePicture from '../components/WipePicture.vue';
import { measuredFrames } from '../composables/frameCost';
import { useLighting } from '../composables/useLighting';
import { useMovie } from '../composables/useMovie';
import { usePreview, type Wish } from '../composables/usePreview';
import { useShot } from '../composables/useShot';
import { useNotices } from '../stores/notices';
import { finishedFrames, newestFrame, useSequences } from '../stores/sequences';
import { useStills } from '../stores/stills';

const props = defineProps<{ shotId: string; stillId?: string; sequenceId?: string }>();
const router = useRouter();
const stills = useStills();
const sequences = useSequences();
const notices = useNotices();
const { found, scene, sceneId, failure } = useShot(toRef(props, 'shotId'));

const { lightingOf } = useLighting(
  scene,
  computed(() => found.value?.shot ?? null),
  notices.flag,
);

/** Frames to be rendered out are being chosen. */
const asking = ref(false);
const still = computed(() => stills.list.find((s) => s.id === props.stillId) ?? null);
watch(
  () => [stills.loaded, sequences.loaded, props.stillId, props.sequenceId, stills.list.length] as const,
  () => {
    // without a choice the newest render of the shot is shown
    if (!stills.loaded || !sequences.loaded || props.stillId || props.sequenceId) return;
    const ofShot = [...stills.list, ...sequences.list].filter((s) => s.shotId === props.shotId);
    const newest = ofShot.sort((a, b) => b.createdAt.localeCompare(a.createdAt))[0];
    if (newest) void router.replace(addressOf(newest));
  },
  { immediate: true },
);
function addressOf(s: Still | Sequence): RouteLocationRaw {
  const { shotId, id } = s;
  if ('map' in s) return { name: 'sequence', params: { shotId, sequenceId: id } };
  return { name: 'still', params: { shotId, stillId: id } };
}
function open(s: Still | Sequence): void {
  asking.value = false;
  void router.push(addressOf(s));
}

// frames rendered out
const sequence = computed(() => sequences.list.find((s) => s.id === props.sequenceId) ?? null);
const frames = ref<SequenceFrame[]>([]);
const frame = ref<number | null>(null);
const playing = ref(false);
const { movie, progress: making, failure: movieFailure, make, cancel: stopMovie } = useMovie(sequence);
watch(
  () => [sequence.value?.id, sequence.value?.map] as const,
  async ([id, map], before) => {
    if (before?.[0] !== id) {
      frames.value = [];
      frame.value = null;
      playing.value = false;
    }
    const s = sequence.value;
    if (!s || !map) return;
    const newest = newestFrame(map, s.request.first);
    const followed = frame.value === null || frame.value === newestFrame(before?.[1] ?? '', s.request.first);
    if (newest !== null && followed) frame.value = newest;
    const all = await api.sequenceFrames(s.id).catch(() => null);
    if (all && sequence.value?.id === id) frames.value = all;
  },
  { immediate: true },
);
function goTo(n: number): void {
  playing.value = false;
  frame.value = n;
}
/** To the next frame that there is. */
function stepFrame(by: number): void {
  const s = sequence.value;
  if (!s || frame.value === null) return;
  for (let n = frame.value + by; n >= s.request.first && n <= s.request.last; n += by)
    if (s.map[n - s.request.first] !== '.') return goTo(n);
}
async function toggleMovie(): Promise<void> {
  const s = sequence.value;
  if (!s) return;
  if (playing.value) return void (playing.value = false);
  if (movie.value?.frames !== finishedFrames(s)) await make();
  playing.value = movie.value !== null;
}
/** What `{version}` will be. */
const nextVersion = computed(
  () => 1 + Math.max(0, ...sequences.list.filter((q) => q.shotId === found.value?.shot.id).map((q) => q.version)),
);
const measured = computed(() => measuredFrames(stills.list, sequences.list));
const startSequence = (request: Parameters<typeof api.renderSequence>[1]): Promise<void> =>
  act(async () => {
    const started = await api.renderSequence(props.shotId, request);
    sequences.put(started);
    open(started);
  });
const changeSequence = (change: (id: string) => Promise<Sequence>): Promise<void> =>
  act(async () => {
    if (sequence.value) sequences.put(await change(sequence.value.id));
  });
const removeSequence = (s: Sequence): Promise<void> =>
  act(async () => {
    await api.deleteSequence(s.id);
    sequences.drop(s.id);
    void router.replace({ name: 'output', params: { shotId: props.shotId } });
    notices.say('The sequence was deleted.', {
      label: 'Undo',
      run: () => void act(async () => void sequences.put(await api.restoreSequence(s.id))),
    });
  });

const against = ref(true);
/** The draft tier of the still's own recipe, from its own camera. */
const wish = computed<Wish | null>(() => {
  const s = still.value;
  const shot = found.value?.shot;
  if (!against.value || !s || s.state !== 'done' || !scene.value || s.shotId !== shot?.id) return null;
  const light = s.rig ? lightingOf(s.rig) : scene.value.meta;
  if (!light) return null;
  const { lights, environment, glow }: Lighting = light;
  const recipe = resolveRecipe(s.recipe, 'draft');
  // what goes to a worker must not be a reactive proxy
  const { world, ...rest } = JSON.parse(JSON.stringify(s.camera)) as Still['camera'];
  const camera = { ...rest, world: Float64Array.from(world) };
  return {
    sceneId: sceneId.value,
    recipe: s.rig ? exposedBy(recipe, s.rig) : recipe,
    lighting: { lights, environment, glow },
    view: 'picture',
    camera,
    timeSeconds: s.frame / shot.rate,
    seed: shot.seed,
  };
});
const { picture: draft, drawing, failure: draftFailure } = usePreview(wish);

async function act(run: () => Promise<unknown>): Promise<void> {
  try {
    await run();
  } catch (error) {
    notices.flag(error);
  }
}
const cancel = (s: Still): Promise<void> => act(async () => stills.put(await api.cancelStill(s.id)));
const remove = (s: Still): Promise<void> =>
  act(async () => {
    await api.deleteStill(s.id);
    stills.drop(s.id);
    if (s.id === props.stillId) void router.replace({ name: 'output', params: { shotId: props.shotId } });
    notices.say('The still was deleted.', {
      label: 'Undo',
      run: () => void act(async () => stills.put(await api.restoreStill(s.id))),
    });
  });
const again = (s: Still): Promise<void> =>
  act(async () => open(await api.renderStill(s.shotId, { tier: s.tier, camera: s.freeView ? s.camera : undefined })));

function step(by: number): void {
  const at = stills.list.findIndex((s) => s.id === props.stillId);
  const next = stills.list[at + by];
  if (next) open(next);
}
const group = 'Output';
useCommands([
  { id: 'render-frames', label: 'Render frames…', key: 'R', group, run: () => (asking.value = !asking.value) },
  {
    id: 'frame-on',
    label: 'Next frame of the sequence',
    key: 'ArrowRight',
    group,
    run: () => stepFrame(1),
    enabled: () => sequence.value !== null,
  },
  {
    id: 'frame-back',
    label: 'Frame before of the sequence',
    key: 'ArrowLeft',
    group,
    run: () => stepFrame(-1),
    enabled: () => sequence.value !== null,
  },
  {
    id: 'sequence-movie',
    label: 'Play the movie of the sequence',
    key: ' ',
    group,
    run: () => void toggleMovie(),
    enabled: () => frame.value !== null,
  },
  { id: 'next-still', label: 'Next still', key: 'ArrowDown', group: 'Output', run: () => step(1) },
  { id: 'previous-still', label: 'Still before', key: 'ArrowUp', group: 'Output', run: () => step(-1) },
  {
    id: 'wipe',
    label: 'Wipe against the draft on or off',
    key: 'W',
    group: 'Output',
    run: () => (against.value = !against.value),
  },
]);
</script>

<template>
  <div class="output">
    <h1 v-if="!sequence && !still" class="visually-hidden">Output</h1>
    <aside class="lists output-list" aria-label="Renders">
      <SequenceList
        :sequences="sequences.list"
        :chosen="sequenceId ?? null"
        :loaded="sequences.loaded"
        @open="open"
        @ask="asking = true"
      />
      <StillList
        :stills="stills.list"
        :chosen="stillId ?? null"
        :loaded="stills.loaded"
        @open="open"
        @cancel="cancel"
      />
    </aside>
    <section class="middle" :aria-label="sequence ? 'Sequence' : 'Still'">
      <p v-if="failure ?? draftFailure" class="line flag" role="alert">{{ failure ?? draftFailure }}</p>
      <SequenceForm
        v-if="asking && found"
        :key="found.shot.id"
        :shot="found.shot"
        :measured="measured"
        :version="nextVersion"
        @start="startSequence"
        @close="asking = false"
      />
      <SequencePicture
        v-else-if="sequence"
        v-model:playing="playing"
        :sequence="sequence"
        :frame="frame"
        :movie="movie"
        :making="making"
        @go="goTo"
        @step="stepFrame"
        @movie="toggleMovie"
        @stop="stopMovie"
      />
      <WipePicture
        v-else-if="still"
        :key="still.id"
        v-model:against="against"
        :still="still"
        :draft="draft"
        :drawing="drawing"
        @cancel="cancel(still)"
        @again="again(still)"
      />
      <div v-else class="empty">
        <p v-if="stills.loaded">
          Nothing of this shot yet. On <router-link :to="{ name: 'tune', params: { shotId } }">Tune</router-link>, press
          <kbd>R</kbd> to render one at the Final tier; here, <kbd>R</kbd> renders frames of the shot out.
        </p>
      </div>
    </section>
    <SequenceFacts
      v-if="sequence"
      :sequence="sequence"
      :frames="frames"
      :frame="frame"
      :movie="movie"
      :movie-failure="movieFailure"
      @pause="changeSequence(api.pauseSequence)"
      @resume="changeSequence(api.resumeSequence)"
      @cancel="changeSequence(api.cancelSequence)"
      @remove="removeSequence(sequence)"
      @go="goTo"
    />
    <StillFacts v-else-if="still" :still="still" @remove="remove(still)" />
  </div>
</template>

<style scoped>
.output {
  display: flex;
  height: 100%;
}
.lists {
  width: 252px;
  flex: none;
  border-right: 1px solid var(--line);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.middle {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
  background: var(--mat);
}
.empty {
  margin: auto;
  padding: 10px 16px;
  background: #f4f4f4;
  color: #161616;
  border-radius: 4px;
}
.empty a {
  color: #0b7a75;
}
.line {
  padding: 6px 12px;
  background: var(--sheet);
}
</style>
