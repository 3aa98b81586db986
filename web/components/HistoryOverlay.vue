<script setup lang="ts">
/** Where temporal accumulation took earlier frames over: clear where all of them, ever darker where fewer, striped where none. */
import { onMounted, ref, watch } from 'vue';
import type { HistoryMap } from '@daxel/core/frame/keptHistory';

const props = defineProps<{ map: HistoryMap }>();
const canvas = ref<HTMLCanvasElement | null>(null);

function draw(): void {
  const context = canvas.value?.getContext('2d');
  if (!canvas.value || !context) return;
  const { width, height, shares } = props.map;
  canvas.value.width = width;
  canvas.value.height = height;
  const image = context.createImageData(width, height);
  shares.forEach((share, i) => {
    const striped = ((i % width) + Math.floor(i / width)) % 3 === 0;
    if (share === 0) image.data.set(striped ? [255, 255, 255, 230] : [11, 60, 73, 230], i * 4);
    else image.data.set([11, 60, 73, Math.round(200 * (1 - share / 255))], i * 4);
  });
  context.putImageData(image, 0, 0);
}
onMounted(draw);
watch(() => props.map, draw, { flush: 'post' });
</script>

<template>
  <canvas ref="canvas" role="img" aria-label="Map of history taken over" class="map" />
</template>

<style scoped>
.map {
  image-rendering: pixelated;
}
</style>
