<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import { useToast } from 'primevue/usetoast'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, type Lists } from '../api/client'
import GroupFilter from '../components/GroupFilter.vue'
import ListFilter from '../components/ListFilter.vue'
import OwnLine from '../components/OwnLine.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { count, day, whole, word } from '../lib/format'
import { useOwnFields } from '../lib/own'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'
import PutRight from './PutRight.vue'

/**
 * All devices, with the age of what is known of each. Two of them can be set side by side, any of them asked for a
 * scan.
 */
const router = useRouter()
const client = useQueryClient()
const toast = useToast()
const { may } = useSession()
const mayWork = may('work')
const columns: ListColumn[] = [
  { key: 'name', label: 'device', width: '9.5rem', fixed: true },
  { key: 'age', label: 'evidence', width: '8.7rem' },
  { key: 'kind', label: 'kind', width: '7.4rem' },
  { key: 'environment', label: 'environment', width: '7rem' },
  { key: 'unit', label: 'unit' },
  { key: 'site', label: 'site', width: '8rem' },
  { key: 'user', label: 'main user', width: '6.2rem' },
  { key: 'installs', label: 'installs', num: true, width: '5rem' },
  { key: 'unrecognised', label: 'not recognised', num: true, width: '8.4rem' },
  { key: 'counted', label: 'need a right', num: true, width: '6.8rem' },
  { key: 'cases', label: 'cases', num: true, width: '4.4rem' },
  { key: 'differ', label: 'sources differ', num: true, width: '7rem', hidden: true },
  { key: 'hardwareAge', label: 'hardware', width: '6rem', hidden: true },
  { key: 'useAge', label: 'use', width: '5rem', hidden: true },
  { key: 'directoryAge', label: 'directory', width: '6rem', hidden: true },
  { key: 'hosting', label: 'hosting', width: '6rem', hidden: true },
  { key: 'os', label: 'system', width: '9rem', hidden: true },
  { key: 'country', label: 'country', width: '5rem', hidden: true },
  { key: 'cluster', label: 'cluster', width: '6rem', hidden: true },
  { key: 'memoryMb', label: 'memory, MB', num: true, width: '7rem', hidden: true },
  { key: 'namesakes', label: 'others of that name', num: true, width: '9rem', hidden: true },
  { key: 'status', label: 'status', width: '6rem', hidden: true },
  { key: 'code', label: 'device_id', width: '6rem', hidden: true },
]
const own = useOwnFields()
const splits = ['kind', 'environment', 'hosting', 'site', 'age', 'unit', 'os', 'status'].map((value) => ({
  label: `split by ${value === 'age' ? 'age of evidence' : value === 'os' ? 'system' : value}`,
  value,
}))
const selection = ref<Lists['devices'][]>([])
const open = (code: string) => router.push(`/evidence/${encodeURIComponent(code)}`)

function compare() {
  const [left, right] = selection.value
  void router.push({ path: '/evidence/compare', query: { left: left!.code, right: right!.code } })
}
const righting = ref(false)
async function scan() {
  try {
    const done = await ask(api.POST('/api/scan-orders', { body: { devices: selection.value.map((d) => d.code) } }))
    toast.add({ severity: 'success', summary: `${count(done.count, 'scan')} asked for`, life: 4000 })
    selection.value = []
    await client.invalidateQueries()
  } catch (e) {
    toast.add({ severity: 'error', summary: (e as Error).message, life: 8000 })
  }
}
</script>

<template>
  <div class="page fill">
    <EvidenceNav />
    <ListTable
      v-model:selection="selection"
      name="devices"
      :columns="columns"
      sort="name"
      what="devices"
      row-key="id"
      selectable
      :own="own"
      empty="No devices yet: take in a devices.csv, or give a collector a token."
      @open="(d) => open(d.code)"
    >
      <template #filters>
        <ListFilter
          column="age"
          label="evidence"
          any="any evidence"
          :options="['fresh', 'stale', { label: 'never scanned', value: 'never' }]"
        />
        <ListFilter
          column="kind"
          label="kind"
          any="any kind"
          :options="['client', 'server', 'vm_host', 'virtual_machine', 'container_host', 'mobile']"
        />
        <ListFilter
          column="environment"
          label="environment"
          any="any environment"
          :options="['production', 'test', 'development', 'training', 'standby']"
        />
        <GroupFilter />
      </template>
      <template #actions>
        <Button v-if="selection.length === 2" label="Set side by side" size="small" data-compare @click="compare" />
        <Button
          v-if="selection.length && mayWork"
          :label="`Ask for ${count(selection.length, 'scan')}`"
          size="small"
          severity="secondary"
          variant="outlined"
          data-ask
          @click="scan"
        />
        <Button
          v-if="selection.length && mayWork"
          label="Put right"
          size="small"
          severity="secondary"
          variant="outlined"
          data-put
          @click="righting = !righting"
        />
      </template>
      <template #above>
        <div v-if="righting && selection.length" class="sheet">
          <PutRight :devices="selection.map((d) => d.code)" @done="righting = false" />
        </div>
        <OwnLine name="devices" :own="own" :by="splits" />
      </template>
      <template #cell-name="{ row }"
        ><RouterLink :to="`/evidence/${encodeURIComponent(row.code)}`" @click.stop>{{ row.name }}</RouterLink></template
      >
      <template #cell-age="{ row }">
        <span v-if="row.age === 'never'" class="drop">◌ never scanned</span>
        <span v-else-if="row.age === 'stale'" class="drop">◑ {{ day(row.lastSeen) }}</span>
        <span v-else>● {{ day(row.lastSeen) }}</span>
      </template>
      <template #cell-kind="{ row }">{{ word(row.kind) }}</template>
      <template #cell-status="{ row }">{{ word(row.status) }}</template>
      <template #cell-installs="{ row }"
        ><span v-if="row.age === 'never' && row.installs <= (row.os ? 1 : 0)" class="drop">unknown</span
        ><template v-else>{{ whole(row.installs) }}</template></template
      >
    </ListTable>
  </div>
</template>
