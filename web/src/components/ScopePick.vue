<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import TitlePick from './TitlePick.vue'

/** What a rule speaks of: a title, a category or a publisher, on all devices or on those of a group. */
export interface Scope {
  of: 'product' | 'category' | 'publisher' | 'both'
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
  { l: 'category of a publisher', v: 'both' },
]
</script>

<script lang="ts">
/** A scope that speaks of nothing yet. */
export const noScope = (): Scope => ({
  of: 'product',
  product: 0,
  name: '',
  category: '',
  publisher: '',
  group: '',
})

/** The part of a request that names what a rule speaks of. */
export function scopeBody(s: Scope): Said {
  const all = s.of === 'both'
  return {
    ...(s.of === 'product' ? { product: s.product } : {}),
    ...(s.of === 'category' || all ? { category: s.category } : {}),
    ...(s.of === 'publisher' || all ? { publisher: s.publisher } : {}),
    ...(s.group ? { group: s.group } : {}),
  }
}

/** What a request says of a scope. */
interface Said {
  product?: number
  category?: string
  publisher?: string
  group?: string
}

/** The scope that a rule has, and what it is called. */
export function scopeOf(s: Said, name: string): Scope {
  const { product = 0, category = '', publisher = '', group = '' } = s
  const of = product ? 'product' : category && publisher ? 'both' : category ? 'category' : 'publisher'
  return { of, product, name: product ? name : '', category, publisher, group }
}

/** A scope in words. */
export function scopeWords(s: Scope): string {
  const of = {
    product: s.name || 'no title',
    category: `category ${s.category}`,
    publisher: s.publisher,
    both: `${s.publisher} ${s.category}`,
  }
  return `${of[s.of]} on ${s.group || 'all devices'}`
}

/** Whether a scope speaks of something. */
export const scopeReady = (s: Scope) =>
  ({
    product: s.product > 0,
    category: s.category !== '',
    publisher: s.publisher !== '',
    both: s.category !== '' && s.publisher !== '',
  })[s.of]
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
    v-if="scope.of === 'category' || scope.of === 'both'"
    v-model="scope.category"
    :options="policies.data.value?.categories ?? []"
    size="small"
    placeholder="category"
    aria-label="category"
  />
  <span v-if="scope.of === 'both'">of</span>
  <InputText
    v-if="scope.of === 'publisher' || scope.of === 'both'"
    v-model="scope.publisher"
    size="small"
    placeholder="name of the publisher"
    aria-label="publisher"
  />
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
  width: 19rem;
}
</style>
