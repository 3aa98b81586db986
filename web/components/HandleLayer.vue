<script setup lang="ts">
/** The lights of a rig over the picture: small marks for all, handles for the chosen one. */
import { computed, ref } from 'vue';
import type { CameraView } from '@daxel/core/scene/camera';
import type { RigLight } from '@daxel/core/light/rig';
import { dragHandle, lightHandles, PictureSpace, type Handle, type Point } from '../render/handles';
import DragHandles from './DragHandles.vue';

const props = defineProps<{
  lights: readonly RigLight[];
  chosen: string | null;
  camera: CameraView;
  width: number;
  height: number;
}>();
const emit = defineEmits<{ choose: [id: string]; change: [id: string, part: Partial<RigLight>] }>();
const layer = ref<SVGSVGElement | null>(null);
const space = computed(() => new PictureSpace(props.camera, props.width, props.height));
const marks = computed(() =>
  props.lights
    .filter((l) => l.kind !== 'sun')
    .flatMap((l) => {
      const seen = space.value.project(l.position);
      const inside = seen && seen.at.x >= 0 && seen.at.y >= 0 && seen.at.x <= props.width && seen.at.y <= props.height;
      return inside ? [{ light: l, at: seen.at }] : [];
    }),
);
const chosenLight = computed(() => props.lights.find((l) => l.id === props.chosen) ?? null);
const drawn = computed(() => (chosenLight.value ? lightHandles(chosenLight.value, space.value) : null));
/** Pixels of the picture for each pixel of the screen, so that handles keep their size. */
const unit = computed(() => props.width / (layer.value?.getBoundingClientRect().width || props.width));

let held: RigLight | null = null;
function grab(): void {
  held = chosenLight.value;
}
function drag(handle: Handle, to: Point, along: boolean): void {
  if (held) emit('change', held.id, dragHandle(held, handle, to, space.value, along));
}
</script>

<template>
  <svg ref="layer" class="layer" :viewBox="`0 0 ${width} ${height}`" aria-label="Lights on the picture">
    <g
      v-for="m in marks"
      :key="m.light.id"
      class="mark"
      :class="{ off: !m.light.on }"
      :transform="`translate(${m.at.x} ${m.at.y}) scale(${unit})`"
      role="button"
      tabindex="-1"
      :aria-label="`Light ${m.light.name}`"
      @pointerdown.stop="emit('choose', m.light.id)"
    >
      <circle r="7" />
      <path d="M0 -11V-8M0 8V11M-11 0H-8M8 0H11" />
      <title>{{ m.light.name }}</title>
    </g>
    <DragHandles
      v-if="drawn"
      v-bind="drawn"
      of="the light"
      :width="width"
      :height="height"
      :unit="unit"
      @grab="grab"
      @drag="drag"
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
.mark {
  pointer-events: auto;
  cursor: pointer;
}
.mark circle {
  fill: rgb(0 0 0 / 45%);
  stroke: #fff;
  stroke-width: 1.5;
}
.mark path {
  stroke: #fff;
  stroke-width: 1.5;
}
.mark.off {
  opacity: 0.5;
}
</style>
