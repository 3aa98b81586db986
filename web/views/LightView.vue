<script setup lang="ts">
/** Light: rigs as a row of live pictures, one of them edited with handles on the picture, two of them blended. */
import { computed, ref, toRef, watch } from 'vue';
import BlendBar from '../components/BlendBar.vue';
import ExposureHelper from '../components/ExposureHelper.vue';
import GlowField from '../components/GlowField.vue';
import HandleLayer from '../components/HandleLayer.vue';
import LightFields from '../components/LightFields.vue';
import LightList from '../components/LightList.vue';
import NumberField from '../components/NumberField.vue';
import PictureStage from '../components/PictureStage.vue';
import PictureTools from '../components/PictureTools.vue';
import RigCard from '../components/RigCard.vue';
import SceneState from '../components/SceneState.vue';
import SurroundFields from '../components/SurroundFields.vue';
import ViewKey from '../components/ViewKey.vue';
import ZebraLayer from '../components/ZebraLayer.vue';
import { useBlend } from '../composables/useBlend';
import { useLightKeys } from '../composables/useLightKeys';
import { useRigPictures } from '../composables/useRigPictures';
import { useRigs } from '../composables/useRigs';
import { useStage } from '../composables/useStage';
import { useEnvironmentFiles } from '../composables/useEnvironmentDrop';
import { saveText } from '../composables/saveText';
import { turned } from '@daxel/core/light/reshape';
import { glows } from '@daxel/core/scene/materialTable';
import { blendRigs, writeRig, type RigLight } from '@daxel/core/light/rig';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';

const props = defineProps<{ shotId: string }>();
const document = useDocument();
const notices = useNotices();
const environments = useEnvironmentFiles();
const screen = useStage(toRef(props, 'shotId'));
const { shot, missing, scene, sketched, loading, failure, tier, view, zoom, camera, preview, width, height } = screen;
const { rigs, active, lighting, lightingOf } = screen.light;
const { picture, before, readings, drawing } = preview;
const edits = useRigs(rigs, active);
const blend = useBlend(rigs, active, screen.base, lightingOf);
const busy = computed(() => drawing.value || blend.drawing.value);
const small = useRigPictures(rigs, screen.base, lightingOf, busy);

const part = ref<'lights' | 'surroundings' | 'exposure'>('lights');
const chosen = ref<string | null>(null);
const zebra = ref(false);
const picking = ref(false);
const point = ref<{ x: number; y: number } | null>(null);
const PARTS = [
  ['lights', 'Lights'],
  ['surroundings', 'Surroundings'],
  ['exposure', 'Exposure'],
] as const;

const lights = computed(() => active.value?.lights ?? []);
const light = computed(() => lights.value.find((l) => l.id === chosen.value) ?? null);
watch(
  [() => active.value?.id, lights],
  () => {
    if (!light.value) chosen.value = lights.value[0]?.id ?? null;
  },
  { immediate: true },
);
const shown = computed(() => {
  if (blend.picture.value) return blend.picture.value;
  return holding.value && before.value ? before.value : picture.value;
});
const label = computed(() => `${shot.value?.name ?? ''}, rig ${active.value?.name ?? ''}`);
const { lost } = screen.light;
const letters = 'ABCDEFGHIJKL';

