<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import Select from 'primevue/select'
import { computed } from 'vue'
import { useHouse } from '../lib/house'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import { useOwnFields } from '../lib/own'
import EntitlementsNav from './EntitlementsNav.vue'
import SpendByUse from './SpendByUse.vue'
import SpendTable, { type SpendLine } from './SpendTable.vue'
import UnconvertedNote from './UnconvertedNote.vue'

/** What was spent, by publisher, product, unit or kind, a column for each year. */
const house = useHouse()
const route = useRoute()
const router = useRouter()
// by=own:line:budget is a field of the house's own of lines; titles and contracts have some, too
const ofLines = useOwnFields(() => 'line')
const ofTitles = useOwnFields(() => 'title')
const ofContracts = useOwnFields(() => 'contract')
const ownWays = computed(() => [
  ...ofLines.value.map((f) => ({ label: `${f.label}, of the entitlement`, value: `own:line:${f.name.slice(4)}` })),
  ...ofTitles.value.map((f) => ({ label: `${f.label}, of the title`, value: `own:title:${f.name.slice(4)}` })),
  ...ofContracts.value.map((f) => ({ label: `${f.label}, of the contract`, value: `own:contract:${f.name.slice(4)}` })),
])
const ownBy = computed(() => {
  const parts = String(route.query.by ?? '').split(':')
  if (parts[0] !== 'own') return {}
  return { ownOf: parts[1] as 'line' | 'title' | 'contract', own: parts.slice(2).join(':') }
})
const spend = useQuery({
  queryKey: ['spend', ownBy],
  queryFn: () => ask(api.GET('/api/spend', { params: { query: ownBy.value } })),
  placeholderData: keepPreviousData,
})
const ways = {
  publisher: 'publisher',
  product: 'product',
  unit: 'unit that it was bought for',
  use: 'unit that uses it',
  kind: 'kind',
} as const
type By = keyof typeof ways
const by = computed<By | 'own'>(() => (ownBy.value.own ? 'own' : ((route.query.by as By) ?? 'publisher')))
const heading = computed(
  () => ownWays.value.find((w) => w.value === route.query.by)?.label ?? (by.value === 'own' ? '' : ways[by.value]),
)
const within = computed(() => String(route.query.publisher ?? ''))
const rows = computed(() => (spend.data.value?.rows ?? []).filter((r) => !within.value || r.publisher === within.value))
const years = computed(() => [...new Set(rows.value.map((r) => r.year))].sort((a, b) => b - a).slice(0, 8))
const lines = computed(() => {
  const out = new Map<string, SpendLine>()
  if (by.value === 'use') return []
  for (const r of rows.value) {
    const name = r[by.value] || (by.value === 'own' ? 'not said' : 'everyone')
    const line: SpendLine = out.get(name) ?? {
      key: name,
      name,
      sums: {},
      all: 0,
      open: by.value === 'publisher' ? () => put({ by: 'product', publisher: name }) : undefined,
      to: by.value === 'product' ? `/position/${r.productId}` : undefined,
    }
    line.sums[r.year] = (line.sums[r.year] ?? 0) + Number(r.amount)
    line.all += Number(r.amount)
    out.set(name, line)
  }
  return [...out.values()].sort((a, b) => b.all - a.all)
})
const put = (q: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...q } })
</script>

<template>
  <div class="page">
    <EntitlementsNav />
    <div class="row head">
      <h1>What was spent, {{ house }}</h1>
      <button
        v-for="(label, key) in ways"
        :key="key"
        type="button"
        class="chip"
        :class="{ on: by === key }"
        @click="put({ by: key })"
      >
        by {{ label }}
      </button>
      <Select
        v-if="ownWays.length"
        :model-value="by === 'own' ? String(route.query.by) : ''"
        :options="ownWays"
        option-label="label"
        option-value="value"
        size="small"
        placeholder="by a field of our own"
        aria-label="by a field of our own"
        data-own-by
        @update:model-value="(v: string) => put({ by: v })"
      />
      <button v-if="within" type="button" class="chip on" @click="put({ publisher: undefined })">
        {{ within }} alone ×
      </button>
    </div>
    <p v-if="spend.error.value" class="says">{{ spend.error.value.message }}</p>
    <SpendByUse v-if="by === 'use'" />
    <template v-else>
      <SpendTable
        v-if="spend.data.value"
        :heading="heading"
        :lines="lines"
        :years="years"
        empty="No entitlement has a price and a day on which it was bought."
      />
      <UnconvertedNote :list="spend.data.value?.without ?? []" />
      <p class="soft">
        Each purchase at the rate of its day: transactions with a price, else quantity times the price of one on the day
        it was bought.
      </p>
    </template>
  </div>
</template>
