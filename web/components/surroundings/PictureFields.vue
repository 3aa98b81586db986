<script setup lang="ts">
/** Which picture stands around the scene, and whether its sun is a light of its own. */
import { computed } from 'vue';
import type { EnvironmentSource } from '@daxel/core/light/surroundings/document';
import { useEnvironmentFiles } from '../../composables/useEnvironmentDrop';

const props = defineProps<{ environment: EnvironmentSource }>();
const emit = defineEmits<{ set: [part: Partial<EnvironmentSource>]; choose: []; splitSun: [] }>();
const environments = useEnvironmentFiles();
const known = computed(() => environments.known[props.environment.picture ?? '']);
const sunFound = computed(() => known.value?.sun !== undefined && known.value?.sun !== null);
</script>

<template>
  <div class="picture">
    <p class="row">
      <span class="file">{{
        environment.picture === 'scene'
          ? 'the picture that came with the scene'
          : (environment.pictureName ?? 'picture')
      }}</span>
      <v-btn size="small" :loading="environments.running !== null" @click="emit('choose')">Other…</v-btn>
    </p>
    <p v-if="environment.cut" class="row">
      <span class="quiet narrow">Its sun is split off as a light.</span>
      <v-btn size="small" @click="emit('set', { cut: undefined })">Leave it in</v-btn>
    </p>
    <p v-else-if="sunFound" class="row">
      <span class="quiet narrow">A sun stands out of it: as a light it casts shadows.</span>
      <v-btn size="small" @click="emit('splitSun')">Split off the sun</v-btn>
    </p>
  </div>
</template>

<style scoped>
.picture {
  display: contents;
}
.row {
  display: flex;
  align-items: center;
  gap: 8px;
}
.row > :first-child {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
