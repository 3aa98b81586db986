<script setup lang="ts">
/** A picture at true pixels or fitted: the wheel zooms about the pointer, a drag moves, a double press fits. */
import { computed, onMounted, onUnmounted, ref } from 'vue';
import { cornerOf, FITTED, movedBy, resolvedLook, zoomedTo, type Look } from '../composables/panZoom';

const props = defineProps<{ width: number; height: number; picking: boolean }>();
const look = defineModel<Look>('look', { required: true });
const emit = defineEmits<{
  /** A press that was no drag, in shares of the picture. */
  press: [place: { x: number; y: number }];
}>();

const MARGIN = 14;
const STEP = 1.25;
/** Screen pixels to which a hand may tremble. */
const STILL = 4;
const sheet = ref<HTMLElement | null>(null);
const room = ref({ width: 800, height: 500 });
const now = computed(() => resolvedLook(look.value, props, room.value, MARGIN));
const style = computed(() => {
  const { left, top } = cornerOf(now.value, room.value);
  const { zoom } = now.value;
  return {
    left: `${left}px`,
    top: `${top}px`,
    width: `${Math.round(props.width * zoom)}px`,
    height: `${Math.round(props.height * zoom)}px`,
  };
});
const sharp = computed(() => now.value.zoom >= 1);

let observer: ResizeObserver | undefined;
onMounted(() => {
  observer = new ResizeObserver(([e]) => (room.value = { width: e.contentRect.width, height: e.contentRect.height }));
  if (sheet.value) observer.observe(sheet.value);
});
onUnmounted(() => observer?.disconnect());

/** The picture place under the pointer, pixels. */
function under(event: MouseEvent): { x: number; y: number } {
  const box = sheet.value!.getBoundingClientRect();
  const { left, top } = cornerOf(now.value, room.value);
  const { zoom } = now.value;
  return { x: (event.clientX - box.left - left) / zoom, y: (event.clientY - box.top - top) / zoom };
}
function wheel(event: WheelEvent): void {
  look.value = zoomedTo(now.value, now.value.zoom * (event.deltaY < 0 ? STEP : 1 / STEP), under(event));
}
let hand: { x: number; y: number; moved: boolean } | null = null;
function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  hand = { x: event.clientX, y: event.clientY, moved: false };
}
function moved(event: PointerEvent): void {
  if (!hand) return;
  const [dx, dy] = [event.clientX - hand.x, event.clientY - hand.y];
  if (!hand.moved && Math.abs(dx) + Math.abs(dy) < STILL) return;
  look.value = movedBy(now.value, dx, dy);
  hand = { x: event.clientX, y: event.clientY, moved: true };
}
function up(event: PointerEvent): void {
  const pressed = hand && !hand.moved;
  hand = null;
  if (!pressed) return;
  const { x, y } = under(event);
  const place = { x: x / props.width, y: y / props.height };
  if (place.x >= 0 && place.x < 1 && place.y >= 0 && place.y < 1) emit('press', place);
}
</script>

<template>
  <div
    ref="sheet"
    class="sheet"
    :class="{ picking }"
    @wheel.prevent="wheel"
    @pointerdown="down"
    @pointermove="moved"
    @pointerup="up"
    @pointercancel="hand = null"
    @dblclick="look = FITTED"
  >
    <div class="frame" :class="{ sharp }" :style="style" :data-zoom="now.zoom.toFixed(3)" data-testid="run-picture">
      <slot />
    </div>
  </div>
</template>

<style scoped>
.sheet {
  position: relative;
  flex: 1;
  min-height: 0;
  overflow: hidden;
  cursor: grab;
  touch-action: none;
}
.sheet:active {
  cursor: grabbing;
}
.sheet.picking {
  cursor: crosshair;
}
.frame {
  position: absolute;
}
.frame :deep(canvas) {
  display: block;
  width: 100%;
  height: 100%;
}
.frame.sharp :deep(canvas) {
  image-rendering: pixelated;
}
</style>
