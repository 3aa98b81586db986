<script setup lang="ts">
/** Pictures held against each other at one zoom and place, down to single pixels. */
import { computed, onMounted, onUnmounted, ref, watch } from 'vue';
import type { Patch } from '@daxel/api/schemas';
import { movedBy, zoomedTo, type Look } from '../composables/panZoom';
import type { Picture } from '../render/preview';

export type CompareMode = 'wipe' | 'flip' | 'side' | 'difference' | 'blend';
export interface Held {
  key: string;
  letter: string;
  name: string;
  picture: Picture;
}

const props = defineProps<{
  mode: CompareMode;
  /** In wipe, flip, blend and difference the first two; side by side all. */
  held: readonly Held[];
  /** Of the first against the second. */
  difference: Picture | null;
  patches: readonly Patch[];
  chosenPatch: string;
}>();
const wipe = defineModel<number>('wipe', { required: true });
const blend = defineModel<number>('blend', { required: true });
const emit = defineEmits<{ pixel: [place: { x: number; y: number } | null] }>();

const canvas = ref<HTMLCanvasElement | null>(null);
const room = ref<HTMLElement | null>(null);
const space = ref({ width: 600, height: 400 });
/** Screen pixels along one picture pixel, or fitted; and the picture place in the middle of each pane. */
const zoom = ref<number | null>(null);
const middle = ref<{ x: number; y: number } | null>(null);
const turn = ref(0);
const sheets = new Map<Picture, HTMLCanvasElement>();

const size = computed(() => props.held[0]?.picture ?? { width: 16, height: 9 });
const panes = computed(() => {
  const { width, height } = space.value;
  const n = props.mode === 'side' ? Math.max(1, props.held.length) : 1;
  // as many columns as make the pictures largest
  let best = 1;
  let largest = 0;
  for (let columns = 1; columns <= n; columns++) {
    const k = Math.min(width / columns / size.value.width, height / Math.ceil(n / columns) / size.value.height);
    if (k > largest) [largest, best] = [k, columns];
  }
  const [w, h] = [width / best, height / Math.ceil(n / best)];
  return Array.from({ length: n }, (_, i) => ({ x: (i % best) * w, y: Math.floor(i / best) * h, width: w, height: h }));
});
const fitted = computed(() => {
  const { width, height } = panes.value[0];
  return Math.min((width - 24) / size.value.width, (height - 24) / size.value.height);
});
const scale = computed(() => zoom.value ?? fitted.value);
const centre = computed(() =>
  zoom.value === null || !middle.value ? { x: size.value.width / 2, y: size.value.height / 2 } : middle.value,
);
const now = computed(() => ({ zoom: scale.value, ...centre.value }));

function sheetOf(picture: Picture): HTMLCanvasElement {
  let sheet = sheets.get(picture);
  if (!sheet) {
    sheet = document.createElement('canvas');
    sheet.width = picture.width;
    sheet.height = picture.height;
    sheet.getContext('2d')?.putImageData(new ImageData(picture.codes, picture.width, picture.height), 0, 0);
    sheets.set(picture, sheet);
  }
  return sheet;
}

function draw(): void {
  const context = canvas.value?.getContext('2d');
  if (!canvas.value || !context) return;
  const ratio = window.devicePixelRatio || 1;
  canvas.value.width = Math.round(space.value.width * ratio);
  canvas.value.height = Math.round(space.value.height * ratio);
  context.scale(ratio, ratio);
  context.imageSmoothingEnabled = scale.value < 1;
  const [a, b] = props.held;
  const put = (picture: Picture, pane: (typeof panes.value)[number]): void => {
    const { x, y } = placeOf(pane);
    // pictures of another size are stretched over the first, so that they lie on each other all the same
    context.drawImage(sheetOf(picture), x, y, size.value.width * scale.value, size.value.height * scale.value);
  };
  const within = (x: number, y: number, w: number, h: number, run: () => void): void => {
    context.save();
    context.beginPath();
    context.rect(x, y, w, h);
    context.clip();
    run();
    context.restore();
  };
  panes.value.forEach((pane, i) => {
    within(pane.x, pane.y, pane.width, pane.height, () => {
      if (props.mode === 'side') {
        if (props.held[i]) put(props.held[i].picture, pane);
      } else if (props.mode === 'difference') {
        if (props.difference) put(props.difference, pane);
      } else if (a) {
        const { x, y } = placeOf(pane);
        const at = x + size.value.width * scale.value * wipe.value;
        if (props.mode === 'flip') put((turn.value === 1 && b ? b : a).picture, pane);
        else if (props.mode === 'blend' || !b) {
          put(a.picture, pane);
          if (b) {
            context.globalAlpha = blend.value;
            put(b.picture, pane);
            context.globalAlpha = 1;
          }
        } else {
          within(pane.x, pane.y, Math.max(0, at - pane.x), pane.height, () => put(a.picture, pane));
          within(at, pane.y, pane.width, pane.height, () => put(b.picture, pane));
          context.fillStyle = 'rgb(0 0 0 / 45%)';
          context.fillRect(at - 2, Math.max(0, y), 4, size.value.height * scale.value);
          context.fillStyle = '#fff';
          context.fillRect(at - 1, Math.max(0, y), 2, size.value.height * scale.value);
        }
      }
      framePatch(context, pane);
    });
  });
}
function framePatch(context: CanvasRenderingContext2D, pane: (typeof panes.value)[number]): void {
  const patch = props.patches.find((p) => p.id === props.chosenPatch);
  if (!patch) return;
  const { x, y } = placeOf(pane);
  const [w, h] = [size.value.width * scale.value, size.value.height * scale.value];
  context.lineWidth = 1;
  for (const [color, grow] of [
    ['rgb(0 0 0 / 60%)', 1],
    ['#fff', 0],
  ] as const) {
    context.strokeStyle = color;
    context.strokeRect(
      x + patch.x * w - grow + 0.5,
      y + patch.y * h - grow + 0.5,
      patch.width * w + grow * 2,
      patch.height * h + grow * 2,
    );
  }
}
function placeOf(pane: { x: number; y: number; width: number; height: number }): { x: number; y: number } {
  const k = scale.value;
  return {
    x: Math.round(pane.x + pane.width / 2 - centre.value.x * k),
    y: Math.round(pane.y + pane.height / 2 - centre.value.y * k),
  };
}

