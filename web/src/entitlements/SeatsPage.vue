<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import { computed, ref } from 'vue'
import { api, ask, type Lists, type Schemas } from '../api/client'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { count } from '../lib/format'
import { refusal } from '../lib/act'
import { useSession } from '../lib/session'
import EntitlementsNav from './EntitlementsNav.vue'
import PersonPick from './PersonPick.vue'
import SeatDesk from './SeatDesk.vue'

/**
 * Who holds which seat, who waits for one, and what somebody new gets. Seats that are taken back go to whoever waits
 * first.
 */
const client = useQueryClient()
const mayWork = useSession().may('work')
const columns: ListColumn[] = [
  { key: 'product', label: 'product', fixed: true },
  { key: 'line', label: 'line', width: '5.4rem' },
  { key: 'userName', label: 'held by', width: '14rem', fixed: true },
  { key: 'unit', label: 'unit', width: '9rem' },
  { key: 'from', label: 'since', width: '7.6rem' },
  { key: 'until', label: 'until', width: '7.6rem', hidden: true },
  { key: 'state', label: 'state', width: '7rem' },
  { key: 'publisher', label: 'publisher', width: '9rem', hidden: true },
]
const selection = ref<Lists['seats'][]>([])
const waiting = useQuery({ queryKey: ['waiting'], queryFn: () => ask(api.GET('/api/waiting')) })
const says = ref('')
const result = ref<Schemas['HandedBack']>()
const awaited = computed(() => new Set((waiting.data.value ?? []).map((w) => w.productId)))
const passed = computed(() => selection.value.filter((s) => awaited.value.has(s.productId)).length)
const busy = ref(false)
async function run<T>(what: () => Promise<T>) {
  if (busy.value) return
  busy.value = true
  says.value = ''
  result.value = undefined
  try {
    const out = await what()
    await client.invalidateQueries()
    return out
  } catch (e) {
    says.value = refusal(e)
  } finally {
    busy.value = false
  }
}
const other = ref('')
async function move() {
  const [seat] = selection.value
  const moved = await run(() =>
    ask(api.POST('/api/seats/{id}/move', { params: { path: { id: seat!.id } }, body: { user: other.value } })),
  )
  if (moved) {
    selection.value = []
    other.value = ''
  }
}
async function back(give: boolean) {
  const out = await run(() =>
    ask(api.POST('/api/seats/hand-back', { body: { ids: selection.value.map((s) => s.id), give } })),
  )
  if (out) {
    result.value = out
    selection.value = []
  }
}
</script>

<template>
  <div class="page fill">
    <EntitlementsNav />
    <div class="beside">
      <ListTable
        v-model:selection="selection"
        name="seats"
        :columns="columns"
        sort="product"
        what="seats"
        row-key="id"
        :selectable="mayWork"
        empty="Nobody holds a seat yet: take in assignments.csv, or give one at the right."
        @open="(s) => s.user && $router.push(`/entitlements/held/${encodeURIComponent(s.user)}`)"
      >
        <template #title><h1>Seats</h1></template>
        <template #filters
          ><ListFilter
            column="state"
            label="state"
            any="any state"
            :options="['held', 'of a leaver', 'handed back', 'ended']"
        /></template>
        <template #above>
          <div v-if="selection.length" class="row bar" data-bar>
            <b>{{ count(selection.length, 'seat') }} chosen</b>
            <Button label="Take back" size="small" severity="secondary" data-back @click="back(false)" />
            <Button
              v-if="passed"
              :label="`Take back, and give to who waits`"
              size="small"
              data-back-give
              @click="back(true)"
            />
            <template v-if="selection.length === 1 && selection[0]!.user">
              <span class="soft">or hand it to</span>
              <span class="pick"><PersonPick label="somebody else" @choose="(c) => (other = c)" /></span>
              <Button label="Move it" size="small" severity="secondary" :disabled="!other" data-move @click="move" />
            </template>
          </div>
          <p v-if="says" class="says" role="alert">{{ says }}</p>
          <p v-if="result" role="status" data-handed>
            {{ count(result.seats, 'seat') }} handed back<template v-if="result.given.length"
              >; {{ result.given.map((g) => `${g.name} got ${g.product} (${g.line})`).join(', ') }}</template
            >.
          </p>
        </template>
        <template #cell-product="{ row }"
          ><b>{{ row.product }}</b> <span class="soft gap">{{ row.edition }}</span></template
        >
        <template #cell-userName="{ row }"
          >{{ row.userName || row.deviceName }} <span class="soft gap">{{ row.user || row.device }}</span></template
        >
        <template #cell-state="{ row }"
          ><span :class="{ short: row.state === 'of a leaver' }">{{ row.state }}</span></template
        >
      </ListTable>
      <SeatDesk :waiting="waiting.data.value ?? []" :may-work="mayWork" @run="run" />
    </div>
  </div>
</template>

<style scoped>
.pick {
  width: 13rem;
}
.bar {
  background: var(--pick);
  padding: 0.3rem 0.5rem;
}
</style>
