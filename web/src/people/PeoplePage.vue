<script setup lang="ts">
import { useRouter } from 'vue-router'
import type { Schemas } from '../api/client'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OwnLine from '../components/OwnLine.vue'
import { useOwnFields } from '../lib/own'
import { pageOf, states } from './people'
import PeopleNav from './PeopleNav.vue'

/** Everybody whom a list or evidence names, once, whatever he is called. */
const router = useRouter()
const columns: ListColumn[] = [
  { key: 'name', label: 'name', fixed: true },
  { key: 'key', label: 'user_id', width: '9rem' },
  { key: 'unit', label: 'unit' },
  { key: 'state', label: 'state', width: '7rem' },
  { key: 'names', label: 'names', num: true, width: '5rem' },
  { key: 'devices', label: 'devices', num: true, width: '6rem' },
  { key: 'seats', label: 'seats', num: true, width: '5rem' },
  { key: 'uses', label: 'titles used', num: true, width: '7rem' },
  { key: 'mail', label: 'mail', hidden: true },
  { key: 'site', label: 'site', hidden: true },
  { key: 'costCentre', label: 'cost centre', hidden: true },
  { key: 'also', label: 'also known as', hidden: true },
]
const own = useOwnFields(() => 'person')
const splits = ['unit', 'site', 'state', 'costCentre'].map((value) => ({
  label: `split by ${value === 'costCentre' ? 'cost centre' : value}`,
  value,
}))
const open = (row: Schemas['PersonRow']) => router.push(pageOf(row.key))
</script>

<template>
  <div class="page fill">
    <PeopleNav />
    <ListTable
      name="people"
      :columns="columns"
      sort="name"
      what="people"
      row-key="key"
      :own="own"
      empty="Nobody is known yet. Take in users.csv or an LDIF export of the directory; scans and licence servers name people too."
      @open="open"
    >
      <template #filters>
        <ListFilter
          column="state"
          label="state"
          any="anybody"
          :options="Object.entries(states).map(([value, label]) => ({ value, label }))"
        />
      </template>
      <template #above><OwnLine name="people" :own="own" :by="splits" /></template>
      <template #cell-name="{ row }"
        ><RouterLink :to="pageOf(row.key)">{{ row.name }}</RouterLink></template
      >
      <template #cell-state="{ row }"
        ><span :class="{ soft: row.state === 'nobody', drop: row.state === 'left' && row.seats }">{{
          states[row.state]
        }}</span></template
      >
      <template #cell-also="{ row }">{{ row.also.replaceAll('|', ' · ') }}</template>
    </ListTable>
  </div>
</template>