let asked = 0;
watch(
  () => [
    props.mode,
    props.held,
    props.difference,
    props.chosenPatch,
    wipe.value,
    blend.value,
    turn.value,
    scale.value,
    centre.value,
    space.value,
  ],
  () => {
    cancelAnimationFrame(asked);
    asked = requestAnimationFrame(draw);
  },
  { immediate: true },
);
let observer: ResizeObserver | undefined;
onMounted(() => {
  observer = new ResizeObserver(([e]) => (space.value = { width: e.contentRect.width, height: e.contentRect.height }));
  if (room.value) observer.observe(room.value);
  draw();
});
onUnmounted(() => {
  observer?.disconnect();
  cancelAnimationFrame(asked);
});

/** The picture place under the pointer. */
function under(event: MouseEvent): { x: number; y: number; pane: (typeof panes.value)[number] } {
  const box = canvas.value!.getBoundingClientRect();
  const [mx, my] = [event.clientX - box.left, event.clientY - box.top];
  const pane =
    panes.value.find((p) => mx >= p.x && mx < p.x + p.width && my >= p.y && my < p.y + p.height) ?? panes.value[0];
  const place = placeOf(pane);
  return { x: (mx - place.x) / scale.value, y: (my - place.y) / scale.value, pane };
}
function zoomTo(k: number | null, about?: { x: number; y: number }): void {
  if (k === null) zoom.value = null;
  else take(zoomedTo(now.value, k, about));
}
function take({ zoom: to, x, y }: Look): void {
  zoom.value = to;
  middle.value = { x, y };
}
function wheel(event: WheelEvent): void {
  const at = under(event);
  zoomTo(scale.value * (event.deltaY < 0 ? 1.25 : 0.8), at);
}
let hand: { x: number; y: number; wipes: boolean } | null = null;
function down(event: PointerEvent): void {
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  const at = under(event);
  const near = Math.abs(at.x / size.value.width - wipe.value) * size.value.width * scale.value < 14;
  hand = { x: event.clientX, y: event.clientY, wipes: props.mode === 'wipe' && near };
}
function moved(event: PointerEvent): void {
  const at = under(event);
  const [x, y] = [Math.floor(at.x), Math.floor(at.y)];
  emit('pixel', x >= 0 && y >= 0 && x < size.value.width && y < size.value.height ? { x, y } : null);
  if (!hand) return;
  if (hand.wipes) {
    wipe.value = Math.min(1, Math.max(0, at.x / size.value.width));
    return;
  }
  take(movedBy(now.value, event.clientX - hand.x, event.clientY - hand.y));
  hand = { ...hand, x: event.clientX, y: event.clientY };
}
function flip(): void {
  turn.value = 1 - turn.value;
}
defineExpose({ flip, zoomTo, scale, turn });
</script>

<template>
  <div ref="room" class="room">
    <canvas
      ref="canvas"
      role="img"
      :aria-label="held.map((h) => `${h.letter} ${h.name}`).join(', ') || 'No picture yet'"
      data-testid="compare"
      @wheel.prevent="wheel"
      @pointerdown="down"
      @pointermove="moved"
      @pointerup="hand = null"
      @pointercancel="hand = null"
      @pointerleave="emit('pixel', null)"
      @dblclick="zoomTo(zoom === null ? 1 : null)"
    />
    <template v-if="mode === 'side'">
      <span
        v-for="(h, i) in held"
        :key="h.key"
        class="name"
        :style="{ left: `${panes[i].x + 6}px`, top: `${panes[i].y + 6}px` }"
        >{{ h.letter }} {{ h.name }}</span
      >
    </template>
    <template v-else-if="mode === 'flip'">
      <span v-if="held[0]" class="name corner"
        >{{ (turn === 1 && held[1] ? held[1] : held[0]).letter }}
        {{ (turn === 1 && held[1] ? held[1] : held[0]).name }}</span
      >
    </template>
    <template v-else>
      <span v-if="held[0]" class="name corner">{{ held[0].letter }} {{ held[0].name }}</span>
      <span v-if="held[1]" class="name corner right">{{ held[1].letter }} {{ held[1].name }}</span>
    </template>
  </div>
</template>

<style scoped>
.room {
  position: relative;
  flex: 1;
  min-height: 0;
  overflow: hidden;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  touch-action: none;
  cursor: crosshair;
}
.name {
  position: absolute;
  padding: 1px 8px;
  background: #fff;
  color: #161616;
  font-size: 12px;
  font-weight: 600;
  pointer-events: none;
}
.corner {
  left: 8px;
  top: 8px;
}
.right {
  left: auto;
  right: 8px;
}
</style>
