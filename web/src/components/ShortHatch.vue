<script setup lang="ts">
/** The hatching of what is missing, denied or ended, to be filled with by its id. */
defineProps<{ id: string; size?: number }>()
</script>

<template>
  <pattern :id="id" :width="size ?? 5" :height="size ?? 5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
    <rect :width="size ?? 5" :height="size ?? 5" fill="var(--short-fill)" stroke="none" />
    <line :y2="size ?? 5" stroke="var(--short)" stroke-width="1.5" />
  </pattern>
</template>
