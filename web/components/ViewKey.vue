<script setup lang="ts">
/** What the colours of an instrument mean. */
import { computed } from 'vue';
import { VIEW_KEYS, VIEW_MODES, type ViewMode } from '@daxel/core/shading/views';
import { linearToSrgb } from '@daxel/core/math/color';

const props = defineProps<{ view: ViewMode }>();
const about = computed(() => VIEW_MODES.find((v) => v.id === props.view));
const keys = computed(() =>
  (VIEW_KEYS[props.view] ?? []).map((k) => ({
    label: k.label,
    color: `rgb(${k.rgb.map((v) => Math.round(linearToSrgb(v) * 255)).join(' ')})`,
  })),
);
</script>

<template>
  <p class="key" role="note">
    <strong>{{ about?.label }}</strong> <span>{{ about?.shows }}</span>
    <span v-for="k in keys" :key="k.label" class="entry"><i :style="{ background: k.color }" />{{ k.label }}</span>
  </p>
</template>

<style scoped>
.key {
  position: absolute;
  left: 50%;
  top: 8px;
  translate: -50%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  width: max-content;
  max-width: calc(100% - 40px);
  padding: 4px 10px;
  background: #f4f4f4;
  color: #161616;
  border-radius: 4px;
}
.entry {
  display: flex;
  gap: 5px;
  align-items: center;
}
i {
  width: 12px;
  height: 12px;
  border: 1px solid #161616;
}
</style>
