<script setup lang="ts">
/** Stripes over clipped places, dots over crushed ones; fixed on the picture, so that they do not crawl. */
import { onMounted, ref, watch } from 'vue';
import { exposureMark } from '@daxel/core/measure/histogram';
import type { Picture } from '../render/preview';

const props = defineProps<{ picture: Picture }>();
const canvas = ref<HTMLCanvasElement | null>(null);
const PITCH = 8;

function draw(): void {
  const context = canvas.value?.getContext('2d');
  if (!canvas.value || !context) return;
  const { width, height, codes } = props.picture;
  canvas.value.width = width;
  canvas.value.height = height;
  const image = context.createImageData(width, height);
  const pixels = new Uint32Array(image.data.buffer);
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const mark = exposureMark(codes, i);
      // little-endian rgba: ember stripes, pale dots
      if (mark > 0 && (x + y) % PITCH < PITCH / 2) pixels[i] = 0xff0c41c2;
      else if (mark < 0 && x % 4 < 2 && y % 4 < 2 && ((x >> 2) + (y >> 2)) % 2 === 0) pixels[i] = 0xff9c8c5c;
    }
  }
  context.putImageData(image, 0, 0);
}
onMounted(draw);
watch(() => props.picture, draw, { flush: 'post' });
</script>

<template>
  <canvas ref="canvas" class="zebra" role="img" aria-label="Stripes where clipped, dots where crushed" />
</template>

<style scoped>
.zebra {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
</style>
