<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useDebounceFn } from '@vueuse/core'
import { useToast } from 'primevue/usetoast'
import { computed, ref, watch } from 'vue'
import { useHouse } from '../lib/house'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Lists, type Schemas } from '../api/client'
import KeyHint from '../components/KeyHint.vue'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { count, money, whole } from '../lib/format'
import { hintOf, key as keyFor, useKeys } from '../lib/keys'
import { useListState } from '../lib/listState'
import { useSession } from '../lib/session'
import NamePane from './NamePane.vue'
import QueueProgress from './QueueProgress.vue'
import TitlesNav from './TitlesNav.vue'

/**
 * Raw names: those nobody has recognised first, by what a decision changes. One decision serves every version and
 * spelling of a name, and every similar name that is taken along.
 */
const house = useHouse()
const client = useQueryClient()
const toast = useToast()
const route = useRoute()
const router = useRouter()
const { may } = useSession()
const mayWork = may('work')
const { change } = useListState({ sort: 'installs', desc: true })
if (!route.query.f) void router.replace({ query: { ...route.query, f: ['state=unrecognised', 'installs=>0'] } })

const key = computed(() => String(route.query.key ?? ''))
const columns = computed<ListColumn[]>(() => [
  { key: 'name', label: 'raw name', fixed: true },
  { key: 'publisher', label: 'publisher', width: '20%', hidden: !!key.value },
  { key: 'likely', label: 'most likely', width: '20%', hidden: !!key.value },
  { key: 'installs', label: 'installs', num: true, width: '5.2rem' },
  { key: 'money', label: `at stake, ${house.value}`, num: true, width: '7.4rem' },
  { key: 'findings', label: 'restricted', num: true, width: '5.9rem', hidden: !!key.value },
  { key: 'records', label: 'spellings', num: true, width: '5.6rem', hidden: !!key.value },
  { key: 'devices', label: 'devices', num: true, width: '5.2rem', hidden: true },
  { key: 'stale', label: 'stale', num: true, width: '4.6rem', hidden: true },
  { key: 'state', label: 'state', width: '7.2rem' },
])
const states = [
  { label: 'nobody has recognised', value: 'unrecognised' },
  { label: 'set aside', value: 'later' },
  { label: 'to be signed off', value: 'waiting' },
  { label: 'decided by a person', value: 'decided' },
  { label: 'decided by a rule', value: 'rule' },
  { label: 'found in the catalogue', value: 'recognised' },
]
const open = (k: string) => change({ key: k || undefined })
const queue = useQuery({ queryKey: ['queue'], queryFn: () => ask(api.GET('/api/names/queue')) })

const table = ref<{ rows: Lists['names'][] }>()
const marked = ref<Lists['names'][]>([])
const rows = computed(() => table.value?.rows ?? [])
const done = ref(new Set<string>())
watch(rows, () => (done.value = new Set([...done.value].filter((k) => rows.value.some((r) => r.key === k)))))

function step(by: 1 | -1) {
  const list = rows.value.filter((r) => !done.value.has(r.key) || r.key === key.value)
  const i = list.findIndex((r) => r.key === key.value)
  const next = list[i + by] ?? (by === 1 && i >= 0 ? list[i - 1] : list[0])
  open(next?.key ?? '')
}
/** What was just done leaves the queue; the next name opens. */
async function settled(keys: string[], says: string, detail: string) {
  for (const k of keys) done.value.add(k)
  marked.value = []
  toast.add({ severity: 'success', summary: says, detail, life: 4000 })
  step(1)
  if (rows.value.length - done.value.size < 12) await renew()
  else void renewLater()
}
const renew = () =>
  Promise.all(['list', 'status', 'queue', 'unsigned'].map((k) => client.invalidateQueries({ queryKey: [k] })))
