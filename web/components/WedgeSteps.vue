<script setup lang="ts">
/** The steps of a wedge side by side, with what each took and what is wrong with it. */
import { valuesInOrder } from '@daxel/core/plan/wedge';
import { computed } from 'vue';
import type { Wedge } from '@daxel/api/schemas';
import { VISIBLE_STEPPING } from '@daxel/core/measure/stepping';
import { nextStep } from '@daxel/core/plan/wedge';
import { api } from '../api/client';
import { formatMs, formatPercent } from '../composables/format';

const props = defineProps<{
  wedge: Wedge;
  /** Index of the part of the picture whose figures are shown. */
  place: number;
  knee: number;
  chosen: number;
}>();
const emit = defineEmits<{ choose: [step: number] }>();

/** Something blurs by its motion, so that stepping can be told. */
const steps = computed(() => props.wedge.steps.some((s) => s.stepping !== null));
/** Flicker was measured. */
const moving = computed(() => props.wedge.steps.some((s) => s.flicker !== null));
/** The step that is rendered. */
const current = computed(() => {
  const { steps, reference, request } = props.wedge;
  return nextStep(steps, request.kind, request.reference, reference !== null);
});
function flickerText(index: number | null | undefined): string {
  if (index === undefined) return '';
  return index === null ? 'not measured' : `flicker ${index.toFixed(1)}`;
}
</script>

<template>
  <div class="row" data-testid="steps">
    <button
      v-for="(s, i) in wedge.steps"
      :key="i"
      class="step"
      :class="{ knee: i === knee, split: wedge.request.pairs, chosen: i === chosen }"
      :aria-pressed="i === chosen"
      @click="emit('choose', i)"
    >
      <img v-if="s.picture" :src="api.wedgePicture(wedge.id, i)" :alt="s.label" loading="lazy" decoding="async" />
      <span v-else class="hole">{{ i === current && wedge.state === 'running' ? '…' : '' }}</span>
      <strong class="narrow">{{ valuesInOrder(wedge.request.axes, s.values).join(' × ') }}</strong>
      <span class="quiet narrow">{{ s.seconds === null ? '–' : formatMs(s.seconds) }}</span>
      <span v-if="s.seconds !== null" class="quiet narrow">{{
        s.figures ? `FLIP ${s.figures[place]?.flip.toFixed(3)}` : 'reference'
      }}</span>
      <span
        v-if="steps && s.seconds !== null"
        class="narrow"
        :class="(s.stepping ?? 0) > VISIBLE_STEPPING ? 'flag' : 'quiet'"
        title="Comb that single shutter samples leave in motion blur, as a share of the light around it"
        >{{ s.stepping === null ? 'no trail' : `stepping ${formatPercent(s.stepping)}` }}</span
      >
      <span
        v-if="moving && s.seconds !== null"
        class="narrow"
        :class="(s.flicker?.[place] ?? 0) > 1 ? 'flag' : 'quiet'"
        title="Flicker of the place, from this frame and the two before and after; 1 is just noticed"
        >{{ flickerText(s.flicker?.[place]) }}</span
      >
    </button>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  gap: 6px;
  overflow-x: auto;
  flex: none;
  padding-bottom: 4px;
}
.step {
  width: 128px;
  flex: none;
  display: flex;
  flex-direction: column;
  text-align: left;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 4px;
  background: var(--sheet);
}
.step img,
.hole {
  width: 118px;
  height: 66px;
  object-fit: contain;
  background: var(--mat);
  color: #fff;
  text-align: center;
}
.step.chosen {
  border-color: var(--accent);
}
.step.knee strong::after {
  content: ' knee';
  color: var(--flag);
}
.step.knee.split strong::after {
  content: ' nearest';
}
</style>
