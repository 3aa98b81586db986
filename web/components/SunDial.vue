<script setup lang="ts">
/** Where the sun stands, as a map of the sky: the middle is overhead, the rim the horizon, up is −Z. */
import { computed } from 'vue';
import { sunAngles, sunDirection } from '@daxel/core/light/rig';

const props = defineProps<{ direction: readonly number[] }>();
const emit = defineEmits<{ change: [direction: [number, number, number]] }>();
const SIDE = 116;
const RADIUS = 48;

const angles = computed(() => sunAngles(props.direction));
const spot = computed(() => {
  const r = RADIUS * Math.min(1.15, (90 - angles.value.altitudeDeg) / 90);
  const a = (angles.value.azimuthDeg * Math.PI) / 180;
  return { x: SIDE / 2 + r * Math.sin(a), y: SIDE / 2 - r * Math.cos(a) };
});
const below = computed(() => angles.value.altitudeDeg < 0);

let held = false;
function aim(event: PointerEvent): void {
  const box = (event.currentTarget as Element).getBoundingClientRect();
  const x = ((event.clientX - box.left) / box.width) * SIDE - SIDE / 2;
  const y = ((event.clientY - box.top) / box.height) * SIDE - SIDE / 2;
  const altitude = Math.max(-10, 90 - (Math.hypot(x, y) / RADIUS) * 90);
  emit('change', sunDirection(altitude, (Math.atan2(x, -y) * 180) / Math.PI));
}
function down(event: PointerEvent): void {
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  held = true;
  aim(event);
}
function key(event: KeyboardEvent): void {
  const step = event.shiftKey ? 10 : 1;
  const turn = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [1, 0], ArrowDown: [-1, 0] }[event.key];
  if (!turn) return;
  event.preventDefault();
  event.stopPropagation();
  const { altitudeDeg, azimuthDeg } = angles.value;
  const altitude = Math.min(90, Math.max(-90, altitudeDeg + turn[0] * step));
  emit('change', sunDirection(altitude, azimuthDeg + turn[1] * step));
}
</script>

<template>
  <svg
    :viewBox="`0 0 ${SIDE} ${SIDE}`"
    :width="SIDE"
    :height="SIDE"
    tabindex="0"
    role="slider"
    aria-label="Direction of the sun"
    :aria-valuetext="`altitude ${angles.altitudeDeg.toFixed(1)}°, azimuth ${angles.azimuthDeg.toFixed(1)}°`"
    :aria-valuenow="Math.round(angles.azimuthDeg)"
    aria-valuemin="0"
    aria-valuemax="360"
    @pointerdown="down"
    @pointermove="held && aim($event)"
    @pointerup="held = false"
    @pointercancel="held = false"
    @keydown="key"
  >
    <circle :cx="SIDE / 2" :cy="SIDE / 2" :r="RADIUS" class="rim" />
    <circle v-for="k in [1, 2]" :key="k" :cx="SIDE / 2" :cy="SIDE / 2" :r="(RADIUS * k) / 3" class="ring" />
    <path
      :d="`M${SIDE / 2} ${SIDE / 2 - RADIUS}V${SIDE / 2 + RADIUS}M${SIDE / 2 - RADIUS} ${SIDE / 2}H${SIDE / 2 + RADIUS}`"
      class="ring"
    />
    <text :x="SIDE / 2" y="7">N</text>
    <text :x="SIDE - 4" :y="SIDE / 2 + 3">E</text>
    <text :x="SIDE / 2" :y="SIDE - 1">S</text>
    <text x="4" :y="SIDE / 2 + 3">W</text>
    <line :x1="spot.x" :y1="spot.y" :x2="SIDE / 2" :y2="SIDE / 2" class="ray" />
    <circle :cx="spot.x" :cy="spot.y" r="6" class="sun" :class="{ below }" />
  </svg>
</template>

<style scoped>
svg {
  cursor: crosshair;
  touch-action: none;
  border-radius: 4px;
}
.rim {
  fill: var(--sheet);
  stroke: var(--quiet);
}
.ring {
  fill: none;
  stroke: var(--line);
}
text {
  font-size: 9px;
  text-anchor: middle;
  fill: var(--quiet);
}
.ray {
  stroke: var(--accent);
}
.sun {
  fill: var(--accent);
  stroke: var(--sheet);
  stroke-width: 2;
}
.sun.below {
  fill: var(--flag);
}
</style>
