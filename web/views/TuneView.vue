<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref, toRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { CameraState, Patch } from '@daxel/api/schemas';
import { resolveRecipe, type Tier } from '@daxel/core/recipe/recipe';
import type { StageId } from '@daxel/core/recipe/settings';
import { api } from '../api/client';
import CostRibbon from '../components/CostRibbon.vue';
import LoupeStrip from '../components/LoupeStrip.vue';
import PictureStage from '../components/PictureStage.vue';
import PictureTools from '../components/PictureTools.vue';
import RecipeMenu from '../components/RecipeMenu.vue';
import StagePanel from '../components/StagePanel.vue';
import { formatMs } from '../composables/format';
import { useCamera } from '../composables/useCamera';
import { useHint } from '../composables/useHint';
import { usePreview, type Wish } from '../composables/usePreview';
import { useShot } from '../composables/useShot';
import { useThumbnail } from '../composables/useThumbnail';
import { useTuneKeys } from '../composables/useTuneKeys';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';

const props = defineProps<{ shotId: string }>();
const router = useRouter();
const notices = useNotices();
const document = useDocument();
const { found, missing, scene, sceneId, loading, failure } = useShot(toRef(props, 'shotId'));
watch(
  () => found.value?.shot,
  (shot) => {
    if (shot) void document.open(shot);
  },
  { immediate: true },
);

const saveNow = (): void => void document.save();
onMounted(() => window.addEventListener('pagehide', saveNow));
onUnmounted(() => {
  window.removeEventListener('pagehide', saveNow);
  saveNow();
});

const tier = ref<Tier>('draft');
const stage = ref<StageId>('samples');
const zoom = ref<'fit' | 1 | 2>('fit');
const drawingPatch = ref(false);
const chosenPatch = ref<string | null>(null);
const asking = ref(false);

const shot = computed(() => (document.shot?.id === props.shotId ? document.shot : null));
const resolved = computed(() => (shot.value ? resolveRecipe(shot.value.recipe, tier.value) : null));
const camera = useCamera(scene, shot, () => preview.middleDistance());
const wish = computed<Wish | null>(() => {
  if (!scene.value || !shot.value || !resolved.value || !camera.view.value) return null;
  const { frame, rate, seed } = shot.value;
  return { sceneId: sceneId.value, recipe: resolved.value, camera: camera.view.value, timeSeconds: frame / rate, seed };
});
const preview = usePreview(wish);
const { picture, before, figures, drawing } = preview;
const width = computed(() => (resolved.value?.['output.width'] as number | undefined) ?? 768);
const height = computed(() => (resolved.value?.['output.height'] as number | undefined) ?? 432);
useThumbnail(shot, preview.settledPicture, () => tier.value === 'draft' && !camera.isFree.value);
const { hint, dismiss } = useHint(shot);

const { holding } = useTuneKeys({ camera, document, tier, zoom, drawingPatch, renderStill: () => void renderStill() });
const shown = computed(() => (holding.value && before.value ? before.value : picture.value));
const label = computed(
  () => `${shot.value?.name ?? ''}, ${holding.value ? 'the picture before' : `${tier.value} picture`}`,
);

const settledText = computed(() => {
  if (holding.value && before.value) return 'The picture before the last change';
  const f = figures.value;
  return drawing.value || !f ? '' : `settled in ${formatMs(f.total)} · bits ${f.hash.slice(0, 8)}`;
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
async function renderStill(): Promise<void> {
  if (!shot.value || asking.value) return;
  asking.value = true;
  try {
    await document.save();
    const free = camera.isFree.value && camera.view.value;
    const asked: { tier: Tier; camera?: CameraState } = { tier: 'final' };
    if (free) {
      const { kind, yfovRad, ymag, near } = free.lens;
      asked.camera = { world: [...free.world], lens: { kind, yfovRad, ymag, near } };
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
        :label="label"
        @orbit="camera.orbitBy"
        @pan="camera.panBy"
        @dolly="camera.dollyBy"
        @patch="addPatch"
        @choose-patch="chosenPatch = $event"
      >
        <p v-if="hint" class="hint">
          <span>{{ hint }}</span><button aria-label="Hide this line" @click="dismiss">×</button>
        </p>
        <p v-if="failure ?? preview.failure.value" class="over" role="alert">{{ failure ?? preview.failure.value }}</p>
        <p v-else-if="!scene" class="over" role="status">Loading the scene, {{ Math.round(loading * 100) }} %</p>
        <PictureTools
          v-model:tier="tier"
          v-model:zoom="zoom"
          v-model:holding="holding"
          :is-free="camera.isFree.value"
          :has-before="before !== null"
          @back="camera.goBack"
        />
      </PictureStage>
      <StagePanel
        v-if="shot"
        :stage="stage"
        :recipe="shot.recipe"
        :figures="figures"
        :shown="tier"
        @change="document.setValue"
      />
    </div>
    <div class="lower">
      <CostRibbon
        :figures="figures"
        :chosen="stage"
        :drawing="drawing"
        :tier-label="tier === 'draft' ? 'Draft' : 'Final'"
        @choose="stage = $event"
      />
      <div class="acts">
        <span class="quiet narrow" role="status">{{ settledText }}</span>
        <span class="space" />
        <span class="quiet">{{
          document.saving === 'saved' ? 'Saved' : document.saving === 'waiting' ? 'Saving…' : 'Not saved yet'
        }}</span>
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
.space {
  flex: 1;
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
.over {
  position: absolute;
  left: 50%;
  top: 46%;
  translate: -50%;
  max-width: 70%;
  padding: 6px 12px;
  background: #f4f4f4;
  color: #161616;
  border-radius: 4px;
}
</style>
