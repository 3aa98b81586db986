<script setup lang="ts">
/** A picture in a canvas of its own pixels; the caller sizes it. */
import { onMounted, ref, watch } from 'vue';
import type { Picture } from '../render/preview';

const props = defineProps<{
  picture: Picture;
  crop?: { x: number; y: number; width: number; height: number };
  label: string;
}>();
const canvas = ref<HTMLCanvasElement | null>(null);

function draw(): void {
  const context = canvas.value?.getContext('2d');
  if (!canvas.value || !context) return;
  const { width, height, codes } = props.picture;
  const image = new ImageData(codes, width, height);
  const crop = props.crop ?? { x: 0, y: 0, width, height };
  if (canvas.value.width !== crop.width || canvas.value.height !== crop.height) {
    canvas.value.width = crop.width;
    canvas.value.height = crop.height;
  }
  context.putImageData(image, -crop.x, -crop.y, crop.x, crop.y, crop.width, crop.height);
}
onMounted(draw);
watch(() => [props.picture, props.crop], draw, { flush: 'post' });
</script>

<template>
  <canvas ref="canvas" role="img" :aria-label="label" />
</template>
