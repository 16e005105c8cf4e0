<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import SectionNav from '../components/SectionNav.vue'
import EvidenceNav from '../evidence/EvidenceNav.vue'

/** The ways into the people of the house, below those into the evidence. */
const alike = useQuery({ queryKey: ['alike'], queryFn: () => ask(api.GET('/api/alike')) })
const ways = computed(() => [
  { to: '/evidence/people', text: 'Everybody' },
  { to: '/evidence/alike', text: 'Same person', waits: alike.data.value?.total },
  { to: '/evidence/moves', text: 'Comings and goings' },
  { to: '/evidence/directories', text: 'Directories' },
])
</script>

<template>
  <EvidenceNav />
  <SectionNav label="People" :ways="ways" />
</template>
