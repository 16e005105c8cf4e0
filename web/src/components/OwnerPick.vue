<script setup lang="ts">
import AutoComplete from 'primevue/autocomplete'
import { ref } from 'vue'
import { api, ask } from '../api/client'

/** Who answers for something: somebody of the directory is proposed while a name is typed; an account may be typed. */
const owner = defineModel<string>({ required: true })
defineProps<{ placeholder: string }>()
const found = ref<string[]>([])
async function find(e: { query: string }) {
  const hits = await ask(api.GET('/api/find', { params: { query: { q: e.query } } }))
  found.value = hits.filter((h) => h.kind === 'person').map((h) => h.text)
}
</script>

<template>
  <AutoComplete
    v-model="owner"
    :suggestions="found"
    size="small"
    fluid
    :placeholder="placeholder"
    :aria-label="placeholder"
    :delay="150"
    data-owner
    @complete="find"
  />
</template>
