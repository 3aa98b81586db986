<script setup lang="ts">
/** What is compared, which of it is the reference, and what can be added. */
import { computed, ref } from 'vue';
import type { Still, StoredRig } from '@daxel/api/schemas';
import { formatDate, formatMs } from '../composables/format';
import { liveKey, METHODS, MOST_CANDIDATES, type Candidate, type Method } from '../composables/useCandidates';

const props = defineProps<{
  list: readonly Candidate[];
  letters: Record<string, string>;
  reference: string | null;
  shown: readonly string[];
  stills: readonly Still[];
  /** Other rigs of the shot, and the method that they are drawn by. */
  rigs: readonly StoredRig[];
  method: Method;
}>();
const emit = defineEmits<{
  add: [key: string];
  files: [files: File[]];
  remove: [key: string];
  again: [key: string];
  cancel: [key: string];
  reference: [key: string];
  show: [key: string];
}>();

const lives = (['draft', 'final'] as const).flatMap((tier) =>
  (Object.keys(METHODS) as (keyof typeof METHODS)[]).map((method) => ({
    key: liveKey({ tier, method }),
    label: `${tier === 'final' ? 'Final' : 'Draft'}, ${METHODS[method]}`,
  })),
);
const done = computed(() => props.stills.filter((s) => s.state === 'done').slice(0, 12));
const open = ref(false);
const full = computed(() => props.list.length >= MOST_CANDIDATES);
const rigKey = (r: StoredRig): string => liveKey({ tier: 'draft', method: props.method, rigId: r.id });
const has = (key: string): boolean => props.list.some((c) => c.key === key);
function choose(event: Event): void {
  const input = event.target as HTMLInputElement;
  emit('files', [...(input.files ?? [])]);
  open.value = false;
  input.value = '';
}
</script>

<template>
  <aside class="list" aria-label="Candidates">
    <header>
      <h1>Candidates</h1>
      <span class="quiet">{{ list.length }} of {{ MOST_CANDIDATES }}</span>
    </header>
    <ul>
      <li v-for="c in list" :key="c.key" :class="{ shown: shown.includes(c.key) }">
        <button class="open" :aria-pressed="shown.includes(c.key)" @click="emit('show', c.key)">
          <strong class="letter">{{ letters[c.key] }}</strong>
          <span class="text">
            <span>{{ c.name }}</span>
            <span v-if="c.state === 'loading'" class="quiet narrow" role="status"
              >{{ c.key.startsWith('live:') ? `rendering, ${Math.floor(c.progress * 100)} %` : 'loading…' }}
            </span>
            <span v-else-if="c.state === 'failed'" class="flag narrow" role="alert">{{ c.message }}</span>
            <span v-else class="quiet narrow"
              >{{ c.picture?.width }}×{{ c.picture?.height
              }}<template v-if="c.seconds !== null">, {{ formatMs(c.seconds) }}</template></span
            >
          </span>
        </button>
        <span class="acts narrow">
          <label :class="{ on: reference === c.key }"
            ><input
              type="radio"
              name="reference"
              :checked="reference === c.key"
              :aria-label="`${letters[c.key]} is the reference`"
              @change="emit('reference', c.key)"
            />reference</label
          >
          <button v-if="c.state === 'loading' && c.key.startsWith('live:')" @click="emit('cancel', c.key)">
            cancel
          </button>
          <button v-if="c.state === 'failed'" @click="emit('again', c.key)">try again</button>
          <button :aria-label="`Remove ${letters[c.key]}`" @click="emit('remove', c.key)">remove</button>
        </span>
      </li>
    </ul>
    <p v-if="list.length === 0" class="quiet empty">Add two pictures: a still, a render, or a file dropped here.</p>
    <v-menu v-model="open" location="top start">
      <template #activator="{ props: menu }">
        <v-btn v-bind="menu" size="small" :disabled="full">Add a picture…</v-btn>
      </template>
      <div class="menu" role="menu">
        <p class="quiet narrow">Rendered now</p>
        <button v-for="l in lives" :key="l.key" role="menuitem" :disabled="has(l.key)" @click="emit('add', l.key)">
          {{ l.label }}
        </button>
        <template v-if="rigs.length > 0">
          <p class="quiet narrow">Other rigs, Draft</p>
          <button
            v-for="r in rigs"
            :key="r.id"
            role="menuitem"
            :disabled="has(rigKey(r))"
            @click="emit('add', rigKey(r))"
          >
            {{ r.name }}
          </button>
        </template>
        <p class="quiet narrow">Stills of this shot</p>
        <button
          v-for="s in done"
          :key="s.id"
          role="menuitem"
          :disabled="has(`still:${s.id}`)"
          @click="emit('add', `still:${s.id}`)"
        >
          {{ s.recipe.name }} {{ s.tier }}, {{ s.width }}×{{ s.height }}
          <span class="quiet">{{ formatDate(s.finishedAt ?? s.createdAt) }}</span>
        </button>
        <p v-if="done.length === 0" class="quiet">None yet.</p>
        <p class="quiet narrow">From a file</p>
        <label class="file"
          >PNG or EXR…<input type="file" accept=".png,.exr" multiple class="visually-hidden" @change="choose"
        /></label>
      </div>
    </v-menu>
  </aside>
</template>

<style scoped>
.list {
  width: 232px;
  flex: none;
  border-right: 1px solid var(--line);
  padding: 10px 10px 12px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  overflow-y: auto;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
h1 {
  font-size: 15px;
}
ul {
  list-style: none;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
li {
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
}
li.shown {
  border-color: var(--accent);
}
.open {
  display: flex;
  gap: 8px;
  padding: 6px 8px 2px;
  width: 100%;
  text-align: left;
}
.letter {
  font-size: 15px;
  width: 14px;
}
.text {
  display: flex;
  flex-direction: column;
  min-width: 0;
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  gap: 10px;
  padding: 0 8px 5px 30px;
  font-size: 12px;
}
.acts button {
  color: var(--accent);
}
.acts label {
  display: flex;
  gap: 4px;
  align-items: center;
  margin-right: auto;
}
.acts .on {
  font-weight: 650;
}
input[type='radio'] {
  accent-color: #0b7a75;
}
.v-btn {
  align-self: flex-start;
}
.menu {
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 8px;
  display: flex;
  flex-direction: column;
  gap: 2px;
  max-height: 420px;
  overflow-y: auto;
}
.menu button,
.file {
  text-align: left;
  padding: 3px 6px;
  border-radius: 4px;
  cursor: pointer;
}
.menu button:hover:not(:disabled),
.file:hover {
  background: rgba(var(--v-theme-primary), 0.12);
}
.menu button:disabled {
  color: var(--quiet);
}
.menu p {
  padding: 4px 6px 0;
}
</style>
