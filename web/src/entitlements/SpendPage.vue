<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useHouse } from '../lib/house'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import EntitlementsNav from './EntitlementsNav.vue'
import SpendByUse from './SpendByUse.vue'
import SpendTable, { type SpendLine } from './SpendTable.vue'
import UnconvertedNote from './UnconvertedNote.vue'

/** What was spent, by publisher, product, unit or kind, a column for each year. */
const house = useHouse()
const route = useRoute()
const router = useRouter()
const spend = useQuery({ queryKey: ['spend'], queryFn: () => ask(api.GET('/api/spend')) })
const ways = {
  publisher: 'publisher',
  product: 'product',
  unit: 'unit that it was bought for',
  use: 'unit that uses it',
  kind: 'kind',
} as const
type By = keyof typeof ways
const by = computed<By>(() => (route.query.by as By) ?? 'publisher')
const within = computed(() => String(route.query.publisher ?? ''))
const rows = computed(() => (spend.data.value?.rows ?? []).filter((r) => !within.value || r.publisher === within.value))
const years = computed(() => [...new Set(rows.value.map((r) => r.year))].sort((a, b) => b - a).slice(0, 8))
const lines = computed(() => {
  const out = new Map<string, SpendLine>()
  if (by.value === 'use') return []
  for (const r of rows.value) {
    const name = r[by.value] || 'everyone'
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
      <button v-if="within" type="button" class="chip on" @click="put({ publisher: undefined })">
        {{ within }} alone ×
      </button>
    </div>
    <p v-if="spend.error.value" class="says">{{ spend.error.value.message }}</p>
    <SpendByUse v-if="by === 'use'" />
    <template v-else>
      <SpendTable
        v-if="spend.data.value"
        :heading="ways[by]"
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
