<script setup lang="ts">
/** Patches as numbered rectangles over the picture, and the drawing of a new one. */
import { computed, ref } from 'vue';
import type { Patch } from '@daxel/api/schemas';

const props = defineProps<{ patches: Patch[]; chosen: string | null; drawing: boolean }>();
const emit = defineEmits<{
  draw: [rectangle: { x: number; y: number; width: number; height: number }];
  choose: [id: string];
}>();

const from = ref<{ x: number; y: number } | null>(null);
const to = ref({ x: 0, y: 0 });
/** Smaller rectangles are slips of the hand. */
const LEAST = 0.01;

const fresh = computed(() => {
  if (!from.value) return null;
  const x = Math.min(from.value.x, to.value.x);
  const y = Math.min(from.value.y, to.value.y);
  return { x, y, width: Math.abs(from.value.x - to.value.x), height: Math.abs(from.value.y - to.value.y) };
});
const placed = (r: { x: number; y: number; width: number; height: number }) => ({
  left: `${r.x * 100}%`,
  top: `${r.y * 100}%`,
  width: `${r.width * 100}%`,
  height: `${r.height * 100}%`,
});
function place(event: PointerEvent): { x: number; y: number } {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  const clamp = (v: number): number => Math.min(1, Math.max(0, v));
  return { x: clamp((event.clientX - box.left) / box.width), y: clamp((event.clientY - box.top) / box.height) };
}
function down(event: PointerEvent): void {
  if (!props.drawing || event.button !== 0) return;
  event.stopPropagation();
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  from.value = to.value = place(event);
}
function moved(event: PointerEvent): void {
  if (from.value) to.value = place(event);
}
function up(): void {
  const r = fresh.value;
  from.value = null;
  if (r && r.width > LEAST && r.height > LEAST) emit('draw', r);
}
</script>

<template>
  <div
    class="layer"
    :class="{ drawing }"
    @pointerdown="down"
    @pointermove="moved"
    @pointerup="up"
    @pointercancel="from = null"
  >
    <div v-for="(p, i) in patches" :key="p.id" class="patch" :class="{ chosen: p.id === chosen }" :style="placed(p)">
      <button
        class="tag"
        :title="p.name"
        :aria-label="`Patch ${i + 1}, ${p.name}`"
        @pointerdown.stop
        @click="emit('choose', p.id)"
      >
        {{ i + 1 }}
      </button>
    </div>
    <div v-if="fresh" class="patch fresh" :style="placed(fresh)" />
  </div>
</template>

<style scoped>
.layer {
  position: absolute;
  inset: 0;
}
.layer.drawing {
  cursor: crosshair;
  background: rgb(0 0 0 / 12%);
}
.patch {
  position: absolute;
  border: 1px solid #fff;
  outline: 1px solid rgb(0 0 0 / 55%);
  pointer-events: none;
}
.patch.chosen {
  border-color: #5cc4bc;
}
.patch.fresh {
  border-style: dashed;
}
.tag {
  position: absolute;
  left: -1px;
  top: -15px;
  min-width: 16px;
  height: 14px;
  padding: 0 4px;
  background: #fff;
  color: #161616;
  font-size: 12px;
  line-height: 14px;
  pointer-events: auto;
}
.drawing .tag {
  pointer-events: none;
}
</style>
