<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, type Lists } from '../api/client'
import GroupFilter from '../components/GroupFilter.vue'
import ListFilter from '../components/ListFilter.vue'
import ListTable, { type ListColumn } from '../components/ListTable.vue'
import { count, day, moment, money } from '../lib/format'
import { useListState } from '../lib/listState'
import { useSession } from '../lib/session'

/** What is to be done: restricted software and idle licences, each with its proof and worth. Only later evidence ends a case as gone. */
const client = useQueryClient()
const route = useRoute()
const { may } = useSession()
const mayWork = may('work')
const { change } = useListState({ sort: 'amount', desc: true })
const id = computed(() => Number(route.query.case ?? 0))
const columns = computed<ListColumn[]>(() => [
  { key: 'product', label: 'product', fixed: true },
  { key: 'publisher', label: 'publisher', width: '10rem', hidden: true },
  { key: 'device', label: 'device', width: '8.4rem' },
  { key: 'user', label: 'user', width: '5rem', hidden: id.value > 0 },
  { key: 'unit', label: 'unit', width: '10rem', hidden: true },
  { key: 'kind', label: 'why', width: '6.4rem' },
  { key: 'state', label: 'state', width: '6.4rem' },
  { key: 'worth', label: 'becomes money', width: '13.4rem' },
  { key: 'amount', label: 'worth', num: true, width: '7rem' },
  { key: 'changedAt', label: 'since', width: '7.6rem', hidden: id.value > 0 },
])
const states = [
  { label: 'wait for a decision', value: 'open|failed' },
  { label: 'under way', value: 'open|failed|agreed|sent' },
  ...['open', 'agreed', 'sent', 'failed', 'gone', 'kept', 'lapsed'],
]
const marks: Record<string, string> = {
  open: '◇',
  agreed: '◆',
  sent: '➤',
  failed: '✕',
  gone: '✓',
  kept: '‖',
  lapsed: '–',
}

const one = useQuery({
  queryKey: ['case', id],
  queryFn: () => ask(api.GET('/api/cases/{id}', { params: { path: { id: id.value } } })),
  enabled: computed(() => id.value > 0),
})
const c = computed(() => (id.value ? one.data.value : undefined))

const selection = ref<Lists['cases'][]>([])
const says = ref('')
const keeping = ref(false)
const reason = ref('')
const until = ref('')
type Act = 'agree' | 'send' | 'reopen' | 'keep'
const acts: { act: Act; label: string; from: string[] }[] = [
  { act: 'agree', label: 'Agree to remove', from: ['open'] },
  { act: 'send', label: 'Send to deployment', from: ['agreed', 'failed'] },
  { act: 'keep', label: 'Leave in place…', from: ['open', 'agreed', 'failed'] },
  { act: 'reopen', label: 'Back to open', from: ['agreed', 'failed', 'kept'] },
]
const targets = computed(() => (selection.value.length ? selection.value : c.value ? [c.value] : []))
const possible = computed(() =>
  acts
    .map((a) => ({ ...a, ids: targets.value.filter((t) => a.from.includes(t.state)).map((t) => t.id) }))
    .filter((a) => a.ids.length),
)
async function act(a: Act, ids: number[]) {
  says.value = ''
  try {
    const done = await ask(
      api.POST('/api/cases/act', { body: { ids, act: a, note: reason.value, until: until.value } }),
    )
    says.value = `Done for ${count(done.count, 'case')}.`
    keeping.value = false
    reason.value = ''
    selection.value = []
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
    await client.invalidateQueries()
  }
}
const keepIds = ref<number[]>([])
function press(a: { act: Act; ids: number[] }) {
  if (a.act !== 'keep') return void act(a.act, a.ids)
  keepIds.value = a.ids
  keeping.value = true
}
</script>

