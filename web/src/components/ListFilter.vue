<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import { word } from '../lib/format'
import { useListState } from '../lib/listState'

/**
 * Chooses a value that a column of the list must have. The choice stands in the address bar. A value a|b stands for
 * either.
 */
const props = defineProps<{
  column: string
  label: string
  any: string
  options: (string | { label: string; value: string })[]
}>()
const { filter, setFilter } = useListState({ sort: '' })
const choices = computed(() => [
  { label: props.any, value: '' },
  ...props.options.map((o) => (typeof o === 'string' ? { label: word(o), value: o } : o)),
])
</script>

<template>
  <Select
    :model-value="filter(column)"
    :options="choices"
    option-label="label"
    option-value="value"
    size="small"
    :aria-label="label"
    :placeholder="any"
    @update:model-value="(v: string) => setFilter(column, v)"
  />
</template>
