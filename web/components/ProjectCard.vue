<script setup lang="ts">
import { computed, nextTick, ref } from 'vue';
import type { Project } from '@daxel/api/schemas';
import { formatBytes } from '../composables/format';

const props = defineProps<{ project: Project }>();
const emit = defineEmits<{ remove: []; rename: [name: string] }>();
const editing = ref(false);
const name = ref('');
const field = ref<HTMLInputElement | null>(null);

const figures = computed(() => {
  const counts = props.project.scenes.map((s) => s.counts);
  const sum = (of: (c: (typeof counts)[number]) => number): number => counts.reduce((a, c) => a + of(c), 0);
  return `${sum((c) => c.triangles).toLocaleString('en')} triangles · ${formatBytes(sum((c) => c.textureBytes))} of textures · ${sum((c) => c.lights)} lights`;
});
async function edit(): Promise<void> {
  name.value = props.project.name;
  editing.value = true;
  await nextTick();
  field.value?.select();
}
function keep(): void {
  if (!editing.value) return;
  editing.value = false;
  const next = name.value.trim();
  if (next && next !== props.project.name) emit('rename', next);
}
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
        ref="field"
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
