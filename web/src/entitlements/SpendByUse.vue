<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import SpendTable, { type SpendLine } from './SpendTable.vue'
import UnconvertedNote from './UnconvertedNote.vue'

/**
 * What was spent, by the unit that uses it today: unit by unit down the tree, and in a unit by product. What nobody
 * uses stands apart, or is shared among who uses the rest.
 */
const route = useRoute()
const router = useRouter()
const put = (q: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...q } })
const under = computed(() => String(route.query.under ?? ''))
const spread = computed(() => route.query.spread === 'yes')
const spend = useQuery({
  queryKey: ['spend-by-use', under, spread],
  queryFn: () => ask(api.GET('/api/spend/by-use', { params: { query: { unit: under.value, spread: spread.value } } })),
})
const products = useQuery({
  queryKey: ['spend-by-use', under, spread, 'products'],
  queryFn: () =>
    ask(
      api.GET('/api/spend/by-use', {
        params: { query: { unit: under.value, spread: spread.value, products: true } },
      }),
    ),
  enabled: computed(() => !!under.value),
})
type Row = Schemas['UseSpend']
const years = computed(() =>
  [...new Set((spend.data.value?.rows ?? []).map((r) => r.year))].sort((a, b) => b - a).slice(0, 8),
)
function gather(rows: Row[], name: (r: Row) => Omit<SpendLine, 'sums' | 'all'>): SpendLine[] {
  const out = new Map<string, SpendLine>()
  for (const r of rows) {
    const of = name(r)
    const line = out.get(of.key) ?? { ...of, sums: {}, all: 0 }
    line.sums[r.year] = (line.sums[r.year] ?? 0) + Number(r.amount)
    line.all += Number(r.amount)
    out.set(of.key, line)
  }
  return [...out.values()].sort((a, b) => Number(!!a.soft) - Number(!!b.soft) || b.all - a.all)
}
const units = computed(() =>
  gather(spend.data.value?.rows ?? [], (r) => {
    if (r.part === 'spare') return { key: ' spare', name: 'nobody: spare today', soft: true }
    if (r.part !== 'used') return { key: ' past', name: 'nobody: not in force today', soft: true }
    if (!r.unit) return { key: ' none', name: 'no unit is known', soft: true }
    const below = under.value ? r.unit.slice(under.value.length + 1) : r.unit
    if (!below) return { key: ' here', name: `${under.value} itself` }
    const path = (under.value ? under.value + '/' : '') + below.split('/')[0]
    return { key: path, name: below.split('/')[0]!, open: () => put({ under: path }) }
  }),
)
const byProduct = computed(() =>
  gather(products.data.value?.rows ?? [], (r) => ({
    key: String(r.productId) + r.part,
    name: r.part === 'used' ? r.product : `${r.product}, ${r.part === 'spare' ? 'spare today' : r.part + ' today'}`,
    soft: r.part !== 'used',
    to: `/position/${r.productId}`,
  })),
)
const steps = computed(() => {
  const parts = under.value.split('/').filter(Boolean)
  return parts.map((name, i) => ({ name, path: parts.slice(0, i + 1).join('/') }))
})
</script>

<template>
  <div class="row head">
    <button type="button" class="chip" :class="{ on: !spread }" @click="put({ spread: undefined })">
      spare stands apart
    </button>
    <button type="button" class="chip" :class="{ on: spread }" data-spread @click="put({ spread: 'yes' })">
      spare is shared by who uses the rest
    </button>
    <template v-if="under">
      <button class="plain" type="button" @click="put({ under: undefined })">all units</button>
      <template v-for="s in steps" :key="s.path">
        <span class="soft">›</span>
        <button class="plain" type="button" @click="put({ under: s.path })">{{ s.name }}</button>
      </template>
    </template>
  </div>
  <p v-if="spend.error.value" class="says" role="alert">{{ spend.error.value.message }}</p>
  <p v-else-if="!spend.data.value" class="soft" role="status">Being added up…</p>
  <SpendTable v-else heading="unit" :lines="units" :years="years" empty="Nothing that has a price is used here." />
  <template v-if="under && byProduct.length">
    <h2 class="below">In {{ under }}, by product</h2>
    <SpendTable heading="product" :lines="byProduct" :years="years" empty="" />
  </template>
  <UnconvertedNote :list="spend.data.value?.without ?? []" />
  <p class="soft">
    Each payment of each line is split by what the units use of that line today, in whole cents that add up to what was
    spent. A line that gives no right today stays with whom it was bought for.
  </p>
</template>

<style scoped>
.below {
  margin-top: 1rem;
}
</style>
