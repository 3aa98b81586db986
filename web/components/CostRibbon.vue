<script setup lang="ts">
/** Where the time goes: one segment a stage, as wide as its share. */
import { computed } from 'vue';
import { STAGES, type StageId } from '@daxel/core/recipe/settings';
import { formatBytes, formatMs } from '../composables/format';
import type { Figures } from '../composables/usePreview';

const props = defineProps<{
  figures: Figures | null;
  chosen: StageId | null;
  drawing: boolean;
  baking: number | null;
  tierLabel: string;
}>();
const emit = defineEmits<{ choose: [stage: StageId] }>();

/** Stages that share another's loop have hardly any time of their own, unless a method of theirs works there. */
const OWN_SHARE = 0.02;
const WITHIN: Partial<Record<StageId, string>> = { bounce: 'in Samples', reflections: 'in Samples', output: 'size' };
const sum = computed(() => Object.values(props.figures?.seconds ?? {}).reduce((a, b) => a + b, 0));
const segments = computed(() =>
  STAGES.map((stage) => {
    const seconds = props.figures?.seconds[stage.id];
    const bytes = props.figures?.bytes[stage.id] ?? 0;
    const share = seconds !== undefined && sum.value > 0 ? seconds / sum.value : 0;
    return { ...stage, seconds, bytes, share, within: share > OWN_SHARE ? undefined : WITHIN[stage.id] };
  }),
);
const headline = computed(() => {
  const f = props.figures;
  if (!f) return 'measuring…';
  const memory = Object.values(f.bytes).reduce((a, b) => a + b, 0);
  // pixel and light samples multiply: the product is what a soft shadow is made of
  const light = f.lightSamples > 1 ? ` × ${f.lightSamples} light samples = ${f.samples * f.lightSamples}` : '';
  return `${props.tierLabel}, ${f.width}×${f.height}, ${f.samples} ${f.samples === 1 ? 'sample' : 'samples'} a pixel${light}, ${f.threads} threads: ${formatMs(f.total)} · ${formatBytes(memory)}`;
});
</script>

<template>
  <section class="ribbon" aria-label="Cost ribbon">
    <p>
      <strong>Where the time goes</strong>
      <span class="quiet headline" data-testid="headline">{{ headline }}</span>
      <span v-if="drawing" class="quiet" role="status">
        · drawing…<template v-if="baking !== null"> baking probes, {{ Math.round(baking * 100) }} %</template>
      </span>
    </p>
    <div class="segments" role="group" aria-label="Stages">
      <button
        v-for="s in segments"
        :key="s.id"
        class="segment"
        :class="{ chosen: s.id === chosen }"
        :style="{ flexGrow: Math.max(0.02, s.share) * 100 }"
        :aria-pressed="s.id === chosen"
        :title="`${s.label}: ${s.does}`"
        :data-stage="s.id"
        @click="emit('choose', s.id)"
      >
        <strong>{{ s.label }}</strong>
        <span class="narrow">
          <template v-if="s.within">{{ s.within }}</template>
          <template v-else-if="s.seconds !== undefined">
            {{ formatMs(s.seconds)
            }}<template v-if="s.share > 0.22">
              · {{ Math.round(s.share * 100) }} % · {{ formatBytes(s.bytes) }}</template
            >
            <template v-if="s.id === 'shadows' && figures?.keptShadows"> · kept</template>
          </template>
          <template v-else>–</template>
        </span>
      </button>
    </div>
  </section>
</template>

<style scoped>
.ribbon {
  padding: 8px 14px 0;
}
.headline {
  margin-left: 8px;
}
.segments {
  display: flex;
  gap: 2px;
  /* room for what marks the focus, which would be cut where it scrolls */
  margin: 3px -3px -3px;
  padding: 3px;
  overflow-x: auto;
}
.segment {
  flex: 1 1 0;
  /* no narrower than what stands in it, whatever its share */
  min-width: max-content;
  text-align: left;
  padding: 4px 8px 5px;
  border: 1px solid var(--line);
  border-bottom-width: 3px;
  border-radius: 4px;
  background: var(--sheet);
  white-space: nowrap;
}
.segment strong {
  display: block;
}
.segment span {
  font-size: 12px;
  color: var(--quiet);
}
.segment.chosen {
  background: rgba(var(--v-theme-primary), 0.14);
  border-color: var(--accent);
}
</style>
