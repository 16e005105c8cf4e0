<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { readList } from '../api/client'
import SectionNav from '../components/SectionNav.vue'

/** The ways around use. */
const denied = useQuery({
  queryKey: ['list', 'pools', 'alerts'],
  queryFn: () => readList('pools', { f: ['alert=lost|expired|expires soon|denied|silent'] }, '', 1),
})
const ways = computed(() => [
  { to: '/use', text: 'By device' },
  { to: '/use/pools', text: 'Shared licences', waits: denied.data.value?.total },
  { to: '/use/splits', text: 'Splits' },
  { to: '/use/measured', text: 'What is measured' },
])
</script>

<template>
  <SectionNav label="Use" :ways="ways" />
</template>
