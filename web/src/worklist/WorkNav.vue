<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import SectionNav from '../components/SectionNav.vue'

/** The ways around what is to be done. */
const waves = useQuery({ queryKey: ['waves'], queryFn: () => ask(api.GET('/api/waves')) })
const standing = useQuery({ queryKey: ['standing'], queryFn: () => ask(api.GET('/api/standing')) })
const ways = computed(() => [
  { to: '/worklist', text: 'Cases' },
  { to: '/worklist/together', text: 'Decide together' },
  { to: '/worklist/orders', text: 'Orders', waits: waves.data.value?.filter((w) => w.state === 'paused').length },
  {
    to: '/worklist/standing',
    text: 'Standing decisions',
    waits: standing.data.value?.decisions.filter((d) => !d.running).length,
  },
  { to: '/worklist/splits', text: 'Splits' },
  { to: '/worklist/stances', text: 'Stances' },
  { to: '/worklist/reclaim', text: 'When to reclaim' },
  { to: '/worklist/saved', text: 'What it saves' },
])
</script>

<template>
  <SectionNav label="Worklist" :ways="ways" />
</template>
