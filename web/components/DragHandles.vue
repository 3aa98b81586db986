<script setup lang="ts">
/** Outline and handles of something on the picture, inside a layer that is drawn in the picture's own pixels. */
import { ref } from 'vue';
import type { Handle, Point } from '../render/handles';

const props = defineProps<{
  handles: readonly Handle[];
  outline: readonly (readonly Point[])[];
  /** Whose they are, for those who hear it. */
  of: string;
  /** Of the picture, pixels. */
  width: number;
  height: number;
  /** Pixels of the picture for each pixel of the screen, so that handles keep their size. */
  unit: number;
}>();
const emit = defineEmits<{ grab: [handle: Handle]; drag: [handle: Handle, to: Point, along: boolean]; drop: [] }>();
const NAMES = { position: 'Position', aim: 'Direction', size: 'Size' } as const;
const group = ref<SVGGElement | null>(null);
let held: Handle | null = null;

function place(event: PointerEvent): Point {
  const box = group.value!.ownerSVGElement!.getBoundingClientRect();
  return {
    x: ((event.clientX - box.left) / box.width) * props.width,
    y: ((event.clientY - box.top) / box.height) * props.height,
  };
}
function down(event: PointerEvent, handle: Handle): void {
  event.stopPropagation();
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  held = handle;
  emit('grab', handle);
}
function moved(event: PointerEvent): void {
  if (held) emit('drag', held, place(event), event.shiftKey);
}
function up(): void {
  if (held) emit('drop');
  held = null;
}
function key(event: KeyboardEvent, handle: Handle): void {
  const step = (event.shiftKey ? 20 : 4) * props.unit;
  const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  emit('grab', handle);
  emit('drag', handle, { x: handle.at.x + by[0], y: handle.at.y + by[1] }, false);
  emit('drop');
}
const pathOf = (line: readonly Point[]): string =>
  `M${line.map((p) => `${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join('L')}`;
</script>

<template>
  <g ref="group">
    <path v-for="(line, i) in outline" :key="i" :d="pathOf(line)" class="outline" :stroke-width="1.5 * unit" />
    <g
      v-for="h in handles"
      :key="h.part"
      class="handle"
      :class="h.part"
      :transform="`translate(${h.at.x} ${h.at.y}) scale(${unit})`"
      role="slider"
      tabindex="0"
      :aria-label="`${NAMES[h.part]} of ${of}, arrow keys move it`"
      :aria-valuenow="Math.round(h.depth * 100) / 100"
      :data-handle="h.part"
      @pointerdown="down($event, h)"
      @pointermove="moved"
      @pointerup="up"
      @pointercancel="up"
      @keydown="key($event, h)"
    >
      <rect v-if="h.part === 'size'" x="-5" y="-5" width="10" height="10" />
      <circle v-else r="7" />
      <title>{{ NAMES[h.part] }}: drag{{ h.part === 'size' ? '' : '; with Shift nearer or farther' }}</title>
    </g>
  </g>
</template>

<style scoped>
.handle {
  pointer-events: auto;
  cursor: move;
  touch-action: none;
}
.outline {
  fill: none;
  stroke: #5cc4bc;
  paint-order: stroke;
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
