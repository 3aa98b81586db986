<script setup lang="ts">
import { computed, nextTick, ref, toRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { CameraState, Patch } from '@daxel/api/schemas';
import type { Tier, TierValues } from '@daxel/core/recipe/recipe';
import { withKey } from '@daxel/core/scene/cameraPath';
import { sceneFacts } from '@daxel/core/plan/sceneFacts';
import { findSetting, type StageId } from '@daxel/core/recipe/settings';
import { api } from '../api/client';
import BoxLayer from '../components/BoxLayer.vue';
import ExposureHelper from '../components/ExposureHelper.vue';
import ShadowEdges from '../components/ShadowEdges.vue';
import ViewKey from '../components/ViewKey.vue';
import ZebraLayer from '../components/ZebraLayer.vue';
import CostRibbon from '../components/CostRibbon.vue';
import LoupeStrip from '../components/LoupeStrip.vue';
import PictureStage from '../components/PictureStage.vue';
import PictureTools from '../components/PictureTools.vue';
import RecipeMenu from '../components/RecipeMenu.vue';
import SceneState from '../components/SceneState.vue';
import ShotOptics from '../components/ShotOptics.vue';
import StagePanel from '../components/StagePanel.vue';
import { formatMs } from '../composables/format';
import { sourceOf } from '../composables/useCamera';
import { useCures } from '../composables/useCures';
import { usePlacedBox } from '../composables/usePlacedBox';
import { useFocusPick } from '../composables/useFocusPick';
import { useEffects } from '../composables/useEffects';
import { useHint } from '../composables/useHint';
import { useStage } from '../composables/useStage';
import { useThumbnail } from '../composables/useThumbnail';
import { useTuneKeys } from '../composables/useTuneKeys';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';

const props = defineProps<{ shotId: string }>();
const router = useRouter();
const route = useRoute();
const notices = useNotices();
const document = useDocument();
const stage = ref<StageId>('samples');
const drawingPatch = ref(false);
const chosenPatch = ref<string | null>(null);
const asking = ref(false);
const zebra = ref(false);
const picking = ref(false);
const point = ref<{ x: number; y: number } | null>(null);

const screen = useStage(toRef(props, 'shotId'));
const { shot, missing, scene, sketched, loading, failure, tier, view, zoom, camera, preview, width, height } = screen;
const { picture, before, figures, readings, drawing, baking } = preview;
const cures = useCures(screen.wish, screen.scene);
const placed = usePlacedBox(screen.resolved, tier);
const effects = useEffects(
  toRef(props, 'shotId'),
  computed(() => document.recipe),
  tier,
);
/** What is measured in a stage, beside its settings. */
const instruments = computed(() => {
  if (stage.value === 'shadows' && document.patches.length > 0) return [{ id: 'edges', label: 'Shadow edges' }];
  if (stage.value !== 'lens') return [];
  const optics = focus.optics.value ? [{ id: 'optics', label: 'Shutter and focus' }] : [];
  return [{ id: 'exposure', label: 'Exposure' }, ...optics];
});
const facts = computed(() => {
  const [scene, lighting] = [screen.scene.value, screen.light.lighting.value];
  return scene && lighting ? sceneFacts(scene, lighting) : null;
});

/** A setting that was looked for in the list of commands. */
const panel = ref<InstanceType<typeof StagePanel> | null>(null);
watch(
  [() => route.query.setting, () => panel.value],
  async ([id, shownPanel]) => {
    const setting = typeof id === 'string' ? findSetting(id) : undefined;
    if (!setting || !shownPanel) return;
    stage.value = setting.stage;
    await nextTick();
    await shownPanel.goTo(setting.id);
    // looked for once: a reload does not go there again, and it can be looked for once more
    void router.replace({ query: { ...route.query, setting: undefined } });
  },
  { immediate: true },
);
useThumbnail(
  shot,
  preview.settledPicture,
  () => tier.value === 'draft' && !camera.isFree.value && view.value === 'picture',
);
const { hint, dismiss } = useHint(shot);

const { holding } = useTuneKeys({
  camera,
  document,
  tier,
  zoom,
  view,
  zebra,
  drawingPatch,
  pickFocus,
  renderStill: () => void renderStill(),
});
const shown = computed(() => (holding.value && before.value ? before.value : picture.value));
const label = computed(
  () => `${shot.value?.name ?? ''}, ${holding.value ? 'the picture before' : `${tier.value} picture`}`,
);

const settledText = computed(() => {
  if (holding.value && before.value) return 'The picture before the last change';
  const f = figures.value;
  if (drawing.value || !f) return '';
  return `${f.keptSamples ? 'developed' : 'settled'} in ${formatMs(f.took)} · bits ${f.hash.slice(0, 8)}`;
});

function addPatch(r: { x: number; y: number; width: number; height: number }): void {
  const patch: Patch = { id: crypto.randomUUID().slice(0, 8), name: `patch ${document.patches.length + 1}`, ...r };
  document.change({ patches: [...document.patches, patch] }, `add ${patch.id}`);
  chosenPatch.value = patch.id;
  drawingPatch.value = false;
}
function renamePatch(id: string, name: string): void {
  document.change({ patches: document.patches.map((p) => (p.id === id ? { ...p, name } : p)) }, `rename ${id}`);
}
function removePatch(id: string): void {
  const gone = document.patches.find((p) => p.id === id);
  document.change({ patches: document.patches.filter((p) => p.id !== id) }, `remove ${id}`);
  if (gone) notices.say(`Patch ${gone.name} was deleted.`, { label: 'Undo', run: document.undo });
}
function useValues(values: TierValues): void {
  for (const [id, value] of Object.entries(values)) document.setValue(tier.value, id, value);
}
/** One step of undo, for both tiers: where the scene lies does not depend on quality. */
function fitSun(values: TierValues): void {
  const recipe = document.recipe;
  if (!recipe) return;
  const fitted = { ...recipe, draft: { ...recipe.draft, ...values }, final: { ...recipe.final, ...values } };
  document.change({ recipe: fitted }, 'sun fit');
}
function expose(ev: number): void {
  const now = screen.resolved.value?.['lens.exposure'] as number;
  // both tiers: what is judged at Draft is what Final shows
  for (const t of ['draft', 'final'] as const)
    document.setValue(t, 'lens.exposure', Math.min(24, Math.max(-24, now + ev)));
}
/** Focus is picked on the shot's own camera: a free one has none of its own. */
const focus = useFocusPick(screen.scene, shot, () => {
  const [wish, view] = [screen.wish.value, camera.view.value];
  if (!wish || !view || camera.isFree.value) return null;
  return { wish, camera: view, timeSeconds: wish.timeSeconds, width: width.value, height: height.value };
});
const isPicking = computed(() => picking.value || focus.picking.value);
function pickFocus(): void {
  if (camera.isFree.value) notices.say('Go back to the shot’s camera first: focus is its own.');
  else focus.picking.value = !focus.picking.value;
}
function pick(place: { x: number; y: number }): void {
  if (focus.picking.value) return void focus.pickFocus(place);
  point.value = place;
  picking.value = false;
}
/** The shot's camera passes through where the free one stands, at the frame that is shown. */
function setKey(): void {
  const [s, place] = [shot.value, camera.place.value];
  if (!s || !scene.value || !place) return;
  const path = sourceOf(scene.value, s).path ?? null;
  type Place = [number, number, number];
  const key = { frame: s.frame, eye: place.eye as Place, target: place.target as Place, ease: 'smooth' as const };
  document.change({ path: withKey(path, s.rate, key) }, 'path key');
  camera.goBack();
  notices.say(`The camera passes through here at frame ${s.frame}. Keys are listed on Motion.`);
}
async function renderStill(): Promise<void> {
  if (!shot.value || asking.value) return;
  asking.value = true;
  try {
    await document.save();
    const free = camera.isFree.value && camera.view.value;
    const asked: { tier: Tier; camera?: CameraState } = { tier: 'final' };
    if (free) {
      const { world, lens, aperture, shutter, take } = free;
      asked.camera = { world: [...world], lens, aperture, shutter, take };
    }
    const still = await api.renderStill(shot.value.id, asked);
    notices.say('The still is being rendered. You can go on working.', {
      label: 'Watch it',
      run: () => void router.push({ name: 'still', params: { shotId: still.shotId, stillId: still.id } }),
    });
  } catch (error) {
    notices.flag(error);
  } finally {
    asking.value = false;
  }
}
</script>

<template>
  <div v-if="missing" class="page">
    <h1>This shot is not here</h1>
    <router-link to="/projects">All projects</router-link>
  </div>
  <div v-else class="tune">
    <div class="upper">
      <LoupeStrip
        :patches="document.patches"
        :picture="shown"
        :width="width"
        :height="height"
        :chosen="chosenPatch"
        :drawing="drawingPatch"
        @add="drawingPatch = !drawingPatch"
        @rename="renamePatch"
        @remove="removePatch"
        @choose="chosenPatch = $event"
      />
      <PictureStage
        :picture="shown"
        :placeholder="shot?.thumbnail ?? null"
        :width="width"
        :height="height"
        :zoom="zoom"
        :patches="camera.isFree.value ? [] : document.patches"
        :chosen-patch="chosenPatch"
        :drawing-patch="drawingPatch"
        :picking="isPicking"
        :label="label"
        @orbit="camera.orbitBy"
        @pan="camera.panBy"
        @dolly="camera.dollyBy"
        @patch="addPatch"
        @choose-patch="chosenPatch = $event"
        @point="pick"
      >
        <template #over>
          <ZebraLayer v-if="zebra && shown" :picture="shown" />
          <BoxLayer
            v-if="stage === 'bounce' && placed.box.value && camera.view.value"
            :box="placed.box.value"
            :name="placed.box.value.name"
            :camera="camera.view.value"
            :width="width"
            :height="height"
            @change="placed.place"
          />
        </template>
        <ViewKey v-if="view !== 'picture'" :view="view" />
        <p v-else-if="hint" class="hint">
          <span>{{ hint }}</span><button aria-label="Hide this line" @click="dismiss">×</button>
        </p>
        <SceneState :failure="failure" :ready="scene !== null" :sketched="sketched" :loading="loading" />
        <PictureTools
          v-model:tier="tier"
          v-model:zoom="zoom"
          v-model:view="view"
          v-model:holding="holding"
          :is-free="camera.isFree.value"
          :traced="screen.traced.value"
          :has-before="before !== null"
          :frame="shot?.frame"
          :first="shot?.firstFrame"
          :last="shot?.lastFrame"
          @back="camera.goBack"
          @frame="document.change({ frame: $event }, 'frame')"
          @key="setKey"
        />
      </PictureStage>
      <StagePanel
        v-if="shot"
        ref="panel"
        :stage="stage"
        :recipe="shot.recipe"
        :figures="figures"
        :shown="tier"
        :facts="facts"
        :effects="effects"
        :instruments="instruments"
        @change="document.setValue"
      >
        <template #edges>
          <ShadowEdges
            :patches="document.patches"
            :readings="readings"
            :found="cures.found.value"
            :running="cures.running.value"
            :failure="cures.failure.value"
            @search="cures.search($event.id, $event)"
            @cancel="cures.cancel"
            @apply="useValues"
          />
        </template>
        <template #optics>
          <ShotOptics
            v-if="focus.optics.value"
            class="instrument"
            :optics="focus.optics.value"
            :picking="focus.picking.value"
            :disabled="false"
            :why-not="camera.isFree.value ? 'Go back to the shot’s camera first: focus is its own.' : ''"
            @change="(o, key) => document.change({ optics: o }, key)"
            @pick="pickFocus"
          />
        </template>
        <template #exposure>
          <ExposureHelper
            v-model:zebra="zebra"
            v-model:picking="picking"
            class="instrument"
            :readings="readings"
            :patches="document.patches"
            :point="point"
            @expose="expose"
          />
        </template>
      </StagePanel>
    </div>
    <div class="lower">
      <CostRibbon
        :figures="figures"
        :chosen="stage"
        :drawing="drawing"
        :baking="baking"
        :tier-label="tier === 'draft' ? 'Draft' : 'Final'"
        @choose="stage = $event"
      />
      <div class="acts">
        <span class="quiet narrow" role="status">{{ settledText }}</span>
        <span class="notes flag narrow" :title="figures?.notes.join(' ')">
          <span v-for="note in figures?.notes" :key="note" role="status">{{ `${note} ` }}</span>
        </span>
        <v-btn v-if="figures?.sunFit" @click="fitSun(figures.sunFit)">Fit to what is seen</v-btn>
        <span class="quiet">{{ document.savingText }}</span>
        <v-btn :disabled="!document.canUndo" @click="document.undo">Undo</v-btn>
        <v-btn :disabled="!document.canRedo" @click="document.redo">Redo</v-btn>
        <RecipeMenu
          v-if="shot"
          :recipe="shot.recipe"
          @change="document.change({ recipe: $event }, `recipe ${$event.name} ${Date.now()}`)"
        />
        <v-btn class="strong" :loading="asking" :disabled="!scene" @click="renderStill">Render still</v-btn>
      </div>
    </div>
  </div>
</template>

<style scoped>
.instrument {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  padding: 8px 12px;
}
.page {
  padding: 40px;
}
.tune {
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
  flex: none;
  border-top: 1px solid var(--line);
}
.acts {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 8px 14px 10px;
}
.acts > * {
  flex: none;
}
.notes {
  flex: 1;
  min-width: 0;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  line-clamp: 2;
  overflow: hidden;
}
.hint {
  position: absolute;
  left: 50%;
  top: 8px;
  translate: -50%;
  display: flex;
  gap: 10px;
  width: max-content;
  max-width: calc(100% - 40px);
  padding: 4px 10px;
  background: #f4f4f4;
  color: #161616;
  border-radius: 4px;
}
</style>