<template>
  <div class="page two">
    <div class="left">
      <ListTable
        v-model:selection="selection"
        name="cases"
        :columns="columns"
        sort="amount"
        desc
        what="cases"
        row-key="id"
        :selectable="mayWork"
        :current="id"
        empty="Nothing is to be done: no restricted software was found, and no paid licence idles."
        @open="(r) => change({ case: String(r.id) })"
      >
        <template #title><h1>Worklist</h1></template>
        <template #filters>
          <ListFilter column="state" label="state" any="any state" :options="states" />
          <ListFilter column="kind" label="reason" any="any reason" :options="['restricted', 'idle']" />
          <GroupFilter />
        </template>
        <template #actions><RouterLink to="/worklist/stances">What is restricted</RouterLink></template>
        <template #cell-state="{ row }"
          ><span :class="{ drop: row.state === 'failed', spare: row.state === 'gone' }"
            >{{ marks[row.state] }} {{ row.state }}</span
          ><span v-if="row.cameBack" class="drop"> back</span></template
        >
        <template #cell-worth="{ row }">{{
          row.kind === 'restricted' ? '' : row.worth === 'at renewal' ? `at renewal ${row.moneyOn}` : row.worth
        }}</template>
        <template #cell-amount="{ row }">{{ row.amount ? money(row.amount) + ' ' + row.currency : '–' }}</template>
        <template #cell-changedAt="{ row }">{{ day(row.changedAt) }}</template>
      </ListTable>
      <div v-if="mayWork && selection.length" class="effect row" role="region" aria-label="Chosen cases">
        <b>{{ count(selection.length, 'case') }}</b>
        <span>worth {{ money(selection.reduce((s, r) => s + r.amount, 0)) }}</span>
        <Button
          v-for="a in possible"
          :key="a.act"
          :label="`${a.label} (${a.ids.length})`"
          size="small"
          @click="press(a)"
        />
        <button class="plain" type="button" @click="selection = []">choose none</button>
      </div>
      <p v-if="says" role="status" class="status" data-says>{{ says }}</p>
    </div>
    <aside v-if="c" class="sheet pane" aria-label="The open case">
      <div class="row">
        <h2 class="grow">{{ c.product }} on {{ c.device }}</h2>
        <button class="plain" type="button" @click="change({ case: undefined })">close</button>
      </div>
      <p data-case-state>
        {{ c.kind === 'restricted' ? 'Restricted software' : 'Idle licence' }}, <b>{{ marks[c.state] }} {{ c.state }}</b
        ><template v-if="c.keepUntil && c.state === 'kept'"> until {{ c.keepUntil }}</template
        >.
        <template v-if="c.amount"
          >Worth {{ money(c.amount) }} {{ c.currency }}, {{ c.worth
          }}<template v-if="c.worth === 'at renewal'"> on {{ c.moneyOn }}</template
          >.</template
        >
        <template v-else-if="c.kind === 'idle'">The right goes back for reuse; no money is claimed.</template>
      </p>
      <h3>Proof</h3>
      <ul>
        <li v-for="p in c.proof" :key="p">{{ p }}</li>
      </ul>
      <p>
        <RouterLink :to="`/evidence/${encodeURIComponent(c.deviceCode)}`">The device and its records</RouterLink> ·
        <RouterLink :to="`/position?trail=p${c.productId}`">the position</RouterLink>
      </p>
      <div v-if="mayWork && !selection.length" class="row">
        <Button
          v-for="a in possible"
          :key="a.act"
          :label="a.label"
          size="small"
          :data-act="a.act"
          :severity="a.act === 'reopen' || a.act === 'keep' ? 'secondary' : undefined"
          @click="press(a)"
        />
      </div>
      <p v-if="c.state === 'sent'" class="soft">
        The deployment tool has it. It cannot be taken back from here; the next scan of {{ c.device }} decides. The last
        one was on {{ day(c.lastSeen) }}.
      </p>
      <p v-if="!mayWork" class="soft">Working on cases needs the role “work”.</p>
      <h3>What happened</h3>
      <ol class="steps">
        <li v-for="(s, i) in c.steps" :key="i">
          <b>{{ s.to }}</b> by {{ s.who }}, <span class="soft">{{ moment(s.at) }}</span>
          <div class="soft">{{ s.note }}</div>
        </li>
      </ol>
    </aside>
    <Dialog v-model:visible="keeping" modal header="Leave it in place" :style="{ width: '30rem' }">
      <form class="keep" @submit.prevent="act('keep', keepIds)">
        <label>Why <InputText v-model="reason" fluid autofocus /></label>
        <label
          >Until (the case opens again the day after) <input v-model="until" type="date" class="p-inputtext"
        /></label>
        <Button
          type="submit"
          :label="`Leave ${count(keepIds.length, 'install')} in place`"
          :disabled="!reason || !until"
        />
      </form>
    </Dialog>
  </div>
</template>

<style scoped>
.two {
  display: flex;
  gap: 1rem;
  overflow: hidden;
}
.left {
  flex: 1;
  min-width: 0;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
.pane {
  width: 25rem;
  flex: none;
  overflow: auto;
  border-left: 3px solid var(--here);
}
.effect {
  border: 1px solid var(--here);
  border-left-width: 5px;
  background: var(--pick);
  padding: 0.4rem 0.7rem;
}
.status {
  margin: 0.3rem 0 0;
}
ul {
  padding-left: 1.1rem;
  margin: 0.2rem 0;
}
.pane h3 {
  margin-top: 0.8rem;
}
.steps {
  list-style: none;
  margin: 0.2rem 0;
  padding-left: 0.8rem;
  border-left: 1px solid var(--soft);
}
.steps li {
  padding-bottom: 0.4rem;
}
.keep {
  display: grid;
  gap: 0.6rem;
  justify-items: start;
}
.keep label {
  width: 100%;
  display: grid;
  gap: 0.2rem;
}
</style>
