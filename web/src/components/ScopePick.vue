<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import TitlePick from './TitlePick.vue'

/** What a rule speaks of: a title, a category or a publisher, on all devices or on those of a group. */
export interface Scope {
  of: 'product' | 'category' | 'publisher'
  product: number
  name: string
  category: string
  publisher: string
  group: string
}
const scope = defineModel<Scope>({ required: true })
const policies = useQuery({ queryKey: ['policies'], queryFn: () => ask(api.GET('/api/policies')) })
const groups = computed(() => [
  { l: 'all devices', v: '' },
  ...(policies.data.value?.groups ?? []).map((v) => ({ l: v, v })),
])
const kinds = [
  { l: 'title', v: 'product' },
  { l: 'category', v: 'category' },
  { l: 'publisher', v: 'publisher' },
]
</script>

<script lang="ts">
/** A scope that speaks of nothing yet. */
export const noScope = () => ({
  of: 'product' as const,
  product: 0,
  name: '',
  category: '',
  publisher: '',
  group: '',
})

/** The part of a request that names what a rule speaks of. */
export function scopeBody(s: { of: string; product: number; category: string; publisher: string; group: string }): {
  product?: number
  category?: string
  publisher?: string
  group?: string
} {
  return {
    ...(s.of === 'product' ? { product: s.product } : {}),
    ...(s.of === 'category' ? { category: s.category } : {}),
    ...(s.of === 'publisher' ? { publisher: s.publisher } : {}),
    ...(s.group ? { group: s.group } : {}),
  }
}

/** Whether a scope speaks of something. */
export const scopeReady = (s: { of: string; product: number; category: string; publisher: string }) =>
  s.of === 'product' ? s.product > 0 : s.of === 'category' ? s.category !== '' : s.publisher !== ''
</script>

<template>
  <Select v-model="scope.of" :options="kinds" option-label="l" option-value="v" size="small" aria-label="what kind" />
  <span v-if="scope.of === 'product'" class="pick"
    ><TitlePick
      :model-value="scope.product"
      :name="scope.name"
      @update:model-value="(id, name) => Object.assign(scope, { product: id, name })"
  /></span>
  <Select
    v-else-if="scope.of === 'category'"
    v-model="scope.category"
    :options="policies.data.value?.categories ?? []"
    size="small"
    placeholder="category"
    aria-label="category"
  />
  <InputText v-else v-model="scope.publisher" size="small" placeholder="name of the publisher" aria-label="publisher" />
  <span>on</span>
  <Select
    v-model="scope.group"
    :options="groups"
    option-label="l"
    option-value="v"
    filter
    size="small"
    placeholder="all devices"
    aria-label="group"
  />
</template>

<style scoped>
.pick {
  width: 15rem;
}
</style>
