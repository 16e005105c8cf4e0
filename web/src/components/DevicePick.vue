<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import AutoComplete from 'primevue/autocomplete'
import { computed, ref, watch } from 'vue'
import { api, ask, readList, type Lists } from '../api/client'

/** Chooses one device by name, device_id or user. The value is its device_id. */
const props = defineProps<{ modelValue: string; label: string }>()
const emit = defineEmits<{ 'update:modelValue': [code: string] }>()
const found = ref<Lists['devices'][]>([])
const shown = ref<Lists['devices'] | string>('')
const known = useQuery({
  queryKey: ['device', computed(() => props.modelValue)],
  queryFn: () => ask(api.GET('/api/devices/{code}', { params: { path: { code: props.modelValue } } })),
  enabled: computed(() => !!props.modelValue),
})
watch(
  () => [props.modelValue, known.data.value] as const,
  ([code, d]) => {
    if (d && d.code === code) shown.value = d
    else if (!code) shown.value = ''
  },
  { immediate: true },
)
async function search(e: { query: string }) {
  found.value = (await readList('devices', { q: e.query, sort: 'name' }, '', 12)).rows
}
</script>

<template>
  <AutoComplete
    v-model="shown"
    :suggestions="found"
    option-label="name"
    size="small"
    force-selection
    :placeholder="label"
    :aria-label="label"
    :delay="150"
    @complete="search"
    @option-select="(e) => emit('update:modelValue', (e.value as Lists['devices']).code)"
  >
    <template #option="{ option }">
      <span
        >{{ option.name }} <span class="soft">{{ option.code }}, {{ option.unit }}</span></span
      >
    </template>
  </AutoComplete>
</template>
