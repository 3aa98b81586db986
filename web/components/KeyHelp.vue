<script setup lang="ts">
import { computed } from 'vue';
import { allCommands, showKey, keysOf } from '../commands/commands';

const open = defineModel<boolean>({ required: true });
const groups = computed(() => {
  if (!open.value) return [];
  const withKeys = allCommands().filter((c) => c.key);
  return [...new Set(withKeys.map((c) => c.group))].map((name) => ({
    name,
    commands: withKeys.filter((c) => c.group === name),
  }));
});
</script>

<template>
  <v-dialog v-model="open" width="640" aria-label="Keys of this screen">
    <div class="sheet">
      <h1>Keys</h1>
      <div class="columns">
        <section v-for="g in groups" :key="g.name">
          <h2>{{ g.name }}</h2>
          <dl>
            <template v-for="c in g.commands" :key="c.id">
              <dt>
                <kbd v-for="k in keysOf(c)" :key="k">{{ showKey(k) }}</kbd>
              </dt>
              <dd>{{ c.label }}</dd>
            </template>
          </dl>
        </section>
      </div>
      <v-btn @click="open = false">Close</v-btn>
    </div>
  </v-dialog>
</template>

<style scoped>
.sheet {
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 18px 20px;
}
.columns {
  columns: 2;
  margin: 12px 0;
}
section {
  break-inside: avoid;
  margin-bottom: 14px;
}
dl {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 4px 10px;
  margin-top: 4px;
}
dt {
  display: flex;
  gap: 3px;
  flex-wrap: wrap;
}
</style>
