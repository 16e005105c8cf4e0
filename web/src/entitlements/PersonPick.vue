<script setup lang="ts">
import AutoComplete from 'primevue/autocomplete'
import { ref } from 'vue'
import { api, ask } from '../api/client'

/** Chooses one person by name or user_id. The value is the user_id. */
defineProps<{ label: string }>()
const emit = defineEmits<{ choose: [code: string] }>()
interface Hit {
  code: string
  label: string
}
const shown = ref<Hit | string>('')
const found = ref<Hit[]>([])
async function find(e: { query: string }) {
  const hits = await ask(api.GET('/api/find', { params: { query: { q: e.query } } }))
  found.value = hits.filter((h) => h.kind === 'person').map((h) => ({ code: h.id, label: `${h.text} ${h.id}` }))
}
</script>

<template>
  <AutoComplete
    v-model="shown"
    :suggestions="found"
    option-label="label"
    size="small"
    force-selection
    fluid
    :placeholder="label"
    :aria-label="label"
    :delay="150"
    data-person
    @complete="find"
    @option-select="(e) => emit('choose', (e.value as Hit).code)"
  />
</template>
