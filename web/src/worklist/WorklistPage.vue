<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, readList, type Lists, type Schemas } from '../api/client'
import GroupFilter from '../components/GroupFilter.vue'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OwnLine from '../components/OwnLine.vue'
import { count, day, money, total } from '../lib/format'
import { useListState } from '../lib/listState'
import { useOwnFields } from '../lib/own'
import { useSession } from '../lib/session'
import CasePane from './CasePane.vue'
import DeedDialog from './DeedDialog.vue'
import WorkNav from './WorkNav.vue'
import { acts, costs, kinds, marks, stateWord } from './cases'
import { useDeed } from './useDeed'

/** What is to be done, of every kind in one list, each with its proof and worth. Only later evidence ends a case. */
const route = useRoute()
const { may } = useSession()
const mayWork = may('work')
const { query, change } = useListState({ sort: 'amount', desc: true })
const id = computed(() => Number(route.query.case ?? 0))
const columns = computed<ListColumn[]>(() => [
  { key: 'product', label: 'product', fixed: true },
  { key: 'publisher', label: 'publisher', width: '10rem', hidden: true },
  { key: 'about', label: 'about', width: '9.6rem' },
  { key: 'user', label: 'user', width: '5rem', hidden: id.value > 0 },
  { key: 'unit', label: 'unit', width: '10rem', hidden: true },
  { key: 'deviceKind', label: 'kind of device', width: '8rem', hidden: true },
  { key: 'environment', label: 'environment', width: '7rem', hidden: true },
  { key: 'hosting', label: 'hosting', width: '6rem', hidden: true },
  { key: 'site', label: 'site', width: '7rem', hidden: true },
  { key: 'kind', label: 'why', width: '8rem' },
  { key: 'state', label: 'state', width: '7.4rem' },
  { key: 'worth', label: 'becomes money', width: '13rem', hidden: id.value > 0 },
  { key: 'amount', label: 'worth', num: true, width: '8.2rem' },
  { key: 'changedAt', label: 'since', width: '7.9rem', hidden: id.value > 0 },
])
const own = useOwnFields()
const splits = [
  ['kind', 'reason'],
  ['state', 'state'],
  ['deviceKind', 'kind of device'],
  ['environment', 'environment'],
  ['hosting', 'hosting'],
  ['site', 'site'],
  ['unit', 'unit'],
].map(([value, label]) => ({ label: `split by ${label}`, value: value! }))
const states = [
  { label: 'wait for a decision', value: 'open|answered|silent|failed' },
  { label: 'under way', value: 'open|asked|answered|silent|agreed|approved|waiting|sent|failed' },
  ...Object.keys(marks),
]
const kindChoices = Object.entries(kinds).map(([value, label]) => ({ label, value }))
const rules = useQuery({ queryKey: ['case-rules'], queryFn: () => ask(api.GET('/api/case-rules')) })

const selection = ref<Lists['cases'][]>([])
type Opens = 'keep' | 'ask' | 'send' | 'order' | 'drop'
const opened = ref<Opens | ''>('')
const {
  says,
  failed,
  busy: doing,
  deed,
} = useDeed(() => {
  selection.value = []
  opened.value = ''
})
const from: Record<string, (s: string, two: boolean) => boolean> = {
  ask: (s) => ['open', 'answered', 'silent'].includes(s),
  agree: (s) => ['open', 'asked', 'answered', 'silent'].includes(s),
  approve: (s, two) => two && s === 'agreed',
  send: (s, two) => ['approved', 'failed', ...(two ? [] : ['agreed'])].includes(s),
  keep: (s) => ['open', 'asked', 'answered', 'silent', 'agreed', 'approved', 'failed'].includes(s),
  reopen: (s) => ['asked', 'answered', 'silent', 'agreed', 'approved', 'failed', 'kept'].includes(s),
}
const wanted: Record<string, Record<string, string[]>> = {
  purchase: {
    approve: ['open'],
    order: ['open', 'approved'],
    drop: ['open', 'approved', 'sent'],
    reopen: ['approved', 'lapsed'],
  },
  elsewhere: { agree: ['open'], drop: ['open', 'agreed'], reopen: ['agreed', 'lapsed'] },
}
const asks = ['restricted', 'hours', 'idle', 'ended']
const possible = computed(() =>
  acts
    .map((a) => ({
      ...a,
      ids: selection.value
        .filter(
          (t) =>
            wanted[t.kind]?.[a.act]?.includes(t.state) ||
            (!wanted[t.kind] &&
              from[a.act]?.(t.state, rules.data.value?.twoPersons ?? false) &&
              (a.act !== 'ask' || asks.includes(t.kind)) &&
              (a.act !== 'send' || !['leaver', 'uncovered', 'pool', 'denied', 'overkey', 'unbought'].includes(t.kind))),
        )
        .map((t) => t.id),
    }))
    .filter((a) => a.ids.length),
)
const one = computed(() =>
  selection.value.every((r) => r.kind === selection.value[0]?.kind) ? (selection.value[0]?.kind ?? '') : '',
)
const chosen = computed(() => possible.value.find((a) => a.act === opened.value)?.ids ?? [])
function press(a: (typeof possible.value)[number]) {
  if (a.opens) opened.value = a.act as Opens
  else void deed(a.ids, { act: a.act })
}
function done(d: Omit<Schemas['CaseAction'], 'ids'>) {
  void deed(chosen.value, d)
}
async function chooseAll() {
  const all: Lists['cases'][] = []
  for (let cursor = ''; all.length < 5000;) {
    const page = await readList('cases', query.value, cursor, 1000)
    all.push(...page.rows)
    if (!(cursor = page.next)) break
  }
  selection.value = all
}
const sums = computed(() => {
  const by = new Map<string, string[]>()
  for (const r of selection.value)
    if (Number(r.amount) && !costs(r.kind)) by.set(r.currency, [...(by.get(r.currency) ?? []), r.amount])
  return [...by].map(([c, amounts]) => `${money(total(amounts))} ${c}`).join(', ')
})
</script>

