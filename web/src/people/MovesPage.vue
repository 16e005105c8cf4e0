<script setup lang="ts">
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { pageOf } from './people'
import PeopleNav from './PeopleNav.vue'

/** Who joined, moved, left or came back, by the directory's word, with the seats that each still holds. */
const columns: ListColumn[] = [
  { key: 'on', label: 'day', width: '7rem', fixed: true },
  { key: 'what', label: 'what', width: '7rem' },
  { key: 'name', label: 'who' },
  { key: 'person', label: 'user_id', width: '7rem' },
  { key: 'from', label: 'from' },
  { key: 'to', label: 'to' },
  { key: 'seats', label: 'seats still held', num: true, width: '8rem' },
]
</script>

<template>
  <div class="page fill">
    <PeopleNav />
    <ListTable
      name="moves"
      :columns="columns"
      sort="on"
      desc
      what="comings and goings"
      row-key="id"
      empty="Nobody has joined, moved or left since the first directory came in. Take in a newer users.csv or an LDIF export."
    >
      <template #filters>
        <ListFilter column="what" label="what" any="anything" :options="['joined', 'moved', 'left', 'came back']" />
      </template>
      <template #cell-name="{ row }"
        ><RouterLink :to="pageOf(row.person)">{{ row.name }}</RouterLink></template
      >
      <template #cell-seats="{ row }"
        ><RouterLink v-if="row.seats" :class="{ drop: row.what === 'left' }" :to="`/entitlements?q=${row.person}`">{{
          row.seats
        }}</RouterLink></template
      >
    </ListTable>
  </div>
</template>
