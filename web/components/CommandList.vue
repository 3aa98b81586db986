<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue';
import { findCommands, showKey, type Command, keysOf } from '../commands/commands';

const open = defineModel<boolean>({ required: true });
const text = ref('');
const at = ref(0);
const input = ref<HTMLInputElement | null>(null);

const found = computed(() => (open.value ? findCommands(text.value) : []));
watch(found, () => (at.value = 0));
watch(open, async (now) => {
  if (!now) return;
  text.value = '';
  await nextTick();
  input.value?.focus();
});
function move(by: number): void {
  if (found.value.length > 0) at.value = (at.value + by + found.value.length) % found.value.length;
}
async function run(command: Command | undefined): Promise<void> {
  if (!command) return;
  open.value = false;
  await nextTick();
  command.run();
}
</script>

<template>
  <v-dialog v-model="open" width="520" aria-label="Commands" class="top">
    <div class="sheet">
      <input
        ref="input"
        v-model="text"
        role="combobox"
        aria-expanded="true"
        aria-controls="command-list"
        :aria-activedescendant="found[at] ? `command-${found[at].id}` : undefined"
        aria-label="Search commands"
        placeholder="What do you want to do, or which setting?"
        @keydown.down.prevent="move(1)"
        @keydown.up.prevent="move(-1)"
        @keydown.enter.prevent="run(found[at])"
      />
      <ul id="command-list" role="listbox" aria-label="Commands">
        <li
          v-for="(c, i) in found"
          :id="`command-${c.id}`"
          :key="c.id"
          role="option"
          :aria-selected="i === at"
          :class="{ chosen: i === at }"
          @click="run(c)"
        >
          <span>{{ c.label }}</span>
          <span class="quiet">{{ c.group }}</span>
          <kbd v-if="c.key">{{ showKey(keysOf(c)[0]) }}</kbd>
        </li>
      </ul>
      <p v-if="found.length === 0" class="quiet none">No command and no setting matches.</p>
    </div>
  </v-dialog>
</template>

<style scoped>
.sheet {
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow: hidden;
}
input {
  width: 100%;
  padding: 12px 14px;
  font-size: 15px;
  border-bottom: 1px solid var(--line);
  outline: none;
  color: var(--ink);
}
ul {
  max-height: 50vh;
  overflow: auto;
  list-style: none;
  padding: 4px;
}
li {
  display: grid;
  grid-template-columns: 1fr auto 74px;
  gap: 14px;
  padding: 6px 10px;
  border-radius: 4px;
  cursor: pointer;
}
li.chosen {
  background: rgba(var(--v-theme-primary), 0.14);
}
kbd {
  justify-self: end;
}
.none {
  padding: 12px 14px;
}
</style>
