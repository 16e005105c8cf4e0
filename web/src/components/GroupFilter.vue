<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import ListFilter from './ListFilter.vue'

/** Narrows a list to the devices of a group that people made. */
const groups = useQuery({ queryKey: ['groups'], queryFn: () => ask(api.GET('/api/groups')) })
const names = computed(() => (groups.data.value ?? []).map((g) => ({ label: g.name, value: g.name })))
</script>

<template>
  <ListFilter v-if="names.length" column="group" label="group" any="any group" :options="names" />
</template>
