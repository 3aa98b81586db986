<script setup lang="ts">
/** The mount board: the picture on its mat with crop ticks, patches over it, and the hand that looks around. */
import { computed, onMounted, onUnmounted, ref } from 'vue';
import type { Patch } from '@daxel/api/schemas';
import type { Picture } from '../render/preview';
import PatchLayer from './PatchLayer.vue';
import PictureCanvas from './PictureCanvas.vue';

const props = defineProps<{
  picture: Picture | null;
  placeholder: string | null;
  /** Pixels of the full picture; a coarse one is stretched to it. */
  width: number;
  height: number;
  zoom: 'fit' | 1 | 2;
  patches: Patch[];
  chosenPatch: string | null;
  drawingPatch: boolean;
  /** The next press names a point instead of looking around. */
  picking?: boolean;
  label: string;
}>();
const emit = defineEmits<{
  orbit: [yaw: number, pitch: number];
  pan: [right: number, up: number];
  dolly: [factor: number];
  patch: [rectangle: { x: number; y: number; width: number; height: number }];
  choosePatch: [id: string];
  point: [place: { x: number; y: number }];
}>();

const stage = ref<HTMLElement | null>(null);
const room = ref({ width: 800, height: 600 });
const MARGIN = 36;
const RADIANS_PER_PIXEL = 0.006;

const scale = computed(() => {
  if (props.zoom !== 'fit') return props.zoom;
  return Math.min(1, (room.value.width - MARGIN) / props.width, (room.value.height - MARGIN) / props.height);
});
const size = computed(() => ({
  width: `${Math.round(props.width * scale.value)}px`,
  height: `${Math.round(props.height * scale.value)}px`,
}));
const pixelated = computed(() => scale.value >= 2 && props.picture?.coarse === false);

let observer: ResizeObserver | undefined;
onMounted(() => {
  observer = new ResizeObserver(
    ([entry]) => (room.value = { width: entry.contentRect.width, height: entry.contentRect.height }),
  );
  if (stage.value) observer.observe(stage.value);
});
onUnmounted(() => observer?.disconnect());

let hand: { id: number; x: number; y: number; pans: boolean } | null = null;
function down(event: PointerEvent): void {
  if (props.drawingPatch || event.button > 2) return;
  if (props.picking) {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    emit('point', { x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height });
    return;
  }
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  hand = { id: event.pointerId, x: event.clientX, y: event.clientY, pans: event.shiftKey || event.button !== 0 };
}
function moved(event: PointerEvent): void {
  if (!hand || hand.id !== event.pointerId) return;
  const dx = event.clientX - hand.x;
  const dy = event.clientY - hand.y;
  if (dx === 0 && dy === 0) return;
  hand.x = event.clientX;
  hand.y = event.clientY;
  if (hand.pans) {
    const height = props.height * scale.value;
    emit('pan', -dx / height, dy / height);
  } else {
    emit('orbit', -dx * RADIANS_PER_PIXEL, dy * RADIANS_PER_PIXEL);
  }
}
function up(): void {
  hand = null;
}
function wheel(event: WheelEvent): void {
  emit('dolly', Math.exp(Math.sign(event.deltaY) * Math.min(120, Math.abs(event.deltaY)) * 0.0012));
}
</script>

<template>
  <div ref="stage" class="stage">
    <div class="sheet" :class="{ wide: zoom !== 'fit' }">
      <div
        class="picture"
        :class="{ picking }"
        :style="size"
        data-testid="picture"
        @pointerdown="down"
        @pointermove="moved"
        @pointerup="up"
        @pointercancel="up"
        @wheel.prevent="wheel"
        @contextmenu.prevent
      >
        <PictureCanvas
          v-if="picture"
          :picture="picture"
          :label="label"
          :class="{ pixelated }"
          :data-coarse="picture.coarse"
          :data-samples="picture.samples"
        />
        <img v-else-if="placeholder" :src="placeholder" alt="" class="placeholder" />
        <span class="tick a" /><span class="tick b" /><span class="tick c" /><span class="tick d" />
        <PatchLayer
          :patches="patches"
          :chosen="chosenPatch"
          :drawing="drawingPatch"
          @draw="emit('patch', $event)"
          @choose="emit('choosePatch', $event)"
        />
        <slot name="over" />
      </div>
    </div>
    <slot />
  </div>
</template>

<style scoped>
.stage {
  position: relative;
  flex: 1;
  min-height: 0;
  min-width: 0;
  background: var(--mat);
  overflow: hidden;
  display: flex;
  flex-direction: column;
}
.sheet {
  flex: 1;
  min-height: 0;
  display: grid;
  place-content: center;
  overflow: hidden;
}
.sheet.wide {
  overflow: auto;
  place-content: safe center;
  padding: 18px;
}
.picture {
  position: relative;
  touch-action: none;
  cursor: grab;
}
.picture.picking {
  cursor: crosshair;
}
.picture:active {
  cursor: grabbing;
}
canvas,
.placeholder {
  display: block;
  width: 100%;
  height: 100%;
}
.pixelated {
  image-rendering: pixelated;
}
.tick {
  position: absolute;
  width: 9px;
  height: 9px;
  border: 0 solid #f4f4f4;
  pointer-events: none;
}
.a {
  left: -13px;
  top: -13px;
  border-width: 0 1px 1px 0;
}
.b {
  right: -13px;
  top: -13px;
  border-width: 0 0 1px 1px;
}
.c {
  left: -13px;
  bottom: -13px;
  border-width: 1px 1px 0 0;
}
.d {
  right: -13px;
  bottom: -13px;
  border-width: 1px 0 0 1px;
}
</style>
