<script setup lang="ts">
/** Asks which value stands where the shot was changed here and elsewhere. */
import { computed } from 'vue';
import { findSetting } from '@daxel/core/recipe/settings';
import { valueLabel } from '@daxel/core/plan/wedge';
import { useDocument } from '../stores/document';

const document = useDocument();

/** Longer values are cut: the place is named. */
const LONGEST = 60;

const rows = computed(() =>
  (document.asked?.conflicts ?? []).map(({ path, mine, theirs }) => {
    const setting = findSetting(path[path.length - 1]);
    const tier = path[path.length - 2];
    const show = (value: unknown): string => {
      if (value === undefined) return setting ? 'as the other tier' : 'deleted';
      if (setting && (typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean'))
        return valueLabel(setting.id, value);
      const text = JSON.stringify(value);
      return text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : text;
    };
    return {
      key: path.join('/'),
      name: setting ? `${setting.label}, ${tier}` : path.join(' › '),
      mine: show(mine),
      theirs: show(theirs),
    };
  }),
);
</script>

<template>
  <v-dialog
    aria-label="Changed here and elsewhere"
    :model-value="document.asked !== null"
    persistent
    max-width="560"
    :transition="false"
  >
    <div v-if="document.asked" class="question">
      <h2>Changed here and elsewhere</h2>
      <p class="quiet">All other changes of both are kept.</p>
      <table>
        <thead>
          <tr>
            <th>What</th>
            <th>Here</th>
            <th>Elsewhere</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.key">
            <td>{{ row.name }}</td>
            <td>{{ row.mine }}</td>
            <td>{{ row.theirs }}</td>
          </tr>
        </tbody>
      </table>
      <div class="answers">
        <v-btn @click="document.answer('theirs')">Take what is elsewhere</v-btn>
        <v-btn class="strong" @click="document.answer('mine')">Keep what is here</v-btn>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
th {
  color: var(--quiet);
}
td {
  overflow-wrap: anywhere;
}
</style>
