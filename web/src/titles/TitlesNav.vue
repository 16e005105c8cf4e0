<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import SectionNav from '../components/SectionNav.vue'

/**
 * The ways around titles: the catalogue, the names that wait for a decision, the rules that decide by themselves,
 * what a second person must sign, publishers, ends of support, and newer catalogues.
 */
const queue = useQuery({ queryKey: ['queue'], queryFn: () => ask(api.GET('/api/names/queue')) })
const unsigned = useQuery({ queryKey: ['unsigned'], queryFn: () => ask(api.GET('/api/unsigned')) })
const ways = computed(() => [
  { to: '/titles', text: 'Titles' },
  { to: '/titles/names', text: 'Raw names', waits: queue.data.value?.names },
  { to: '/titles/rules', text: 'Rules for names' },
  { to: '/titles/unsigned', text: 'To be signed off', waits: unsigned.data.value?.length },
  { to: '/titles/publishers', text: 'Publishers' },
  { to: '/titles/splits', text: 'Splits' },
  { to: '/titles/life?f=devices%3D%3E0', text: 'How long supported' },
  { to: '/titles/newer', text: 'Newer catalogue' },
])
</script>

<template>
  <SectionNav label="Titles" :ways="ways" />
</template>
