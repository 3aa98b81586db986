<script setup lang="ts">
/** One rig as a small live picture with its name. */
import type { Picture } from '../render/preview';
import { useRename } from '../composables/useRename';
import PictureCanvas from './PictureCanvas.vue';

const props = defineProps<{
  name: string;
  letter: string;
  picture: Picture | null;
  chosen: boolean;
  partner: boolean;
  only: boolean;
  full: boolean;
}>();
const emit = defineEmits<{ choose: []; rename: [name: string]; duplicate: []; remove: []; blend: []; export: [] }>();
const { editing, name, edit, keep } = useRename(
  () => props.name,
  (next) => emit('rename', next),
);
</script>

<template>
  <section class="card" :class="{ chosen, partner }" :aria-label="`Rig ${letter}, ${props.name}`">
    <button class="view" :aria-pressed="chosen" :aria-label="`Show rig ${props.name}`" @click="emit('choose')">
      <PictureCanvas v-if="picture" :picture="picture" :label="`${props.name}, small`" />
      <span class="letter">{{ letter }}</span>
    </button>
    <footer>
      <input
        v-if="editing"
        ref="renaming"
        v-model="name"
        aria-label="Name of the rig"
        maxlength="80"
        @keydown.enter="keep"
        @keydown.esc="editing = false"
        @blur="keep"
      />
      <button v-else class="name" title="Rename" @click="edit">{{ props.name }}</button>
      <v-menu location="top end">
        <template #activator="{ props: menu }">
          <button v-bind="menu" class="more" :aria-label="`More for rig ${props.name}`">more</button>
        </template>
        <div class="menu" role="menu">
          <button role="menuitem" :disabled="full" @click="emit('duplicate')">Duplicate</button>
          <button role="menuitem" :disabled="chosen" @click="emit('blend')">Blend the shown rig with this one</button>
          <button role="menuitem" @click="emit('export')">Export as JSON</button>
          <button role="menuitem" :disabled="only" @click="emit('remove')">Delete</button>
        </div>
      </v-menu>
    </footer>
  </section>
</template>

<style scoped>
.card {
  flex: none;
  width: 158px;
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow: hidden;
  background: var(--sheet);
}
.card.chosen {
  border-color: var(--accent);
  box-shadow: inset 0 -3px var(--accent);
}
.card.partner {
  border-color: var(--accent);
  border-style: dashed;
}
.view {
  position: relative;
  display: block;
  width: 100%;
  height: 88px;
  background: var(--mat);
}
.view canvas {
  display: block;
  width: 100%;
  height: 100%;
  object-fit: cover;
}
.letter {
  position: absolute;
  left: 0;
  top: 0;
  min-width: 18px;
  padding: 0 5px;
  background: #fff;
  color: #161616;
  font-weight: 650;
}
footer {
  display: flex;
  align-items: center;
  height: 24px;
  padding: 0 6px;
  gap: 6px;
}
.name,
footer input {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-align: left;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.more {
  font-size: 12px;
  color: var(--accent);
}
.menu {
  display: flex;
  flex-direction: column;
  padding: 6px;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
}
.menu button {
  padding: 4px 10px;
  text-align: left;
  border-radius: 4px;
}
.menu button:disabled {
  color: var(--quiet);
}
.menu button:not(:disabled):hover {
  background: rgba(var(--v-theme-primary), 0.12);
}
</style>
