<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OwnLine from '../components/OwnLine.vue'
import { money, whole, word } from '../lib/format'
import { useListState } from '../lib/listState'
import { useOwnFields } from '../lib/own'
import { useDraft } from '../lib/draft'
import { useSession } from '../lib/session'
import EntitlementsNav from './EntitlementsNav.vue'
import LineForm from './LineForm.vue'

/** What is owned: every entitlement with what it comes to today, and booking a new one. */
const route = useRoute()
const { may } = useSession()
const mayWork = may('work')
const { change } = useListState({ sort: 'code' })
const columns: ListColumn[] = [
  { key: 'code', label: 'number', width: '5.6rem', fixed: true },
  { key: 'publisher', label: 'publisher', width: '8.6rem' },
  { key: 'product', label: 'product', fixed: true },
  { key: 'edition', label: 'edition', width: '6.8rem' },
  { key: 'version', label: 'version', width: '4.4rem' },
  { key: 'metric', label: 'counted by', width: '6.6rem' },
  { key: 'kind', label: 'kind', width: '7.2rem' },
  { key: 'quantity', label: 'bought', num: true, width: '4.2rem' },
  { key: 'effective', label: 'counts today', num: true, width: '7.2rem' },
  { key: 'end', label: 'ends', width: '7.6rem' },
  { key: 'unitPrice', label: 'unit price', num: true, width: '6.2rem' },
  { key: 'scope', label: 'for', width: '8rem', hidden: true },
  { key: 'rights', label: 'rights, or why none count', width: '13rem' },
  { key: 'contract', label: 'contract', width: '6rem', hidden: true },
  { key: 'author', label: 'booked by', width: '7rem', hidden: true },
]
const booking = computed({
  get: () => route.query.book === '1' && mayWork.value,
  set: (on) =>
    change({
      book: on ? '1' : undefined,
      ...(on ? {} : { publisher: undefined, product: undefined, quantity: undefined, order: undefined }),
    }),
})
// What was asked for is booked under its order, by which its case knows it.
const given = (key: string) => (route.query[key] ? { [key]: String(route.query[key]) } : {})
const blank = (): Record<string, string> => ({
  metric: 'device',
  kind: 'perpetual',
  currency: 'EUR',
  ...given('publisher'),
  ...given('product'),
  ...given('quantity'),
  ...given('order'),
})
const form = useDraft<{ revision: number; values: Record<string, string> }>(
  () => (booking.value ? 'line:new' : ''),
  () => ({ revision: 0, values: blank() }),
)
const draft = form.draft
const own = useOwnFields(() => 'line')
const splits = ['kind', 'metric', 'publisher', 'contract', 'scope'].map((value) => ({
  label: `split by ${value === 'metric' ? 'what it is counted by' : value}`,
  value,
}))
const rightsOf = (row: { rights: string }) => word(row.rights).replaceAll('|', ', ')
async function book() {
  const code = draft.value!.values.entitlement_id
  if (await form.save((d) => ask(api.POST('/api/entitlements', { body: d.values })))) {
    booking.value = false
    change({ q: code })
  }
}
</script>

<template>
  <div class="page fill">
    <EntitlementsNav />
    <ListTable
      name="entitlements"
      :columns="columns"
      sort="code"
      what="entitlements"
      row-key="id"
      :own="own"
      empty="Nothing is booked yet: take in an entitlements.csv, or book one by hand."
      @open="(e) => $router.push(`/entitlements/line/${encodeURIComponent(e.code)}`)"
    >
      <template #title><h1>Entitlements</h1></template>
      <template #filters>
        <ListFilter
          column="kind"
          label="kind"
          any="any kind"
          :options="['perpetual', 'subscription', 'upgrade', 'maintenance', 'trial']"
        />
      </template>
      <template #actions
        ><a href="/api/licences.cdx.json" download title="all lines with their licensing objects">CycloneDX</a
        ><Button v-if="mayWork" label="Book an entitlement" size="small" @click="booking = true"
      /></template>
      <template #above><OwnLine name="entitlements" :own="own" :by="splits" /></template>
      <template #cell-metric="{ row }">{{ word(row.metric) }}</template>
      <template #cell-effective="{ row }">
        <span :class="{ drop: row.effective === 0 }">{{ whole(row.effective) }}</span>
      </template>
      <template #cell-unitPrice="{ row }">{{
        row.unitPrice ? money(row.unitPrice) + ' ' + row.currency : ''
      }}</template>
      <template #cell-rights="{ row }"
        ><span v-if="row.why" class="drop" :title="row.why">{{ row.why }}</span
        ><span v-else :title="rightsOf(row)">{{ rightsOf(row) }}</span></template
      >
    </ListTable>
    <Dialog v-model:visible="booking" modal header="Book an entitlement" :style="{ width: '64rem' }">
      <DraftKept
        :kept="form.kept.value"
        :dirty="form.dirty.value"
        :others="form.others.value"
        @discard="form.discard"
      />
      <LineForm
        v-if="draft"
        v-model="draft.values"
        old=""
        press="Book it"
        :busy="form.busy.value"
        :failed="form.says.value"
        @save="book"
      >
        <span class="soft">It is checked as a line of entitlements.csv is.</span>
      </LineForm>
    </Dialog>
  </div>
</template>
