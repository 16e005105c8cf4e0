<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import { computed } from 'vue'
import { api, ask } from '../api/client'

/** What somebody who waits for long work sees: how far it is, and how to stop it. */
const props = defineProps<{
  /** The key that the work was asked for with. */
  watch: string
  /** What is being done. */
  what: string
}>()
const emit = defineEmits<{ stop: [] }>()
const said = useQuery({
  queryKey: ['how-far', computed(() => props.watch)],
  queryFn: () => ask(api.GET('/api/how-far/{key}', { params: { path: { key: props.watch } } })),
  refetchInterval: 700,
  gcTime: 0,
})
</script>

<template>
  <p class="row soft" role="status" data-wait>
    {{ what }}<template v-if="said.data.value?.words">: {{ said.data.value.words }}</template
    ><span>…</span>
    <Button label="Stop" size="small" severity="secondary" @click="emit('stop')" />
  </p>
</template>
