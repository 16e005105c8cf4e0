<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import { money } from '../lib/format'
import EntitlementsNav from './EntitlementsNav.vue'

/** What was spent, by publisher, product, unit or kind, a column for each year. */
const route = useRoute()
const router = useRouter()
const spend = useQuery({ queryKey: ['spend'], queryFn: () => ask(api.GET('/api/spend')) })
const ways = { publisher: 'publisher', product: 'product', unit: 'unit', kind: 'kind' } as const
type By = keyof typeof ways
const by = computed<By>(() => (route.query.by as By) ?? 'publisher')
const within = computed(() => String(route.query.publisher ?? ''))
const rows = computed(() => (spend.data.value?.rows ?? []).filter((r) => !within.value || r.publisher === within.value))
const years = computed(() => [...new Set(rows.value.map((r) => r.year))].sort((a, b) => b - a).slice(0, 8))
const lines = computed(() => {
  const out = new Map<string, { name: string; sums: Record<number, number>; all: number; product: number }>()
  for (const r of rows.value) {
    const name = r[by.value] || 'everyone'
    const line = out.get(name) ?? { name, sums: {}, all: 0, product: by.value === 'product' ? r.productId : 0 }
    line.sums[r.year] = (line.sums[r.year] ?? 0) + Number(r.amount)
    line.all += Number(r.amount)
    out.set(name, line)
  }
  return [...out.values()].sort((a, b) => b.all - a.all)
})
const total = (year: number) => lines.value.reduce((n, l) => n + (l.sums[year] ?? 0), 0)
const most = computed(() => Math.max(1, ...lines.value.map((l) => l.all)))
const put = (q: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...q } })
const euros = (n: number | undefined) => (n ? money(Math.round(n)) : '')
</script>

<template>
  <div class="page">
    <EntitlementsNav />
    <div class="row head">
      <h1>What was spent, EUR</h1>
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
      <span v-if="spend.data.value?.without" class="drop"
        >{{ spend.data.value.without }} amounts have no rate and are left out</span
      >
    </div>
    <p v-if="spend.error.value" class="says">{{ spend.error.value.message }}</p>
    <div class="scrolls">
      <table class="lines" data-spend>
        <thead>
          <tr>
            <th>{{ by }}</th>
            <th class="share" />
            <th class="num">altogether</th>
            <th v-for="y in years" :key="y" class="num">{{ y }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="l in lines.slice(0, 500)" :key="l.name">
            <td>
              <button
                v-if="by === 'publisher'"
                class="plain"
                type="button"
                @click="put({ by: 'product', publisher: l.name })"
              >
                {{ l.name }}
              </button>
              <RouterLink v-else-if="l.product" :to="`/position/${l.product}`">{{ l.name }}</RouterLink>
              <template v-else>{{ l.name }}</template>
            </td>
            <td class="share"><i :style="{ width: `${(100 * l.all) / most}%` }" /></td>
            <td class="num">
              <b>{{ euros(l.all) }}</b>
            </td>
            <td v-for="y in years" :key="y" class="num">{{ euros(l.sums[y]) }}</td>
          </tr>
          <tr v-if="spend.data.value && !lines.length">
            <td colspan="4" class="soft">No entitlement has a price and a day on which it was bought.</td>
          </tr>
        </tbody>
        <tfoot v-if="lines.length">
          <tr>
            <td>together</td>
            <td />
            <td class="num">{{ euros(years.reduce((n, y) => n + total(y), 0)) }}</td>
            <td v-for="y in years" :key="y" class="num">{{ euros(total(y)) }}</td>
          </tr>
        </tfoot>
      </table>
    </div>
    <p class="soft">
      Each purchase at the rate of its day: transactions with a price, else quantity times the price of one on the day
      it was bought.
    </p>
  </div>
</template>

<style scoped>
.share {
  width: 12rem;
}
.share i {
  display: block;
  height: 0.8rem;
  margin-top: 0.2rem;
  background: var(--covered);
}
tfoot td {
  font-weight: 650;
  border-bottom: 0;
}
</style>
