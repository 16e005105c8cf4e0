<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { useListState } from '../lib/listState'
import PoolPane from './PoolPane.vue'
import PoolWatchers from './PoolWatchers.vue'
import UseNav from './UseNav.vue'

/** Shared licences: every pool with its peak against its quantity, and what is wrong with it. */
const route = useRoute()
const { change } = useListState({ sort: 'code' })
const id = computed(() => Number(route.query.pool ?? 0))
const columns: ListColumn[] = [
  { key: 'code', label: 'pool', fixed: true, width: '9.4rem' },
  { key: 'publisher', label: 'publisher', width: '11rem', hidden: true },
  { key: 'product', label: 'product' },
  { key: 'server', label: 'server', width: '15rem' },
  { key: 'quantity', label: 'licences', num: true, width: '5.6rem' },
  { key: 'peak', label: 'peak', num: true, width: '4.4rem' },
  { key: 'used', label: 'utilisation, 30 days', width: '10.6rem' },
  { key: 'denials', label: 'denied', num: true, width: '5.2rem' },
  { key: 'asked', label: 'complaints', num: true, width: '6.4rem', hidden: true },
  { key: 'expires', label: 'expires', width: '7.9rem' },
  { key: 'lastDay', label: 'last report', width: '7.9rem' },
  { key: 'alert', label: 'look at it', width: '10.4rem' },
]
const alert: Record<string, string> = {
  lost: '⌁ connection lost',
  expired: '✕ expired',
  'expires soon': '◷ expires soon',
  denied: '▽ denied',
  silent: '… silent',
}
</script>

<template>
  <div class="page" :class="{ fill: !id }">
    <UseNav />
    <PoolPane v-if="id" :id="id" @close="change({ pool: undefined })" />
    <ListTable
      v-else
      name="pools"
      :columns="columns"
      sort="code"
      what="pools"
      row-key="id"
      empty="No licence server has told of a pool yet: take in a pools.csv and a pool_events.csv."
      @open="(r) => change({ pool: String(r.id) })"
    >
      <template #title><h1>Shared licences</h1></template>
      <template #filters>
        <ListFilter
          column="alert"
          label="look at it"
          any="all pools"
          :options="[{ label: 'to look at', value: 'lost|expired|expires soon|denied|silent' }, ...Object.keys(alert)]"
        />
      </template>
      <template #cell-used="{ row }">
        <span class="bar" :title="`${row.peak} of ${row.quantity}`"
          ><i :style="{ width: `${Math.min(100, row.used * 100)}%` }"
        /></span>
        {{ Math.round(row.used * 100) }} %
      </template>
      <template #cell-denials="{ row }"
        ><span :class="{ short: row.denials }">{{ row.denials }}</span></template
      >
      <template #cell-alert="{ row }"
        ><span class="drop">{{ alert[row.alert] }}</span></template
      >
    </ListTable>
    <PoolWatchers v-if="!id" />
  </div>
</template>

<style scoped>
.bar {
  display: inline-block;
  width: 5.5rem;
  height: 0.7rem;
  border: 1px solid var(--ink);
  vertical-align: -1px;
}
.bar i {
  display: block;
  height: 100%;
  background: var(--owned);
}
</style>
