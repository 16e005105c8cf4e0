<script setup lang="ts">
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { useListState } from '../lib/listState'
import { day, whole } from '../lib/format'
import EntitlementsNav from './EntitlementsNav.vue'

/** Licence keys that scans found, against those that were booked. Of each only the last signs are known. */
useListState({ sort: 'state' })
const columns: ListColumn[] = [
  { key: 'hint', label: 'key', fixed: true, width: '6.5rem' },
  { key: 'state', label: 'how it stands', width: '15rem' },
  { key: 'publisher', label: 'publisher', width: '11rem', hidden: true },
  { key: 'product', label: 'product' },
  { key: 'lines', label: 'booked on', width: '12rem' },
  { key: 'bought', label: 'licences', num: true, width: '6.4rem' },
  { key: 'devices', label: 'on devices', num: true, width: '6.6rem' },
  { key: 'together', label: 'with its line’s other keys', num: true, width: '12rem', hidden: true },
  { key: 'since', label: 'found since', width: '8rem' },
]
const states: Record<string, string> = {
  over: '▲ on more than were bought',
  unbought: '◇ nobody booked it',
  'in use': 'in use',
  nowhere: '– found nowhere',
}
const lines = (codes: string) => codes.split(', ').filter(Boolean)
</script>

<template>
  <div class="page fill">
    <EntitlementsNav />
    <ListTable
      name="keys"
      :columns="columns"
      sort="state"
      what="keys"
      row-key="id"
      empty="No licence key is known yet: book keys on a line or take in a keys.csv, and let scans report the key of an install."
    >
      <template #title><h1>Licence keys</h1></template>
      <template #filters>
        <ListFilter
          column="state"
          label="how it stands"
          any="all keys"
          :options="[
            { label: 'to look at', value: 'over|unbought' },
            ...Object.entries(states).map(([value, label]) => ({ label, value })),
          ]"
        />
      </template>
      <template #cell-hint="{ row }"
        ><span class="key">…{{ row.hint }}</span></template
      >
      <template #cell-state="{ row }"
        ><span :class="{ short: row.state === 'over', drop: row.state === 'unbought' }">{{
          states[row.state]
        }}</span></template
      >
      <template #cell-product="{ row }"
        ><RouterLink v-if="row.productId" :to="`/position/${row.productId}`">{{ row.product }}</RouterLink
        ><span v-else class="soft">not recognised</span></template
      >
      <template #cell-lines="{ row }"
        ><RouterLink v-for="l in lines(row.lines)" :key="l" class="line" :to="`/entitlements/line/${l}`">{{
          l
        }}</RouterLink></template
      >
      <template #cell-bought="{ row }"
        ><span v-if="row.bought < 0" class="soft" title="Its line does not count machines: nothing is compared"
          >not by machine</span
        ><span v-else>{{ row.lines ? whole(row.bought) : '' }}</span></template
      >
      <template #cell-since="{ row }"
        ><span>{{ row.since ? day(row.since) : '' }}</span></template
      >
      <template #cell-devices="{ row }"
        ><RouterLink v-if="row.devices" :to="`/evidence?f=hasKey%3D${row.foundId}`" data-key-devices>{{
          whole(row.devices)
        }}</RouterLink
        ><template v-else>0</template></template
      >
    </ListTable>
  </div>
</template>

<style scoped>
.key {
  font-variant-numeric: tabular-nums;
}
.line + .line {
  margin-left: 0.4rem;
}
</style>
