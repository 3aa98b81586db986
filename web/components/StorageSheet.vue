<script setup lang="ts">
/** What lies on disk by kind, and a way to let go of what is not needed. */
import { computed, onMounted, ref } from 'vue';
import type { Storage, StorageKind } from '@daxel/api/schemas';
import { api } from '../api/client';
import { formatBytes } from '../composables/format';
import { useNotices } from '../stores/notices';

const emit = defineEmits<{ close: [] }>();
const notices = useNotices();
const storage = ref<Storage | null>(null);
const failure = ref('');
const freeing = ref(false);

/** In the order of the table, with what each is. */
const KINDS: readonly { kind: StorageKind; name: string; what: string }[] = [
  { kind: 'scenes', name: 'Scenes', what: 'as they came in, and compiled' },
  { kind: 'surroundings', name: 'Surroundings', what: 'pictures around a scene' },
  { kind: 'stills', name: 'Stills', what: '' },
  { kind: 'sequences', name: 'Sequences', what: 'frames that were rendered out' },
  { kind: 'wedges', name: 'Wedges', what: 'pictures of steps, references' },
  { kind: 'thumbnails', name: 'Thumbnails', what: '' },
  { kind: 'baked', name: 'Baked probes', what: 'the newest, up to 512 MB' },
  { kind: 'new', name: 'Just written', what: 'nothing holds it yet' },
  { kind: 'database', name: 'Database', what: 'shots, recipes, rigs, results' },
  { kind: 'dumps', name: 'Its copies', what: 'one a day, the last seven' },
  { kind: 'deleted', name: 'Deleted', what: 'can be brought back for seven days' },
  { kind: 'unused', name: 'Left over', what: 'nothing holds it any more' },
];
const rows = computed(() =>
  KINDS.flatMap((k) => {
    const found = storage.value?.kinds.find((s) => s.kind === k.kind);
    return found ? [{ ...k, ...found }] : [];
  }),
);
const all = computed(() => rows.value.reduce((sum, r) => sum + r.bytes, 0));

onMounted(async () => {
  try {
    storage.value = await api.storage();
  } catch (error) {
    failure.value = (error as Error).message;
  }
});

async function free(): Promise<void> {
  freeing.value = true;
  const before = all.value;
  try {
    storage.value = await api.freeStorage();
    notices.say(`${formatBytes(before - all.value)} were freed.`);
  } catch (error) {
    notices.flag(error);
  } finally {
    freeing.value = false;
  }
}
</script>

<template>
  <v-dialog
    aria-label="On disk"
    :model-value="true"
    max-width="560"
    :transition="false"
    @update:model-value="emit('close')"
  >
    <div class="question">
      <h2>On disk</h2>
      <p v-if="failure" class="flag" role="alert">{{ failure }}</p>
      <p v-else-if="!storage" class="quiet" role="status">Adding it up…</p>
      <table v-else>
        <tbody>
          <tr v-for="row in rows" :key="row.kind">
            <th scope="row">{{ row.name }}</th>
            <td class="quiet">{{ row.what }}</td>
            <td class="number">{{ formatBytes(row.bytes) }}</td>
          </tr>
        </tbody>
        <tfoot>
          <tr>
            <th scope="row">Together</th>
            <td />
            <td class="number">{{ formatBytes(all) }}</td>
          </tr>
        </tfoot>
      </table>
      <p v-if="storage && storage.free > 0" class="quiet">
        What was deleted cannot be brought back once it is freed, and copies of the database lack its pictures.
      </p>
      <div class="answers">
        <v-btn v-if="storage" :disabled="storage.free === 0 || freeing" :loading="freeing" @click="free">
          {{ storage.free > 0 ? `Free ${formatBytes(storage.free)}` : 'Nothing to free' }}
        </v-btn>
        <v-btn class="strong" @click="emit('close')">Close</v-btn>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
th {
  padding: 4px 16px 4px 0;
  white-space: nowrap;
}
td {
  width: 100%;
}
.number {
  width: auto;
  padding-right: 0;
  text-align: right;
  white-space: nowrap;
  font-variant-numeric: tabular-nums;
}
tfoot th,
tfoot td {
  border-top: 1px solid var(--line);
}
</style>
