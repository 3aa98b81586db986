<script setup lang="ts">
/** A box that a method fills, over the picture, with handles that move and size it. It is changed when they are let go. */
import { computed, ref } from 'vue';
import type { CameraView } from '@daxel/core/scene/camera';
import { boxHandles, dragBox, type PlacedBox } from '../render/boxHandles';
import { PictureSpace, type Handle, type Point } from '../render/handles';
import DragHandles from './DragHandles.vue';

const props = defineProps<{ box: PlacedBox; name: string; camera: CameraView; width: number; height: number }>();
const emit = defineEmits<{ change: [box: PlacedBox] }>();
const layer = ref<SVGSVGElement | null>(null);
const space = computed(() => new PictureSpace(props.camera, props.width, props.height));
/** As the hand has it. */
const moving = ref<PlacedBox | null>(null);
const drawn = computed(() => boxHandles(moving.value ?? props.box, space.value));
const unit = computed(() => props.width / (layer.value?.getBoundingClientRect().width || props.width));
let from = props.box;
function grab(): void {
  from = props.box;
}

function drag(handle: Handle, to: Point, along: boolean): void {
  moving.value = dragBox(from, handle, to, space.value, along);
}
function drop(): void {
  if (moving.value) emit('change', moving.value);
  moving.value = null;
}
</script>

<template>
  <svg ref="layer" class="layer" :viewBox="`0 0 ${width} ${height}`" :aria-label="`${name} on the picture`">
    <DragHandles
      v-bind="drawn"
      :of="name"
      :width="width"
      :height="height"
      :unit="unit"
      @grab="grab"
      @drag="drag"
      @drop="drop"
    />
  </svg>
</template>

<style scoped>
.layer {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  overflow: hidden;
  pointer-events: none;
}
</style>
