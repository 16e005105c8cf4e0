<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import { computed, ref } from 'vue'
import { api, ask, type Lists } from '../api/client'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { count, moment } from '../lib/format'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'

/** Mail that went out, or waits to. */
const columns: ListColumn[] = [
  { key: 'queuedAt', label: 'written', width: '11.2rem', fixed: true },
  { key: 'address', label: 'to', width: '10rem' },
  { key: 'subject', label: 'subject' },
  { key: 'sentAt', label: 'sent', width: '11.2rem' },
  { key: 'error', label: 'why not', width: '8rem' },
]
const open = ref<Lists['mail']>()
const { me, may } = useSession()
const mayWork = may('work')
const queries = useQueryClient()
const says = ref('')
/** Has the open message tried again, now. */
async function tryAgain(id: number) {
  says.value = ''
  try {
    await ask(api.POST('/api/mail/{id}/again', { params: { path: { id } } }))
    open.value = undefined
    await queries.invalidateQueries({ queryKey: ['list', 'mail'] })
  } catch (e) {
    says.value = String((e as Error).message)
  }
}
const letters = useQuery({
  queryKey: ['demo-letters'],
  queryFn: () => ask(api.GET('/api/demo/letters')),
  enabled: computed(() => !!me.value?.demo && mayWork.value),
})
</script>

<template>
  <div class="page fill">
    <EvidenceNav />
    <section v-if="letters.data.value?.length" class="sheet letters" data-letters>
      <h2>The demo’s mail box: what users were asked</h2>
      <p v-for="l in letters.data.value.slice(0, 6)" :key="l.answer">
        {{ moment(l.at) }}, to {{ l.to }}: <a :href="l.answer" target="_blank" rel="noreferrer">{{ l.subject }}</a>
      </p>
    </section>
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
        <template #cell-sentAt="{ row }">{{ moment(row.sentAt) || (row.givenUpAt ? 'given up' : 'waits') }}</template>
      </ListTable>
      <aside v-if="open" class="sheet">
        <h2>{{ open.subject }}</h2>
        <p v-if="open.givenUpAt" data-given-up>
          Given up on {{ moment(open.givenUpAt) }} after {{ count(open.tries, 'try', 'tries') }}: {{ open.error }}
        </p>
        <p v-else-if="!open.sentAt && open.error">
          Tried {{ count(open.tries, 'time') }}, next on {{ moment(open.dueAt) }}: {{ open.error }}
        </p>
        <Button
          v-if="!open.sentAt && open.error && mayWork"
          label="Try again now"
          size="small"
          data-try-again
          @click="tryAgain(open.id)"
        />
        <p v-if="says" class="says" role="alert">{{ says }}</p>
        <pre>{{ open.body }}</pre>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.letters {
  margin: 0.4rem 0;
}
.letters p {
  margin: 0.15rem 0;
}
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
