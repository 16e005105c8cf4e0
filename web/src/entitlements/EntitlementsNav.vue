<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import SectionNav from '../components/SectionNav.vue'

/** The ways around what is owned: lines, what ends, seats, contracts and what was spent. */
const ends = useQuery({
  queryKey: ['renewals', 90],
  queryFn: () => ask(api.GET('/api/renewals', { params: { query: { days: 90 } } })),
  staleTime: 60_000,
})
const waiting = useQuery({ queryKey: ['waiting'], queryFn: () => ask(api.GET('/api/waiting')) })
const keys = useQuery({
  queryKey: ['keys', 'wrong'],
  queryFn: () => ask(api.GET('/api/keys', { params: { query: { f: ['state=over|unbought'], limit: 1 } } })),
  staleTime: 60_000,
})
const ways = computed(() => [
  { to: '/entitlements', text: 'Lines' },
  { to: '/entitlements/ends', text: 'What ends', waits: ends.data.value?.length },
  { to: '/entitlements/seats', text: 'Seats', waits: waiting.data.value?.length },
  { to: '/entitlements/keys', text: 'Licence keys', waits: keys.data.value?.total },
  { to: '/entitlements/contracts', text: 'Contracts' },
  { to: '/entitlements/spend', text: 'What was spent' },
])
</script>

<template>
  <SectionNav label="Entitlements" :ways="ways" />
</template>
