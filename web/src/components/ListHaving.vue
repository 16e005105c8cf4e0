<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { useListState } from '../lib/listState'

/**
 * The filters in the address that no column shows: what the devices have, and the group they are in. Each can be
 * taken away.
 */
const { query, setFilter } = useListState({ sort: '' })
const words: Record<string, string> = {
  hasProduct: 'have',
  hasVersion: 'have',
  hasPublisher: 'have something by',
  hasName: 'have the raw name',
  hasRecord: 'have the record',
  hasFile: 'have the file',
  hasKey: 'have the licence key',
  group: 'in',
}
const having = computed(() =>
  (query.value.f ?? [])
    .map((f) => {
      const at = f.indexOf('=')
      return { key: f.slice(0, at), value: f.slice(at + 1) }
    })
    .filter((f) => words[f.key]),
)
const product = computed(() => {
  const f = having.value.find((h) => h.key === 'hasProduct' || h.key === 'hasVersion')
  return Number(f?.value.split(':')[0] ?? 0)
})
const named = useQuery({
  queryKey: ['product', product],
  queryFn: () => ask(api.GET('/api/products/{id}', { params: { path: { id: product.value } } })),
  enabled: computed(() => product.value > 0),
})
const key = computed(() => Number(having.value.find((h) => h.key === 'hasKey')?.value ?? 0))
const keys = useQuery({
  queryKey: ['key', key],
  queryFn: () => ask(api.GET('/api/keys', { params: { query: { f: [`foundId=${key.value}`], limit: 1 } } })),
  enabled: computed(() => key.value > 0),
})
function text(key: string, value: string) {
  if (key === 'hasKey') return `…${keys.data.value?.rows[0]?.hint ?? ''}`
  if (key === 'hasProduct') return named.data.value?.product ?? value
  if (key === 'hasVersion')
    return `${named.data.value?.product ?? ''} ${value.split(':').slice(1).join(':') || '(version not known)'}`
  if (key === 'hasFile') return value.replace(/;v=$/, '').replace(';v=', ' ')
  return value
}
</script>

<template>
  <span v-for="h in having" :key="h.key" class="having" :data-having="h.key">
    {{ words[h.key] }} <b>{{ text(h.key, h.value) }}</b>
    <button
      class="plain"
      type="button"
      :aria-label="`no longer: ${text(h.key, h.value)}`"
      @click="setFilter(h.key, '')"
    >
      ✕
    </button>
  </span>
</template>

<style scoped>
.having {
  border: 1px solid var(--line);
  background: var(--sheet);
  padding: 0.05rem 0.5rem;
  max-width: 22rem;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.having button {
  text-decoration: none;
  margin-left: 0.3rem;
}
</style>
