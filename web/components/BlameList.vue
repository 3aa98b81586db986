<script setup lang="ts">
/** Which parts of the light flicker, the largest first. */
import { computed } from 'vue';
import { mainParts, type Blame, type Part } from '@daxel/core/measure/stability/blame';
import { formatPercent } from '../composables/format';

const props = defineProps<{ blame: Blame; label: string }>();

const PARTS: Record<Part, string> = {
  direct: 'direct light',
  shadow: 'shadows',
  bounce: 'bounced light',
  reflection: 'what is mirrored',
  emission: 'glow and background',
};
const parts = computed(() => mainParts(props.blame));
</script>

<template>
  <ul :aria-label="label">
    <li v-for="{ part, share } in parts" :key="part">
      {{ PARTS[part] }} <span class="share">{{ formatPercent(share) }}</span>
    </li>
    <li>
      on outlines <span class="share">{{ formatPercent(blame.outlines) }}</span>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 2px 0 6px;
}
.share {
  float: right;
}
</style>
