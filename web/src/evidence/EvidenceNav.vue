<script setup lang="ts">
import { useRoute } from 'vue-router'

/** The ways into the evidence: devices and what is on them, how it got here, and how it is kept fresh. */
const route = useRoute()
const ways = [
  { to: '/evidence', text: 'Devices' },
  { to: '/evidence/where', text: 'What is where' },
  { to: '/evidence/find', text: 'Find a file' },
  { to: '/evidence/changes', text: 'Changes' },
  { to: '/evidence/groups', text: 'Groups' },
  { to: '/evidence/scans', text: 'Scans asked for' },
  { to: '/evidence/files', text: 'Files taken in' },
  { to: '/evidence/senders', text: 'Who sends' },
  { to: '/evidence/people', text: 'Comings and goings' },
]
</script>

<template>
  <nav class="ways" aria-label="Evidence">
    <RouterLink
      v-for="w in ways"
      :key="w.to"
      :to="w.to"
      :class="{ on: route.path === w.to }"
      :aria-current="route.path === w.to ? 'page' : undefined"
      >{{ w.text }}</RouterLink
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
</style>
