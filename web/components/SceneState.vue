<script setup lang="ts">
/** Says over the picture that its scene is on the way, or what went wrong. */
defineProps<{
  failure: string | null;
  /** There is something to draw. */
  ready: boolean;
  /** What else is waited for, a sentence. */
  waiting?: string;
  /** Its textures are not all there. */
  sketched: boolean;
  /** Share that has arrived, 0…1. */
  loading: number;
}>();
</script>

<template>
  <p v-if="failure" class="over" role="alert">{{ failure }}</p>
  <p v-else-if="!ready" class="over" role="status">Loading the scene, {{ Math.round(loading * 100) }} %</p>
  <p v-else-if="waiting" class="over" role="status">{{ waiting }}</p>
  <p v-else-if="sketched" class="over low" role="status">Loading textures, {{ Math.round(loading * 100) }} %</p>
</template>

<style scoped>
.over {
  position: absolute;
  left: 50%;
  top: 46%;
  translate: -50%;
  max-width: 70%;
  padding: 6px 12px;
  background: #f4f4f4;
  color: #161616;
  border-radius: 4px;
}
.low {
  top: 84%;
}
</style>
