<script setup lang="ts">
/** The lights of a rig: choose, switch, solo, add, copy, delete. */
import type { RigLight } from '@daxel/core/light/rig';

defineProps<{ lights: readonly RigLight[]; chosen: string | null }>();
const emit = defineEmits<{
  choose: [id: string];
  change: [id: string, part: Partial<RigLight>];
  add: [kind: RigLight['kind']];
  copy: [];
  remove: [id: string];
}>();
const KINDS = [
  ['sun', 'Sun'],
  ['point', 'Point'],
  ['spot', 'Spot'],
  ['area', 'Area'],
] as const;
const css = (rgb: readonly number[]): string => {
  const top = Math.max(...rgb, 1e-6);
  return `rgb(${rgb.map((v) => Math.round(Math.sqrt(v / top) * 255)).join(' ')})`;
};
</script>

<template>
  <section aria-label="Lights">
    <div class="add narrow">
      <span class="quiet">Add</span>
      <button v-for="[kind, text] in KINDS" :key="kind" :aria-label="`Add a light: ${text}`" @click="emit('add', kind)">
        {{ text }}
      </button>
    </div>
    <p v-if="lights.length === 0" class="quiet">This rig has no light of its own: only its surroundings shine.</p>
    <ul>
      <li v-for="l in lights" :key="l.id" :class="{ chosen: l.id === chosen, off: !l.on }">
        <i :style="{ background: css(l.color) }" />
        <button class="name" :aria-pressed="l.id === chosen" @click="emit('choose', l.id)">{{ l.name }}</button>
        <button
          :aria-pressed="l.solo"
          :aria-label="`Solo ${l.name}`"
          title="S: this one alone"
          class="toggle"
          @click="emit('change', l.id, { solo: !l.solo })"
        >
          solo
        </button>
        <button
          :aria-pressed="l.on"
          :aria-label="`${l.on ? 'on' : 'off'}, ${l.name}`"
          title="O: on or off"
          class="toggle"
          @click="emit('change', l.id, { on: !l.on })"
        >
          {{ l.on ? 'on' : 'off' }}
        </button>
        <button
          class="toggle plain"
          :aria-label="`Delete light ${l.name}`"
          title="Delete"
          @click="emit('remove', l.id)"
        >
          ×
        </button>
      </li>
    </ul>
    <button v-if="chosen" class="copy" @click="emit('copy')">Copy the chosen light</button>
  </section>
</template>

<style scoped>
.add {
  display: flex;
  gap: 6px;
  align-items: center;
}
.add button {
  padding: 1px 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
}
ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
  max-height: 156px;
  overflow-y: auto;
}
li {
  display: flex;
  align-items: center;
  gap: 6px;
  padding: 2px 4px 2px 6px;
  border-bottom: 1px solid var(--line);
}
li.chosen {
  background: rgba(var(--v-theme-primary), 0.14);
}
li.off .name {
  color: var(--quiet);
  text-decoration: line-through;
}
i {
  width: 10px;
  height: 10px;
  border: 1px solid var(--quiet);
  border-radius: 50%;
  flex: none;
}
.name {
  flex: 1;
  min-width: 0;
  text-align: left;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.toggle {
  min-width: 32px;
  padding: 0 6px;
  font-size: 12px;
  border: 1px solid var(--line);
  border-radius: 4px;
}
.toggle[aria-pressed='true'] {
  border-color: var(--accent);
  background: rgba(var(--v-theme-primary), 0.14);
}
.plain {
  min-width: 20px;
  border-color: transparent;
}
.copy {
  padding-top: 4px;
  font-size: 12px;
  color: var(--accent);
}
</style>