// what is done is struck through at once; the list is read again in a pause, not under somebody's hands
const renewLater = useDebounceFn(renew, 1500, { maxWait: 8000 })
/** How the last thing is taken back. */
const back = () => ` ${hintOf('names.undo') || 'Undo'} takes it back.`
function decided(e: Schemas['Effect'], keys: string[]) {
  void settled(
    keys,
    e.waits ? 'Waits to be signed off' : `Decided for ${count(e.installs, 'install')}`,
    e.waits ? `Nothing moves until a second person agrees.${back()}` : `It holds for every later import.${back()}`,
  )
}
async function undo() {
  try {
    const u = await ask(api.POST('/api/names/undo'))
    done.value = new Set()
    toast.add({ severity: 'info', summary: 'Taken back', detail: `${u.what}: as it was before.`, life: 4000 })
    await client.invalidateQueries()
  } catch (e) {
    toast.add({ severity: 'warn', summary: (e as Error).message, life: 5000 })
  }
}
useKeys(() => [
  { name: 'names.close', key: 'Escape', says: 'close the open name', press: () => open('') },
  keyFor('names.next', () => step(1)),
  keyFor('names.before', () => step(-1)),
  keyFor('names.undo', () => mayWork.value && undo()),
  keyFor('names.mark', mark),
])
/** Marks the open name, or no longer, and goes on. */
function mark() {
  const row = rows.value.find((r) => r.key === key.value)
  if (!row) return false
  const had = marked.value.some((r) => r.key === row.key)
  marked.value = had ? marked.value.filter((r) => r.key !== row.key) : [...marked.value, row]
  step(1)
}
const others = computed(() => marked.value.filter((r) => r.key !== key.value))
</script>

<template>
  <div class="page fill names">
    <TitlesNav />
    <div class="two">
      <ListTable
        ref="table"
        v-model:selection="marked"
        name="names"
        :columns="columns"
        sort="installs"
        desc
        what="names"
        row-key="key"
        :selectable="mayWork"
        :current="key"
        :standing="['state=unrecognised', 'installs=>0']"
        empty="No names yet: they come with installs.csv."
        @open="(r) => open(r.key)"
      >
        <template #filters>
          <ListFilter column="state" label="state" any="any state" :options="states" />
        </template>
        <template #actions>
          <button
            v-if="mayWork && queue.data.value?.undo"
            class="plain"
            type="button"
            data-undo
            :title="queue.data.value.undo.what"
            @click="undo"
          >
            Undo <KeyHint name="names.undo" />
          </button>
        </template>
        <template #above><QueueProgress v-if="queue.data.value" :queue="queue.data.value" /></template>
        <template #cell-name="{ row }">
          <span :title="`${row.publisher} ${row.name}`" :class="{ gone: done.has(row.key) }">{{ row.name }}</span>
        </template>
        <template #cell-likely="{ row }">
          <span v-if="row.score >= 0.2" :title="`${Math.round(100 * row.score)} in 100`"
            >{{ row.likely }} <span class="soft">{{ Math.round(100 * row.score) }}</span></span
          ><span v-else-if="row.likely && row.score === 0"
            >{{ row.likely }}, <span class="soft">another edition</span></span
          ><span v-else class="soft">–</span>
        </template>
        <template #cell-money="{ row }"
          ><template v-if="Number(row.money) && row.score >= 0.2">{{ money(row.money) }}</template
          ><span v-else class="soft">–</span></template
        >
        <template #cell-findings="{ row }"
          ><template v-if="row.findings && row.score >= 0.2">{{ whole(row.findings) }}</template
          ><span v-else class="soft">–</span></template
        >
        <template #cell-state="{ row }"
          ><span :class="{ drop: row.state === 'unrecognised' }">{{
            {
              unrecognised: 'open',
              later: 'set aside',
              waiting: 'to sign off',
              rule: 'by rule',
              recognised: 'catalogue',
            }[row.state] ?? row.state
          }}</span></template
        >
      </ListTable>
      <NamePane
        v-if="key"
        :name-key="key"
        :others="others"
        :may-work="mayWork"
        @close="open('')"
        @decided="decided"
        @aside="(keys) => settled(keys, 'Set aside', `It comes back by itself.${back()}`)"
      />
    </div>
  </div>
</template>

<style scoped>
.names {
  overflow: hidden;
}
.two {
  display: flex;
  flex: 1;
  min-height: 0;
  gap: 1.2rem;
}
.gone {
  text-decoration: line-through;
  color: var(--soft);
}
@media (max-width: 820px) {
  .two {
    flex-direction: column;
    overflow: auto;
  }
}
</style>
