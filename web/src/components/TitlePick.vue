<script setup lang="ts">
import AutoComplete from 'primevue/autocomplete'
import { computed, ref } from 'vue'
import { readList } from '../api/client'

/** Chooses a title of the catalogue by its name. */
const props = defineProps<{ modelValue: number; name: string }>()
const emit = defineEmits<{ 'update:modelValue': [id: number, name: string] }>()
const titles = ref<{ id: number; name: string; label: string }[]>([])
async function find(e: { query: string }) {
  const page = await readList('products', { q: e.query, sort: 'devices', desc: true }, '', 12)
  titles.value = page.rows.map((r) => ({ id: r.id, name: r.product, label: `${r.publisher} ${r.product}` }))
}
const chosen = computed(() =>
  props.modelValue ? { id: props.modelValue, label: props.name || `title ${props.modelValue}` } : null,
)
function choose(t: { id: number; name: string }) {
  emit('update:modelValue', t.id, t.name)
}
</script>

<template>
  <AutoComplete
    :model-value="chosen"
    :suggestions="titles"
    option-label="label"
    size="small"
    fluid
    force-selection
    placeholder="a title"
    aria-label="title"
    data-title-pick
    @complete="find"
    @option-select="(e) => choose(e.value as { id: number; name: string })"
  />
</template>
