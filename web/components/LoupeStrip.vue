<script setup lang="ts">
import type { Patch } from '@daxel/api/schemas';
import type { Picture } from '../render/preview';
import LoupeCard from './LoupeCard.vue';

defineProps<{
  patches: Patch[];
  picture: Picture | null;
  width: number;
  height: number;
  chosen: string | null;
  drawing: boolean;
}>();
const emit = defineEmits<{ add: []; rename: [id: string, name: string]; remove: [id: string]; choose: [id: string] }>();
</script>

<template>
  <aside aria-label="Patches" class="strip">
    <header>
      <h2>Patches</h2>
      <span class="quiet">1:1</span>
      <span class="space" />
      <v-btn size="small" :class="{ strong: drawing }" :aria-pressed="drawing" @click="emit('add')">{{
        drawing ? 'Draw it…' : 'New'
      }}</v-btn>
    </header>
    <div class="cards">
      <p v-if="patches.length === 0" class="quiet">
        Press <kbd>P</kbd> and drag on the picture over a spot that troubles you. It stays here at its true pixels.
      </p>
      <LoupeCard
        v-for="(p, i) in patches"
        :key="p.id"
        :number="i + 1"
        :patch="p"
        :picture="picture"
        :width="width"
        :height="height"
        :chosen="p.id === chosen"
        @rename="(name) => emit('rename', p.id, name)"
        @remove="emit('remove', p.id)"
        @choose="emit('choose', p.id)"
      />
    </div>
  </aside>
</template>

<style scoped>
.strip {
  width: 172px;
  flex: none;
  border-right: 1px solid var(--line);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
header {
  display: flex;
  align-items: baseline;
  gap: 8px;
  padding: 10px 10px 6px;
}
.space {
  flex: 1;
}
.cards {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  padding: 0 10px 10px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
</style>
