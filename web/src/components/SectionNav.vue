<script setup lang="ts">
import { useRoute } from 'vue-router'

/** The ways within one station, in one line; a count beside a way says what waits there. A way may have paths under it. */
defineProps<{ label: string; ways: { to: string; text: string; waits?: number; under?: string[] }[] }>()
const route = useRoute()
const on = (w: { to: string; under?: string[] }) =>
  route.path === w.to.split('?')[0] || w.under?.some((path) => route.path.startsWith(path))
</script>

<template>
  <nav class="ways" :aria-label="label">
    <RouterLink
      v-for="w in ways"
      :key="w.to"
      :to="w.to"
      :class="{ on: on(w) }"
      :aria-current="route.path === w.to.split('?')[0] ? 'page' : undefined"
      >{{ w.text }}<b v-if="w.waits">{{ w.waits }}</b></RouterLink
    >
  </nav>
</template>

<style scoped>
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 0.1rem 1.1rem;
  padding: 0.1rem 0 0.15rem;
}
.ways a {
  text-decoration: none;
  color: var(--soft);
  border-bottom: 2px solid transparent;
}
.ways a:hover {
  color: var(--ink);
}
.ways a.on {
  color: var(--ink);
  font-weight: 650;
  border-color: var(--here);
}
.ways b {
  margin-left: 0.35em;
  color: var(--short);
  font-weight: 600;
}
</style>