/** A new light stands where the picture looks, a little nearer than what is seen there, and shines on it. */
function addLight(kind: RigLight['kind']): void {
  const view3 = camera.view.value?.world;
  const depth = preview.middleDistance();
  const place: Partial<RigLight> = {};
  if (view3 && kind !== 'sun') {
    const at = (right: number, up: number, ahead: number): RigLight['position'] =>
      [0, 1, 2].map((k) =>
        Number((view3[12 + k] + view3[k] * right + view3[4 + k] * up - view3[8 + k] * ahead).toFixed(3)),
      ) as RigLight['position'];
    place.position = at(0, depth * 0.25, depth * 0.75);
    const target = at(0, 0, depth);
    const d = target.map((c, k) => c - place.position![k]) as RigLight['direction'];
    if (kind !== 'point') place.direction = d;
    // as bright as the exposure asks: a white card at the middle comes out near white
    const ev = (screen.wish.value?.recipe['lens.exposure'] as number | undefined) ?? 0;
    const distance = Math.hypot(...d);
    const lux = Math.PI * 0.5 * 2 ** -ev;
    place.intensity = Number((kind === 'area' ? (lux * distance ** 2) / 0.6 : lux * distance ** 2).toPrecision(2));
  } else if (kind === 'sun') {
    const ev = (screen.wish.value?.recipe['lens.exposure'] as number | undefined) ?? 0;
    place.intensity = Number((Math.PI * 0.8 * 2 ** -ev).toPrecision(2));
  }
  const id = edits.addLight(kind, place);
  if (id) chosen.value = id;
}
function copy(): void {
  const id = chosen.value && edits.copyLight(chosen.value);
  if (id) chosen.value = id;
}
function remove(id: string): void {
  const at = lights.value.findIndex((l) => l.id === id);
  edits.removeLight(id);
  if (chosen.value === id) chosen.value = (lights.value[at] ?? lights.value[at - 1])?.id ?? null;
}
/** What glows lights what is around it in the method that is shown. */
const glowLights = computed(
  () =>
    screen.traced.value || (screen.resolved.value !== null && screen.resolved.value['bounce.method'] !== 'environment'),
);
const hasGlow = computed(() => scene.value !== null && glows(scene.value.materials));
function keepBlend(): void {
  const [a, b] = [active.value, blend.partner.value];
  if (!a || !b) return;
  const t = blend.amount.value;
  const name = `${a.name} ${Math.round((1 - t) * 100)} + ${b.name} ${Math.round(t * 100)}`.slice(0, 80);
  const mixed = blendRigs(a, b, t, name);
  blend.partnerId.value = null;
  edits.keep(mixed);
}
/** The picture's sun becomes a light of the rig; what is left of the picture loses it. */
function splitSun(): void {
  const rig = active.value;
  const sun = environments.known[rig?.environment.picture ?? '']?.sun;
  if (!rig || !sun) return;
  const towards = turned(sun.towards, (rig.environment.rotationDeg * Math.PI) / 180);
  const top = Math.max(...sun.illuminance);
  const id = edits.addLight('sun', {
    name: 'sun of the picture',
    direction: towards.map((c) => -c) as RigLight['direction'],
    turnsWithPicture: true,
    color: sun.illuminance.map((c) => c / top) as RigLight['color'],
    intensity: top * rig.environment.strength,
    angularDiameterDeg: sun.angularDiameterDeg,
  });
  edits.change({ environment: { ...rig.environment, cut: sun.cut } }, `cut ${id}`);
  if (id) chosen.value = id;
  part.value = 'lights';
  notices.say('The sun is a light of its own now: it casts shadows.', { label: 'Undo', run: document.undo });
}
function exportRig(id: string): void {
  const found = rigs.value.find((r) => r.id === id);
  if (!found) return;
  const { id: _id, ...rig } = found;
  saveText(`${rig.name.replace(/[^\w.-]+/g, '-')}.rig.json`, writeRig(rig));
}
function expose(ev: number): void {
  if (active.value) setExposure(active.value.exposureEv + ev);
}
function setExposure(ev: number): void {
  edits.change({ exposureEv: Math.min(24, Math.max(-24, ev)) }, 'exposure');
}
function pick(place: { x: number; y: number }): void {
  point.value = place;
  picking.value = false;
}
const { holding } = useLightKeys({ camera, document, view, zebra, chosen, lights, edits, addLight, copy, remove });
</script>

