<script setup lang="ts">
/** The map of visible flicker over a frame: clear below what is noticed, then ever stronger; hatched where not measured. */
import { onMounted, ref, watch } from 'vue';
import { NOT_MEASURED, type FlickerMap } from '../render/stabilityWorker';

const props = withDefaults(defineProps<{ map: FlickerMap; label?: string }>(), { label: 'Map of visible flicker' });
const canvas = ref<HTMLCanvasElement | null>(null);

function draw(): void {
  const context = canvas.value?.getContext('2d');
  if (!canvas.value || !context) return;
  const { width, height, eighths } = props.map;
  canvas.value.width = width;
  canvas.value.height = height;
  const image = context.createImageData(width, height);
  for (let i = 0; i < eighths.length; i++) {
    const v = eighths[i];
    const o = i * 4;
    if (v === NOT_MEASURED) {
      const striped = ((i % width) + Math.floor(i / width)) % 4 === 0;
      image.data.set([119, 119, 119, striped ? 130 : 0], o);
    } else if (v > 8) {
      // from just noticed to eight times that
      const strength = Math.min(1, Math.log2(v / 8) / 3);
      image.data.set([226, 90 - 60 * strength, 28, 70 + 160 * strength], o);
    }
  }
  context.putImageData(image, 0, 0);
}
onMounted(draw);
watch(() => props.map, draw, { flush: 'post' });
</script>

<template>
  <canvas ref="canvas" role="img" :aria-label="label" />
</template>
