<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { ref } from 'vue'
import { api, ask } from '../api/client'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import SureButton from '../components/SureButton.vue'
import { useAct } from '../lib/act'
import { moment, whole } from '../lib/format'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'

/** Who may send scans: one token for each source, shown once. And what came, late, twice or refused. */
const { may } = useSession()
const mayRun = may('run')
const tokens = useQuery({ queryKey: ['tokens'], queryFn: () => ask(api.GET('/api/tokens')), enabled: mayRun })
const source = ref('')
const findsBy = ref<'id' | 'name'>('id')
const secret = ref('')
const { busy, says, act } = useAct()
const add = () =>
  act(async () => {
    const body = { source: source.value, findsBy: findsBy.value }
    secret.value = (await ask(api.POST('/api/tokens', { body }))).secret
    source.value = ''
  })
const revoke = (id: number) => act(() => ask(api.POST('/api/tokens/{id}/revoke', { params: { path: { id } } })))
const columns: ListColumn[] = [
  { key: 'receivedAt', label: 'came', width: '11.4rem', fixed: true },
  { key: 'source', label: 'from', width: '10rem' },
  { key: 'device', label: 'device', width: '10rem' },
  { key: 'scanAt', label: 'scan of', width: '11.4rem' },
  { key: 'outcome', label: 'outcome', width: '7rem' },
  { key: 'detail', label: 'why' },
  { key: 'bytes', label: 'bytes', num: true, width: '6rem' },
]
const server = window.location.origin
</script>

<template>
  <div class="page fill">
    <EvidenceNav />
    <div class="row head">
      <h1>Who sends</h1>
      <span class="soft">a source shows its token with every scan; the token is kept here as a hash alone</span>
    </div>
    <p v-if="!mayRun" class="soft">Tokens are given by the role “run”; you see what came in.</p>
    <template v-else>
      <table v-if="tokens.data.value?.length" class="lines tokens">
        <thead>
          <tr>
            <th>source</th>
            <th>token</th>
            <th>finds devices by</th>
            <th>given</th>
            <th>used last</th>
            <th class="num">scans</th>
            <th class="num">devices</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="t in tokens.data.value" :key="t.id" :class="{ soft: t.revokedAt }" :data-token="t.source">
            <td>{{ t.source }}</td>
            <td>{{ t.hint }}…</td>
            <td>{{ t.findsBy === 'id' ? 'device_id' : 'name' }}</td>
            <td>{{ moment(t.createdAt) }} by {{ t.author }}</td>
            <td>{{ t.lastUsed ? `${moment(t.lastUsed)}${t.lastFrom ? ' from ' + t.lastFrom : ''}` : 'never' }}</td>
            <td class="num">{{ whole(t.scans) }}</td>
            <td class="num">{{ whole(t.devices) }}</td>
            <td>
              <template v-if="t.revokedAt">revoked {{ moment(t.revokedAt) }} by {{ t.revokedBy }}</template>
              <SureButton
                v-else
                label="revoke"
                :ask="`Let “${t.source}” send nothing any more?`"
                sure="revoke it"
                @sure="revoke(t.id)"
              />
            </td>
          </tr>
        </tbody>
      </table>
      <form class="row sheet" @submit.prevent="add">
        <span>A token for</span>
        <InputText v-model="source" size="small" placeholder="name of the source" aria-label="source" data-source />
        <span>which names devices by</span>
        <Select
          v-model="findsBy"
          :options="[
            { label: 'their device_id', value: 'id' },
            { label: 'their name', value: 'name' },
          ]"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="how devices are found"
        />
        <Button type="submit" label="Give a token" size="small" :disabled="!source" :loading="busy" data-give />
        <span class="soft">A source that had one before goes on with its list.</span>
      </form>
      <div v-if="secret" class="sheet secret" role="status">
        <p><b>Copy this token now: it is not shown again.</b></p>
        <code data-secret>{{ secret }}</code>
        <p class="soft">
          On the machine: <code>ensomet collect --server {{ server }} --token {{ secret.slice(0, 12) }}…</code>, once or
          with <code>--every 24h</code> as a service. Anything else that sends scans posts them to
          <code>{{ server }}/api/scans</code>.
        </p>
        <button class="plain" type="button" @click="secret = ''">I have it</button>
      </div>
    </template>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
    <ListTable
      name="deliveries"
      :columns="columns"
      sort="id"
      desc
      what="scans"
      row-key="id"
      empty="No scan has come over the network yet. Give a collector a token."
    >
      <template #filters>
        <ListFilter
          column="outcome"
          label="outcome"
          any="any outcome"
          :options="['new', 'late', { label: 'again (known)', value: 'again' }, 'refused']"
        />
      </template>
      <template #cell-receivedAt="{ row }">{{ moment(row.receivedAt) }}</template>
      <template #cell-scanAt="{ row }">{{ moment(row.scanAt) }}</template>
      <template #cell-device="{ row }"
        ><RouterLink v-if="row.code" :to="`/evidence/${encodeURIComponent(row.code)}`">{{
          row.device
        }}</RouterLink></template
      >
      <template #cell-outcome="{ row }"
        ><span :class="{ drop: row.outcome === 'refused' }">{{ row.outcome }}</span></template
      >
    </ListTable>
  </div>
</template>

<style scoped>
.tokens {
  margin-bottom: 0.5rem;
}
.form {
  padding: 0.45rem 0.8rem;
}
.secret {
  border-color: var(--here);
  margin-top: 0.5rem;
}
.secret p {
  margin: 0 0 0.3rem;
}
code {
  overflow-wrap: anywhere;
}
</style>
