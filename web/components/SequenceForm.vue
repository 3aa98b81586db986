<script setup lang="ts">
/** What to render out: frames, tier, files and their names, with what it will take as far as that is known. */
import { computed, ref, watch } from 'vue';
import { frameName, NAME_TOKENS } from '@daxel/api/fileNaming';
import { sequenceRequest, type Shot, type StillFileKind } from '@daxel/api/schemas';
import { resolveRecipe, totalSamples, type Tier } from '@daxel/core/recipe/recipe';
import { rateName } from '@daxel/core/scene/shotTiming';
import { rangeRemarks } from '@daxel/core/plan/rangeRemarks';
import { formatBytes, formatDuration } from '../composables/format';
import { FILE_NAMES } from '../composables/fileNames';
import { frameCost, type MeasuredFrame } from '../composables/frameCost';
import NumberField from './NumberField.vue';

const props = defineProps<{
  shot: Shot;
  measured: MeasuredFrame[];
  /** Counts the times that the shot is rendered out, this one included. */
  version: number;
}>();
const emit = defineEmits<{
  start: [request: { tier: Tier; first: number; last: number; forms: StillFileKind[]; naming: string }];
  close: [];
}>();

const tier = ref<Tier>('final');
const range = computed(() => [props.shot.firstFrame - props.shot.handles, props.shot.lastFrame + props.shot.handles]);
const first = ref(range.value[0]);
const last = ref(range.value[1]);
// a change of the shot may still be on its way when this opens; what was typed here stays
watch(range, (now, before) => {
  if (first.value === before[0]) first.value = now[0];
  if (last.value === before[1]) last.value = now[1];
});
const forms = ref<StillFileKind[]>(['exr-half']);
const naming = ref('{shot}.####');
const TOKENS = Object.keys(NAME_TOKENS)
  .map((word) => `{${word}}`)
  .join(', ');
const KINDS = ['exr-half', 'exr-float', 'png16'] as const;

const request = computed(() => ({
  tier: tier.value,
  first: first.value,
  last: last.value,
  forms: forms.value,
  naming: naming.value,
}));
const problem = computed(() => {
  const checked = sequenceRequest.safeParse(request.value);
  return checked.success ? null : checked.error.issues[0].message;
});
const count = computed(() => last.value - first.value + 1);
const example = computed(() => {
  const ending = forms.value.some((f) => f.startsWith('exr')) ? 'exr' : 'png';
  const { name: shot, take } = props.shot;
  const date = new Date().toISOString().slice(0, 10);
  const named = { shot, take: take?.number ?? 0, tier: tier.value, date, version: props.version };
  return `${frameName(naming.value, named, first.value)}.${ending}`;
});
const recipe = computed(() => resolveRecipe(props.shot.recipe, tier.value));
const remarks = computed(() => rangeRemarks(props.shot, recipe.value, first.value, last.value));
const size = computed(() => `${String(recipe.value['output.width'])}×${String(recipe.value['output.height'])}`);
const cost = computed(() => frameCost(props.measured, props.shot.id, recipe.value, ['png8', ...forms.value]));
</script>

<template>
  <form class="form" aria-label="Render frames" @submit.prevent>
    <h2>Render frames of {{ shot.name }}</h2>
    <div class="row" role="radiogroup" aria-label="Tier">
      <label><input v-model="tier" type="radio" value="draft" /> Draft</label>
      <label><input v-model="tier" type="radio" value="final" /> Final</label>
      <span class="quiet">{{ size }}, {{ totalSamples(recipe) }} samples a pixel</span>
    </div>
    <div class="numbers">
      <NumberField v-model="first" label="First frame" :min="-100000" :max="100000" :step="1" />
      <NumberField v-model="last" label="Last frame" :min="-100000" :max="100000" :step="1" />
    </div>
    <p v-for="remark in remarks" :key="remark" class="narrow remark">{{ remark }}</p>
    <p v-if="shot.handles > 0" class="quiet narrow">
      The shot with its handles: {{ shot.handles }} {{ shot.handles === 1 ? 'frame' : 'frames' }} at each end.
    </p>
    <fieldset class="row">
      <legend class="visually-hidden">Files of each frame</legend>
      <label v-for="k in KINDS" :key="k"
        ><input v-model="forms" type="checkbox" :value="k" /> {{ FILE_NAMES[k] }}</label
      >
      <span class="quiet">and PNG, 8 bit, to look at</span>
    </fieldset>
    <label class="naming"
      >File names
      <input v-model="naming" type="text" spellcheck="false" maxlength="80" />
    </label>
    <p class="quiet narrow">
      {{ problem ? `${TOKENS} and #### stand for what a frame is` : `as in ${example}` }}
    </p>
    <p v-if="problem" class="flag" role="alert">{{ problem }}</p>
    <p v-else class="cost">
      {{ count }} {{ count === 1 ? 'frame' : 'frames' }}, {{ (count / shot.rate).toFixed(1) }} s at
      {{ rateName(shot.rate) }} a second.
      <template v-if="cost"
        >About {{ formatDuration(cost.seconds * count)
        }}<template v-if="cost.bytes !== null"> and {{ formatBytes(cost.bytes * count) }}</template
        >, by {{ cost.source }}.</template
      >
      <template v-else>Render a still at this tier first to know how long it takes.</template>
    </p>
    <p class="row end">
      <v-btn @click="emit('close')">Close</v-btn>
      <!-- not a submit button: Enter in a number confirms the number -->
      <v-btn class="strong" :disabled="problem !== null" @click="emit('start', request)">Render out</v-btn>
    </p>
  </form>
</template>

<style scoped>
.remark {
  color: var(--flag);
}
.form {
  width: 460px;
  max-width: calc(100% - 32px);
  margin: auto;
  padding: 16px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  background: var(--ground);
  color: var(--ink);
  border-radius: 4px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  padding: 0;
  border: none;
}
.end {
  justify-content: flex-end;
}
.numbers {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 16px;
}
.naming {
  display: flex;
  gap: 10px;
  align-items: center;
}
.naming input {
  flex: 1;
  padding: 3px 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
}
</style>
