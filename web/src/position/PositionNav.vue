<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import SectionNav from '../components/SectionNav.vue'

/**
 * The ways around the position: product by product, what changed between two days, measures that are tried, and what
 * was handed to whom.
 */
const scenarios = useQuery({ queryKey: ['scenarios'], queryFn: () => ask(api.GET('/api/scenarios')) })
const ways = computed(() => [
  { to: '/position', text: 'Product by product' },
  { to: '/position/changes', text: 'Between two days' },
  { to: '/position/try', text: 'Measures to try', waits: scenarios.data.value?.filter((b) => !b.doneAt).length },
  { to: '/position/statements', text: 'Handed over' },
])
</script>

<template>
  <SectionNav label="Position" :ways="ways" />
</template>
