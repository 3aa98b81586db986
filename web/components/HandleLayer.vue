<script setup lang="ts">
/** The lights of a rig over the picture: small marks for all, handles for the chosen one. */
import { computed, ref } from 'vue';
import type { CameraView } from '@daxel/core/scene/camera';
import type { RigLight } from '@daxel/core/light/rig';
import { dragHandle, lightHandles, PictureSpace, type Handle, type Point } from '../render/handles';

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
const NAMES = { position: 'Position', aim: 'Direction', size: 'Size' } as const;
/** Pixels of the picture for each pixel of the screen, so that handles keep their size. */
const unit = computed(() => props.width / (layer.value?.getBoundingClientRect().width || props.width));

let held: { handle: Handle; light: RigLight } | null = null;
function place(event: PointerEvent): Point {
  const box = layer.value!.getBoundingClientRect();
  return {
    x: ((event.clientX - box.left) / box.width) * props.width,
    y: ((event.clientY - box.top) / box.height) * props.height,
  };
}
function down(event: PointerEvent, handle: Handle): void {
  if (!chosenLight.value) return;
  event.stopPropagation();
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  held = { handle, light: chosenLight.value };
}
function moved(event: PointerEvent): void {
  if (!held) return;
  emit('change', held.light.id, dragHandle(held.light, held.handle, place(event), space.value, event.shiftKey));
}
function key(event: KeyboardEvent, handle: Handle): void {
  const light = chosenLight.value;
  const step = (event.shiftKey ? 20 : 4) * unit.value;
  const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
  if (!light || !by) return;
  event.preventDefault();
  event.stopPropagation();
  const to = { x: handle.at.x + by[0], y: handle.at.y + by[1] };
  emit('change', light.id, dragHandle(light, handle, to, space.value));
}
const pathOf = (line: readonly Point[]): string =>
  `M${line.map((p) => `${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join('L')}`;
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
    <template v-if="drawn">
      <path v-for="(line, i) in drawn.outline" :key="i" :d="pathOf(line)" class="outline" :stroke-width="1.5 * unit" />
      <g
        v-for="h in drawn.handles"
        :key="h.part"
        class="handle"
        :class="h.part"
        :transform="`translate(${h.at.x} ${h.at.y}) scale(${unit})`"
        role="slider"
        tabindex="0"
        :aria-label="`${NAMES[h.part]} of the light, arrow keys move it`"
        :aria-valuenow="Math.round(h.depth * 100) / 100"
        :data-handle="h.part"
        @pointerdown="down($event, h)"
        @pointermove="moved"
        @pointerup="held = null"
        @pointercancel="held = null"
        @keydown="key($event, h)"
      >
        <rect v-if="h.part === 'size'" x="-5" y="-5" width="10" height="10" />
        <circle v-else r="7" />
        <title>{{ NAMES[h.part] }}: drag; with Shift nearer or farther</title>
      </g>
    </template>
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
.mark,
.handle {
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
.outline {
  fill: none;
  stroke: #5cc4bc;
  paint-order: stroke;
}
.handle {
  cursor: move;
  touch-action: none;
}
.handle circle,
.handle rect {
  fill: #0b7a75;
  stroke: #fff;
  stroke-width: 2;
}
.handle.aim circle {
  fill: #fff;
  stroke: #0b7a75;
}
.handle:focus-visible {
  outline: none;
}
.handle:focus-visible circle,
.handle:focus-visible rect {
  stroke: #c2410c;
  stroke-width: 3;
}
</style>
