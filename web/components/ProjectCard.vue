<script setup lang="ts">
import { computed } from 'vue';
import type { Project } from '@daxel/api/schemas';
import { formatBytes } from '../composables/format';
import { useRename } from '../composables/useRename';

const props = defineProps<{ project: Project }>();
const emit = defineEmits<{ remove: []; rename: [name: string] }>();
const { editing, name, edit, keep } = useRename(
  () => props.project.name,
  (next) => emit('rename', next),
);

const figures = computed(() => {
  const counts = props.project.scenes.map((s) => s.counts);
  const sum = (of: (c: (typeof counts)[number]) => number): number => counts.reduce((a, c) => a + of(c), 0);
  return `${sum((c) => c.triangles).toLocaleString('en')} triangles · ${formatBytes(sum((c) => c.textureBytes))} of textures · ${sum((c) => c.lights)} lights`;
});
</script>

<template>
  <article>
    <div class="shots">
      <router-link
        v-for="s in project.shots"
        :key="s.id"
        :to="{ name: 'tune', params: { shotId: s.id } }"
        :aria-label="`Open ${s.name}`"
      >
        <img v-if="s.thumbnail" :src="s.thumbnail" alt="" />
        <span>{{ s.name }}</span>
      </router-link>
    </div>
    <footer>
      <input
        v-if="editing"
        ref="renaming"
        v-model="name"
        aria-label="Project name"
        maxlength="120"
        @keydown.enter="keep"
        @keydown.esc="editing = false"
        @blur="keep"
      />
      <h2 v-else>{{ project.name }}</h2>
      <p class="quiet narrow">{{ figures }}</p>
      <div class="acts">
        <v-btn size="small" @click="edit">Rename</v-btn>
        <v-btn size="small" @click="emit('remove')">Delete</v-btn>
      </div>
    </footer>
  </article>
</template>

<style scoped>
article {
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  overflow: hidden;
}
.shots {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(110px, 1fr));
  gap: 2px;
  background: var(--mat);
  padding: 10px;
}
.shots a {
  position: relative;
  display: block;
  aspect-ratio: 16 / 9;
  overflow: hidden;
}
.shots img {
  width: 100%;
  height: 100%;
  object-fit: cover;
}
.shots span {
  position: absolute;
  left: 0;
  bottom: 0;
  padding: 1px 6px;
  background: #fff;
  color: #161616;
  font-size: 12px;
}
footer {
  padding: 10px 12px 12px;
}
footer input {
  width: 100%;
  padding: 2px 4px;
  border: 1px solid var(--line);
  border-radius: 3px;
}
.acts {
  display: flex;
  gap: 6px;
  margin-top: 8px;
}
</style>