<template>
  <div class="page two">
    <div class="left">
      <WorkNav />
      <ListTable
        v-model:selection="selection"
        name="cases"
        :columns="columns"
        sort="amount"
        desc
        what="cases"
        row-key="id"
        :own="own"
        :selectable="mayWork"
        :current="id"
        empty="Nothing is to be done: nothing is restricted, missing, short or idle, and no leaver holds a seat."
        @open="(r) => change({ case: String(r.id) })"
      >
        <template #title><h1>Worklist</h1></template>
        <template #filters>
          <ListFilter column="state" label="state" any="any state" :options="states" />
          <ListFilter column="kind" label="reason" any="any reason" :options="kindChoices" />
          <GroupFilter />
        </template>
        <template #above><OwnLine name="cases" :own="own" :by="splits" /></template>
        <template #cell-kind="{ row }">{{ kinds[row.kind] }}</template>
        <template #cell-state="{ row }"
          ><span :class="{ drop: ['failed', 'silent'].includes(row.state), spare: row.state === 'gone' }"
            >{{ marks[row.state] }} {{ stateWord(row.kind, row.state) }}</span
          ><span v-if="row.cameBack" class="drop"> back</span></template
        >
        <template #cell-worth="{ row }">{{
          costs(row.kind)
            ? `${row.quantity} short`
            : ['restricted', 'hours', 'missing', 'ended'].includes(row.kind)
              ? ''
              : row.worth === 'at renewal'
                ? `at renewal ${row.moneyOn}`
                : row.worth
        }}</template>
        <template #cell-amount="{ row }"
          ><span :class="{ short: costs(row.kind) }">{{
            Number(row.amount) ? (costs(row.kind) ? '− ' : '') + money(row.amount) + ' ' + row.currency : '–'
          }}</span></template
        >
        <template #cell-changedAt="{ row }">{{ day(row.changedAt) }}</template>
      </ListTable>
      <div v-if="mayWork && selection.length" class="effect row" role="region" aria-label="Chosen cases">
        <b>{{ count(selection.length, 'case') }}</b>
        <span v-if="sums">worth {{ sums }}</span>
        <Button
          v-for="a in possible"
          :key="a.act"
          :label="`${a.label(one)} (${a.ids.length})`"
          size="small"
          @click="press(a)"
        />
        <button class="plain" type="button" data-choose-all @click="chooseAll">choose all that fit</button>
        <button class="plain" type="button" @click="selection = []">choose none</button>
      </div>
      <p v-if="says" role="status" class="status" data-says>{{ says }}</p>
    </div>
    <CasePane v-if="id" :id="id" :busy="selection.length > 0" @close="change({ case: undefined })" />
    <DeedDialog :act="opened" :cases="chosen.length" :busy="doing" :failed="failed" @close="opened = ''" @deed="done" />
  </div>
</template>

<style scoped>
.effect {
  border: 1px solid var(--here);
  border-left-width: 5px;
  background: var(--pick);
  padding: 0.4rem 0.7rem;
}
.status {
  margin: 0.3rem 0 0;
}
</style>
