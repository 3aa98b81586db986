<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { Still } from '@daxel/api/schemas';
import { exposedBy } from '@daxel/core/light/rig';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { api } from '../api/client';
import { useCommands } from '../commands/commands';
import StillFacts from '../components/StillFacts.vue';
import StillList from '../components/StillList.vue';
import WipePicture from '../components/WipePicture.vue';
import { useLighting } from '../composables/useLighting';
import { usePreview, type Wish } from '../composables/usePreview';
import { useShot } from '../composables/useShot';
import { useNotices } from '../stores/notices';
import { useStills } from '../stores/stills';

const props = defineProps<{ shotId: string; stillId?: string }>();
const router = useRouter();
const stills = useStills();
const notices = useNotices();
const { found, scene, sceneId, failure } = useShot(toRef(props, 'shotId'));

const { lightingOf } = useLighting(
  scene,
  computed(() => found.value?.shot ?? null),
  notices.flag,
);

const still = computed(() => stills.list.find((s) => s.id === props.stillId) ?? null);
watch(
  () => [stills.loaded, props.stillId, stills.list.length] as const,
  () => {
    // without a choice the newest still of the shot is shown
    if (!stills.loaded || props.stillId) return;
    const newest = stills.list.find((s) => s.shotId === props.shotId) ?? stills.list[0];
    if (newest) open(newest, true);
  },
  { immediate: true },
);
function open(s: Still, replace = false): void {
  const to = { name: 'still', params: { shotId: s.shotId, stillId: s.id } };
  void (replace ? router.replace(to) : router.push(to));
}

const against = ref(true);
/** The draft tier of the still's own recipe, from its own camera. */
const wish = computed<Wish | null>(() => {
  const s = still.value;
  const shot = found.value?.shot;
  if (!against.value || !s || s.state !== 'done' || !scene.value || s.shotId !== shot?.id) return null;
  const light = s.rig ? lightingOf(s.rig) : scene.value.meta;
  if (!light) return null;
  const { lights, environment } = light;
  const recipe = resolveRecipe(s.recipe, 'draft');
  // what goes to a worker must not be a reactive proxy
  const { world, ...rest } = JSON.parse(JSON.stringify(s.camera)) as Still['camera'];
  const camera = { ...rest, world: Float64Array.from(world) };
  return {
    sceneId: sceneId.value,
    recipe: s.rig ? exposedBy(recipe, s.rig) : recipe,
    lighting: { lights, environment },
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
useCommands([
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
    <StillList :stills="stills.list" :chosen="stillId ?? null" :loaded="stills.loaded" @open="open" @cancel="cancel" />
    <section class="middle" aria-label="Still">
      <p v-if="failure ?? draftFailure" class="line flag" role="alert">{{ failure ?? draftFailure }}</p>
      <WipePicture
        v-if="still"
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
          No still yet. On <router-link :to="{ name: 'tune', params: { shotId } }">Tune</router-link>, press
          <kbd>R</kbd> to render one at the Final tier.
        </p>
      </div>
    </section>
    <StillFacts v-if="still" :still="still" @remove="remove(still)" />
  </div>
</template>

<style scoped>
.output {
  display: flex;
  height: 100%;
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
