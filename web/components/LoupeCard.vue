<script setup lang="ts">
/** One patch at its true pixels: the middle of it, as much as the card holds. */
import { computed } from 'vue';
import type { Patch } from '@daxel/api/schemas';
import { useRename } from '../composables/useRename';
import type { Picture } from '../render/preview';
import PictureCanvas from './PictureCanvas.vue';

const props = defineProps<{
  number: number;
  patch: Patch;
  picture: Picture | null;
  width: number;
  height: number;
  chosen: boolean;
}>();
const emit = defineEmits<{ rename: [name: string]; remove: []; choose: [] }>();
const WIDTH = 150;
const HEIGHT = 96;
const { editing, name, edit, keep } = useRename(
  () => props.patch.name,
  (next) => emit('rename', next),
);

/** In pixels of the full picture. */
const view = computed(() => {
  const w = Math.min(WIDTH, props.width);
  const h = Math.min(HEIGHT, props.height);
  const at = (middle: number, part: number, whole: number): number =>
    Math.min(whole - part, Math.max(0, Math.round(middle * whole - part / 2)));
  return {
    x: at(props.patch.x + props.patch.width / 2, w, props.width),
    y: at(props.patch.y + props.patch.height / 2, h, props.height),
    width: w,
    height: h,
  };
});
/** In pixels of the picture that is there, which may be a coarse one. */
const crop = computed(() => {
  const k = props.picture ? props.picture.width / props.width : 1;
  const whole = (v: number): number => Math.max(1, Math.round(v * k));
  return {
    x: Math.round(view.value.x * k),
    y: Math.round(view.value.y * k),
    width: whole(view.value.width),
    height: whole(view.value.height),
  };
});
</script>

<template>
  <section class="card" :class="{ chosen }" :aria-label="`Patch ${number}, ${patch.name}`">
    <div class="loupe" @click="emit('choose')">
      <PictureCanvas
        v-if="picture"
        :picture="picture"
        :crop="crop"
        :label="`${patch.name} at true pixels`"
        :style="{ width: `${view.width}px`, height: `${view.height}px` }"
      />
    </div>
    <footer>
      <input
        v-if="editing"
        ref="renaming"
        v-model="name"
        aria-label="Patch name"
        maxlength="60"
        @keydown.enter="keep"
        @keydown.esc="editing = false"
        @blur="keep"
      />
      <button v-else class="name" title="Rename" @click="edit">{{ number }} {{ patch.name }}</button>
      <button class="remove" :aria-label="`Delete patch ${patch.name}`" title="Delete" @click="emit('remove')">
        ×
      </button>
    </footer>
  </section>
</template>

<style scoped>
.card {
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  overflow: hidden;
  flex: none;
}
.card.chosen {
  border-color: var(--accent);
  box-shadow: inset 0 -2px var(--accent);
}
.loupe {
  height: 96px;
  background: var(--mat);
}
.loupe canvas {
  display: block;
  image-rendering: pixelated;
}
footer {
  display: flex;
  align-items: center;
  height: 25px;
  padding: 0 4px 0 6px;
  font-size: 12px;
}
.name {
  flex: 1;
  text-align: left;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
input {
  flex: 1;
  min-width: 0;
  border: 1px solid var(--line);
  padding: 0 3px;
}
.remove {
  width: 20px;
  color: var(--quiet);
}
</style>
