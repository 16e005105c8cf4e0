<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, ask } from '../api/client'
import GroupFilter from '../components/GroupFilter.vue'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OwnLine from '../components/OwnLine.vue'
import { useOwnFields } from '../lib/own'
import { whole } from '../lib/format'
import { useSession } from '../lib/session'
import UseNav from './UseNav.vue'

/** The use of each counted product on each device in the window, with the days that were really measured beside it. */
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const columns: ListColumn[] = [
  { key: 'product', label: 'product', fixed: true },
  { key: 'publisher', label: 'publisher', width: '11rem' },
  { key: 'device', label: 'device', width: '8.5rem' },
  { key: 'user', label: 'user', width: '5.4rem' },
  { key: 'unit', label: 'unit', width: '11rem' },
  { key: 'class', label: 'use', width: '8.4rem' },
  { key: 'used', label: 'days used', num: true, width: '6rem' },
  { key: 'measured', label: 'days measured', num: true, width: '8rem' },
  { key: 'last', label: 'last use', width: '7.8rem' },
  { key: 'age', label: 'evidence', width: '6rem', hidden: true },
  { key: 'kind', label: 'kind', width: '7rem', hidden: true },
  { key: 'environment', label: 'environment', width: '7rem', hidden: true },
  { key: 'hosting', label: 'hosting', width: '6rem', hidden: true },
  { key: 'site', label: 'site', width: '7rem', hidden: true },
]
const classes = [
  { label: 'idle (unused or never used)', value: 'unused|never used' },
  'never used',
  'unused',
  'light',
  'regular',
  'not measured',
]
const own = useOwnFields()
const splits = ['class', 'product', 'unit', 'user', 'kind', 'environment', 'hosting', 'site'].map((value) => ({
  label: `split by ${value === 'class' ? 'use' : value}`,
  value,
}))
const mark: Record<string, string> = { regular: '●', light: '◐', unused: '○', 'never used': '✕', 'not measured': '?' }

const rules = useQuery({ queryKey: ['rules'], queryFn: () => ask(api.GET('/api/rules')) })
const windows = computed(() => [...new Set([30, 60, 90, rules.data.value?.useWindow ?? 90])].sort((a, b) => a - b))
const says = ref('')
async function look(days: number) {
  says.value = ''
  try {
    await ask(api.PUT('/api/rules', { body: { ...rules.data.value!, useWindow: days } }))
    await client.invalidateQueries({ queryKey: ['status'] })
  } catch (e) {
    says.value = (e as Error).message
  }
  await client.invalidateQueries({ queryKey: ['rules'] })
}
</script>

<template>
  <div class="page fill">
    <UseNav />
    <ListTable
      name="use"
      :columns="columns"
      sort="last"
      desc
      what="installs"
      row-key="id"
      :own="own"
      empty="Nothing to measure yet: it takes counted installs, and a usage.csv or last-use dates of scans."
      @open="(u) => $router.push(`/use/title/${u.productId}`)"
    >
      <template #title><h1>Use</h1></template>
      <template #filters>
        <ListFilter column="class" label="use" any="any use" :options="classes" />
        <GroupFilter />
        <label v-if="rules.data.value" class="soft">
          in the last
          <Select
            :model-value="rules.data.value.useWindow"
            :options="windows"
            size="small"
            aria-label="days of the window"
            :disabled="!mayWork"
            data-window
            @update:model-value="look"
          />
          days
        </label>
      </template>
      <template #actions><span class="soft">Not measured is not unused.</span></template>
      <template #above><OwnLine name="use" :own="own" :by="splits" /></template>
      <template #cell-class="{ row }"
        ><span
          :class="{ drop: row.class === 'unused' || row.class === 'never used', soft: row.class === 'not measured' }"
          >{{ mark[row.class] }} {{ row.class }}</span
        ></template
      >
      <template #cell-used="{ row }"
        ><span v-if="row.measured === 0" class="soft">–</span
        ><template v-else>{{ whole(row.used) }}</template></template
      >
    </ListTable>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </div>
</template>
