<script setup lang="ts">
import { useRouter } from 'vue-router'
import ListFilter from '../components/ListFilter.vue'
import ListTable, { type ListColumn } from '../components/ListTable.vue'
import { day, whole, word } from '../lib/format'

/** All devices, with the age of what is known of each. */
const router = useRouter()
const columns: ListColumn[] = [
  { key: 'name', label: 'device', width: '9.5rem', fixed: true },
  { key: 'age', label: 'evidence', width: '8.6rem' },
  { key: 'kind', label: 'kind', width: '9rem' },
  { key: 'environment', label: 'environment', width: '7.4rem' },
  { key: 'unit', label: 'unit' },
  { key: 'site', label: 'site', width: '9rem' },
  { key: 'user', label: 'main user', width: '6.4rem' },
  { key: 'installs', label: 'installs', num: true, width: '5.2rem' },
  { key: 'unrecognised', label: 'not recognised', num: true, width: '8.2rem' },
  { key: 'counted', label: 'need a right', num: true, width: '6.6rem' },
  { key: 'cases', label: 'cases', num: true, width: '4.4rem' },
  { key: 'status', label: 'status', width: '6rem', hidden: true },
  { key: 'code', label: 'device_id', width: '6rem', hidden: true },
]
</script>

<template>
  <div class="page fill">
    <ListTable
      name="devices"
      :columns="columns"
      sort="name"
      what="devices"
      row-key="id"
      empty="No devices yet: take in a devices.csv."
      @open="(d) => router.push(`/evidence/${encodeURIComponent(d.code)}`)"
    >
      <template #title><h1>Evidence</h1></template>
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
      </template>
      <template #actions><RouterLink to="/evidence/files">Files taken in</RouterLink></template>
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
        ><span v-if="row.age === 'never'" class="drop">unknown</span
        ><template v-else>{{ whole(row.installs) }}</template></template
      >
    </ListTable>
  </div>
</template>