<template>
  <div v-if="missing" class="page">
    <h1>This shot is not here</h1>
    <router-link to="/projects">All projects</router-link>
  </div>
  <div v-else class="light">
    <div class="upper">
      <PictureStage
        :picture="shown"
        :placeholder="shot?.thumbnail ?? null"
        :width="width"
        :height="height"
        :zoom="zoom"
        :patches="[]"
        :chosen-patch="null"
        :drawing-patch="false"
        :picking="picking"
        :label="label"
        @orbit="camera.orbitBy"
        @pan="camera.panBy"
        @dolly="camera.dollyBy"
        @point="pick"
      >
        <template #over>
          <ZebraLayer v-if="zebra && shown" :picture="shown" />
          <HandleLayer
            v-if="camera.view.value && part === 'lights' && !blend.partner.value"
            :lights="lights"
            :chosen="chosen"
            :camera="camera.view.value"
            :width="width"
            :height="height"
            @choose="chosen = $event"
            @change="edits.changeLight"
          />
        </template>
        <ViewKey v-if="view !== 'picture'" :view="view" />
        <SceneState
          :failure="failure"
          :ready="scene !== null"
          :waiting="lighting ? '' : 'Loading the environment picture…'"
          :sketched="sketched"
          :loading="loading"
        />
        <PictureTools
          v-model:tier="tier"
          v-model:zoom="zoom"
          v-model:view="view"
          v-model:holding="holding"
          :is-free="camera.isFree.value"
          :traced="screen.traced.value"
          :has-before="before !== null"
          @back="camera.goBack"
        />
      </PictureStage>
      <aside v-if="active" class="panel" aria-label="The rig that is shown">
        <header>
          <h1>{{ active.name }}</h1>
          <div role="tablist" aria-label="Parts of the rig" class="parts">
            <button v-for="[id, text] in PARTS" :key="id" role="tab" :aria-selected="part === id" @click="part = id">
              {{ text }}
            </button>
          </div>
        </header>
        <div class="body" role="tabpanel">
          <template v-if="part === 'lights'">
            <p v-if="lost.length > 0" class="flag" role="alert">
              No longer in the scene: {{ lost.join(', ') }}. It stays where it last stood.
            </p>
            <LightList
              :lights="lights"
              :chosen="chosen"
              @choose="chosen = $event"
              @change="edits.changeLight"
              @add="addLight"
              @copy="copy"
              @remove="remove"
            />
            <GlowField
              v-if="hasGlow"
              :glow="active.glow ?? 1"
              :lights="glowLights"
              @change="edits.change({ glow: $event }, 'glow')"
            />
            <LightFields v-if="light" :key="light.id" :light="light" @change="edits.changeLight(light.id, $event)" />
          </template>
          <SurroundFields
            v-else-if="part === 'surroundings'"
            :environment="active.environment"
            :has-own-picture="scene?.meta.environmentPicture != null"
            @change="(environment, key) => edits.surround(environment, key)"
            @split-sun="splitSun"
          />
          <template v-else>
            <NumberField
              label="Exposure of this rig"
              :model-value="active.exposureEv"
              :min="-24"
              :max="24"
              :step="0.25"
              unit="EV"
              @update:model-value="setExposure"
            />
            <p class="quiet narrow">Added to the recipe’s exposure, so that rigs can be compared at their best.</p>
            <ExposureHelper
              v-model:zebra="zebra"
              v-model:picking="picking"
              :readings="readings"
              :patches="document.patches"
              :point="point"
              @expose="expose"
            />
          </template>
        </div>
      </aside>
    </div>
    <div class="lower">
      <div class="rigs" aria-label="Rigs" role="group">
        <RigCard
          v-for="(r, i) in rigs"
          :key="r.id"
          :name="r.name"
          :letter="letters[i]"
          :picture="small.pictures.value.get(r.id) ?? null"
          :chosen="r.id === active?.id"
          :partner="r.id === blend.partner.value?.id"
          :only="rigs.length < 2"
          :full="edits.full.value"
          @choose="edits.choose(r.id)"
          @rename="edits.rename(r.id, $event)"
          @duplicate="edits.duplicate(r.id)"
          @remove="edits.remove(r.id)"
          @blend="blend.partnerId.value = r.id"
          @export="exportRig(r.id)"
        />
        <v-btn v-if="active && !edits.full.value" class="new" @click="edits.duplicate(active.id)"
          >New rig from this</v-btn
        >
      </div>
      <div class="acts">
        <BlendBar
          v-if="active"
          v-model="blend.amount.value"
          v-model:partner="blend.partnerId.value"
          :active="active"
          :rigs="rigs"
          :drawing="blend.drawing.value"
          :failure="blend.failure.value"
          @keep="keepBlend"
        />
        <span class="space" />
        <span v-if="drawing" class="quiet" role="status">drawing…</span>
        <span class="quiet">{{ document.savingText }}</span>
        <v-btn :disabled="!document.canUndo" @click="document.undo">Undo</v-btn>
        <v-btn :disabled="!document.canRedo" @click="document.redo">Redo</v-btn>
      </div>
    </div>
  </div>
</template>

<style scoped>
.page {
  padding: 40px;
}
.light {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.upper {
  flex: 1;
  min-height: 0;
  display: flex;
}
.panel {
  width: 304px;
  flex: none;
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-left: 1px solid var(--line);
}
header {
  padding: 12px 14px 0;
}
h1 {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.parts {
  display: flex;
  gap: 14px;
  margin-top: 4px;
  border-bottom: 1px solid var(--line);
}
.parts button {
  padding: 3px 0;
  border-bottom: 3px solid transparent;
}
.parts [aria-selected='true'] {
  border-color: var(--accent);
  font-weight: 650;
}
.body {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  padding: 10px 14px 14px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.lower {
  flex: none;
  border-top: 1px solid var(--line);
}
.rigs {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 10px 14px 6px;
  overflow-x: auto;
}
.new {
  flex: none;
}
.acts {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 4px 14px 10px;
}
.space {
  flex: 1;
}
</style>
