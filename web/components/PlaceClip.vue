<script setup lang="ts">
/** A place of a run as a clip: the frames about one, cut out, playing over and over at twice their size. */
import { computed, onMounted, toRef, watch } from 'vue';
import { usePlayer } from '../composables/usePlayer';
import { useRunPicture } from '../composables/useRunPicture';
import type { Run } from '../stores/runs';
import PictureCanvas from './PictureCanvas.vue';

const props = defineProps<{ run: Run; frame: number; x: number; y: number; width: number; height: number }>();
/** Frames on either side. */
const ASIDE = 6;
/** Largest side that is shown, pixels of the picture. */
const SIDE = 110;

const run = toRef(props, 'run');
const range = computed(() => {
  const { first, pictures, rate } = run.value;
  const from = Math.max(first, props.frame - ASIDE);
  const to = Math.min(first + pictures.length - 1, props.frame + ASIDE);
  return { first: from, count: to - from + 1, rate };
});
const player = usePlayer(range);
const picture = useRunPicture(run, player.frame);
const crop = computed(() => {
  const p = picture.value;
  if (!p) return undefined;
  const [width, height] = [Math.min(SIDE, props.width, p.width), Math.min(SIDE, props.height, p.height)];
  const keep = (at: number, size: number, whole: number): number =>
    Math.round(Math.min(whole - size, Math.max(0, at - size / 2)));
  return {
    x: keep(props.x + props.width / 2, width, p.width),
    y: keep(props.y + props.height / 2, height, p.height),
    width,
    height,
  };
});
function play(): void {
  // who wants no movement starts it by hand, on the picture itself
  if (window.matchMedia('(prefers-reduced-motion: reduce)').matches) return player.go(props.frame);
  if (!player.playing.value) player.toggle();
}
onMounted(play);
watch(range, play, { flush: 'post' });
</script>

<template>
  <PictureCanvas
    v-if="picture && crop"
    :picture="picture"
    :crop="crop"
    :label="`Clip of frames ${range.first} to ${range.first + range.count - 1}`"
    class="clip"
    :style="{ width: `${crop.width * 2}px`, height: `${crop.height * 2}px` }"
  />
</template>

<style scoped>
.clip {
  display: block;
  max-width: 100%;
  margin: 4px 0;
  image-rendering: pixelated;
}
</style>
