<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { day, money, whole } from '../lib/format'
import WorkNav from './WorkNav.vue'
import { marks } from './cases'

/** Two ledgers: what could be saved, and what later evidence has shown to be saved. Each line opens its case. */
const route = useRoute()
const router = useRouter()
const ledger = useQuery({ queryKey: ['ledger'], queryFn: () => ask(api.GET('/api/ledger')) })
const which = computed(() => (route.query.ledger === 'potential' ? 'potential' : 'savings'))
const booked: ListColumn[] = [
  { key: 'at', label: 'booked', width: '7.9rem', fixed: true },
  { key: 'product', label: 'product', fixed: true },
  { key: 'publisher', label: 'publisher', width: '11rem', hidden: true },
  { key: 'device', label: 'device', width: '9rem' },
  { key: 'worth', label: 'becomes money', width: '10rem' },
  { key: 'moneyOn', label: 'on', width: '7.9rem' },
  { key: 'amount', label: 'amount', num: true, width: '8rem' },
  { key: 'scanAt', label: 'by the scan of', width: '8.4rem' },
  { key: 'note', label: 'what evidence shows', width: '26rem' },
]
const possible: ListColumn[] = [
  { key: 'product', label: 'product', fixed: true },
  { key: 'publisher', label: 'publisher', width: '11rem' },
  { key: 'device', label: 'device', width: '9rem' },
  { key: 'unit', label: 'unit', width: '11rem' },
  { key: 'state', label: 'state', width: '7rem' },
  { key: 'worth', label: 'becomes money', width: '10rem' },
  { key: 'moneyOn', label: 'on', width: '7.9rem' },
  { key: 'amount', label: 'amount', num: true, width: '8rem' },
]
const sums = computed(() => ledger.data.value?.sums ?? [])
const house = computed(() => ledger.data.value?.house ?? '')
const foreign = (s: Schemas['LedgerSum']) => s.currency !== house.value
const open = (id: number) => router.push(`/worklist?case=${id}`)
</script>

<template>
  <div class="page fill">
    <WorkNav />
    <div class="row head">
      <h1>What it saves</h1>
      <span class="soft"
        >A saving counts once a later scan shows that it happened; what comes back within ninety days is booked out
        again.</span
      >
    </div>
    <div class="scrolls sums">
      <table class="lines" data-sums>
        <thead>
          <tr>
            <th>becomes money</th>
            <th class="num">could be saved</th>
            <th class="num">cases</th>
            <th class="num">was saved</th>
            <th class="num">lines</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in sums" :key="s.worth + s.currency">
            <td>{{ s.worth }}</td>
            <td class="num">
              {{ money(s.potential) }} {{ s.currency }}
              <div v-if="foreign(s) && s.potentialInHouse" class="soft">
                {{ money(s.potentialInHouse) }} {{ house }}
              </div>
            </td>
            <td class="num">{{ whole(s.cases) }}</td>
            <td class="num">
              <b>{{ money(s.realised) }} {{ s.currency }}</b>
              <div v-if="foreign(s) && s.realisedInHouse" class="soft">{{ money(s.realisedInHouse) }} {{ house }}</div>
            </td>
            <td class="num">{{ whole(s.lines) }}</td>
          </tr>
          <tr v-if="ledger.data.value && !sums.length">
            <td colspan="5" class="soft">Nothing that idles is worth money now, and nothing was saved yet.</td>
          </tr>
        </tbody>
        <tfoot v-if="ledger.data.value && sums.length > 1">
          <tr data-ledger-total>
            <td>together, in {{ house }}</td>
            <td class="num">
              <b>{{ money(ledger.data.value.potential) }} {{ house }}</b>
            </td>
            <td class="num">{{ whole(sums.reduce((n, s) => n + s.cases, 0)) }}</td>
            <td class="num">
              <b>{{ money(ledger.data.value.realised) }} {{ house }}</b>
            </td>
            <td class="num">{{ whole(sums.reduce((n, s) => n + s.lines, 0)) }}</td>
          </tr>
        </tfoot>
      </table>
    </div>
    <p v-if="ledger.data.value?.without.length" class="drop" data-unconverted>
      Amounts in {{ ledger.data.value.without.join(', ') }} have no rate on their day and are in neither sum.
    </p>
    <div class="row tabs">
      <RouterLink class="chip" :class="{ on: which === 'savings' }" to="/worklist/saved">what was saved</RouterLink>
      <RouterLink class="chip" :class="{ on: which === 'potential' }" to="/worklist/saved?ledger=potential"
        >what could be saved</RouterLink
      >
    </div>
    <ListTable
      v-if="which === 'savings'"
      key="savings"
      name="savings"
      :columns="booked"
      sort="at"
      desc
      what="lines"
      row-key="id"
      empty="Nothing was saved yet: a line comes when a later scan shows that a reclaimed licence is gone."
      @open="(r) => open(r.caseId)"
    >
      <template #cell-at="{ row }">{{ day(row.at) }}</template>
      <template #cell-scanAt="{ row }">{{ day(row.scanAt) }}</template>
      <template #cell-amount="{ row }"
        ><span :class="{ short: Number(row.amount) < 0 }">{{ money(row.amount) }} {{ row.currency }}</span></template
      >
    </ListTable>
    <ListTable
      v-else
      key="potential"
      name="potential"
      :columns="possible"
      sort="amount"
      desc
      what="cases"
      row-key="id"
      empty="No case is worth money now."
      @open="(r) => open(r.caseId)"
    >
      <template #cell-state="{ row }">{{ marks[row.state] }} {{ row.state }}</template>
      <template #cell-amount="{ row }">{{ money(row.amount) }} {{ row.currency }}</template>
    </ListTable>
  </div>
</template>

<style scoped>
tfoot td {
  border-top: 1px solid var(--ink);
}
.sums {
  max-width: 46rem;
}
.tabs {
  padding-top: 0.6rem;
}
.chip {
  text-decoration: none;
}
</style>
