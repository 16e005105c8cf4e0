<script setup lang="ts">
import { ref } from 'vue'
import ListTable, { type ListColumn } from '../components/ListTable.vue'
import type { Lists } from '../api/client'
import { moment } from '../lib/format'
import EvidenceNav from './EvidenceNav.vue'

/** Mail that went out, or waits to. */
const columns: ListColumn[] = [
  { key: 'queuedAt', label: 'written', width: '11.4rem', fixed: true },
  { key: 'address', label: 'to', width: '16rem' },
  { key: 'subject', label: 'subject' },
  { key: 'sentAt', label: 'sent', width: '11.4rem' },
  { key: 'error', label: 'why not', width: '16rem' },
]
const open = ref<Lists['mail']>()
</script>

<template>
  <div class="page fill">
    <EvidenceNav />
    <div class="parts">
      <ListTable
        name="mail"
        :columns="columns"
        sort="id"
        desc
        what="messages"
        row-key="id"
        :current="open?.id"
        empty="No mail was written yet. Say on the page Changes which of them are sent."
        @open="(m) => (open = m)"
      >
        <template #cell-queuedAt="{ row }">{{ moment(row.queuedAt) }}</template>
        <template #cell-sentAt="{ row }">{{ moment(row.sentAt) || 'waits' }}</template>
      </ListTable>
      <aside v-if="open" class="sheet">
        <h2>{{ open.subject }}</h2>
        <pre>{{ open.body }}</pre>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.parts {
  flex: 1;
  min-height: 0;
  display: flex;
  gap: 1rem;
}
aside {
  width: 30rem;
  overflow: auto;
}
pre {
  font: inherit;
  white-space: pre-wrap;
}
</style>
