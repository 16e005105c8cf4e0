<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import MultiSelect from 'primevue/multiselect'
import Select from 'primevue/select'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Lists, type Schemas } from '../api/client'
import GroupFilter from '../components/GroupFilter.vue'
import DraftKept from '../components/DraftKept.vue'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OtherChange from '../components/OtherChange.vue'
import SureButton from '../components/SureButton.vue'
import { useAct } from '../lib/act'
import { useDraft } from '../lib/draft'
import { count, moment, whole } from '../lib/format'
import { useListState } from '../lib/listState'
import { useSession } from '../lib/session'
import AgeLimits from './AgeLimits.vue'
import HistoryKept from './HistoryKept.vue'
import EvidenceNav from './EvidenceNav.vue'

/** Scans that are asked for: by plan, by age or by hand; what waits, runs, came and failed, and why. */
const { may } = useSession()
const mayWork = may('work')
const { setFilter, filter } = useListState({ sort: 'id', desc: true })
const plans = useQuery({ queryKey: ['schedules'], queryFn: () => ask(api.GET('/api/schedules')) })
const counts = useQuery({
  queryKey: ['order-counts'],
  queryFn: () => ask(api.GET('/api/scan-orders/counts')),
  refetchInterval: 5000,
})
const policies = useQuery({ queryKey: ['policies'], queryFn: () => ask(api.GET('/api/policies')) })
const groups = computed(() => [
  { label: 'every device in service', value: '' },
  ...(policies.data.value?.groups ?? []).map((g) => ({ label: g, value: g })),
])
type Draft = Schemas['ScheduleDraft']
const week = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'].map((label, value) => ({
  label,
  value,
}))
const weekdays = [...week.slice(1), week[0]!]
/** The plan that is open: its number, or new. */
const route = useRoute()
const router = useRouter()
const chosen = computed(() => String(route.query.plan ?? ''))
function edit(id: number | 'new' | '') {
  void router.replace({ query: { ...route.query, plan: id === '' ? undefined : String(id) } })
}
function stored(): Draft | undefined {
  if (chosen.value === 'new') {
    return {
      id: 0,
      revision: 0,
      name: '',
      basis: 'age',
      calendar: { at: '03:00' },
      ageDays: 14,
      group: '',
      quiet: [],
      paused: false,
    }
  }
  const p = plans.data.value?.find((x) => String(x.id) === chosen.value)
  if (!p) return undefined
  const { id, revision, name, basis, calendar, ageDays, group, quiet, paused } = p
  return { id, revision, name, basis, calendar, ageDays, group, quiet, paused }
}
const form = useDraft<Draft>(() => chosen.value && `plan:${chosen.value}`, stored)
const draft = form.draft
const { says, act } = useAct()
async function save() {
  const d = draft.value!
  if (!d.calendar.at) d.calendar.at = '03:00'
  if (await form.save((body) => ask(api.POST('/api/schedules', { body })))) {
    says.value = `“${d.name}” is set.`
    edit('')
  }
}
const drop = (id: number, revision: number) =>
  act(
    () => ask(api.POST('/api/schedules/{id}/drop', { params: { path: { id } }, body: { revision } })),
    'The plan is gone.',
  )

const columns: ListColumn[] = [
  { key: 'device', label: 'device', width: '9.5rem', fixed: true },
  { key: 'state', label: 'state', width: '6.4rem' },
  { key: 'why', label: 'because', width: '14.5rem' },
  { key: 'schedule', label: 'plan' },
  { key: 'askedAt', label: 'asked', width: '11.4rem' },
  { key: 'notBefore', label: 'not before', width: '11.4rem', hidden: true },
  { key: 'endedAt', label: 'ended', width: '11.4rem' },
  { key: 'tries', label: 'tries', num: true, width: '4rem' },
  { key: 'reason', label: 'what went wrong', width: '9.5rem' },
  { key: 'unit', label: 'unit', width: '9rem', hidden: true },
  { key: 'author', label: 'by', width: '6rem', hidden: true },
]
const states = ['waiting', 'running', 'done', 'failed', 'called off']
const numbers = computed(() => Object.fromEntries((counts.data.value ?? []).map((c) => [c.state, c.count])))
const selection = ref<Lists['scan-orders'][]>([])
const orderAct = (a: 'again' | 'call off') =>
  act(
    async () => {
      const done = await ask(
        api.POST('/api/scan-orders/act', { body: { ids: selection.value.map((o) => o.id), act: a } }),
      )
      selection.value = []
      return done
    },
    a === 'again' ? 'They wait once more.' : 'They are called off.',
  )
const failed = computed(() => selection.value.filter((o) => o.state === 'failed' || o.state === 'called off'))
const open = computed(() => selection.value.filter((o) => o.state === 'waiting' || o.state === 'running'))
</script>

<template>
  <div class="page fill">
    <EvidenceNav />
    <div class="row head">
      <h1>Scans asked for</h1>
      <span class="soft"
        >collectors ask every quarter of an hour what is wanted; who was away finds it when it is back</span
      >
      <span class="grow" />
      <Button v-if="mayWork" label="Make a plan" size="small" data-new-plan @click="edit('new')" />
    </div>
    <table class="lines">
      <thead>
        <tr>
          <th>plan</th>
          <th>for</th>
          <th>when</th>
          <th class="num">devices</th>
          <th class="num">due now</th>
          <th class="num">waiting or running</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in plans.data.value" :key="p.id" :class="{ soft: p.paused }" :data-plan="p.name">
          <td>{{ p.name }}</td>
          <td>{{ p.group || 'every device in service' }}</td>
          <td>
            {{ p.paused ? 'paused: ' : '' }}{{ p.words
            }}<span v-if="p.next" class="soft">; next {{ moment(p.next) }}</span>
          </td>
          <td class="num">{{ whole(p.devices) }}</td>
          <td class="num">{{ p.basis === 'age' ? whole(p.due) : '' }}</td>
          <td class="num">{{ whole(p.open) }}</td>
          <td class="end">
            <template v-if="mayWork">
              <button class="plain" type="button" @click="edit(p.id)">change</button>
              <SureButton
                label="delete"
                :ask="`Delete “${p.name}” for good?`"
                sure="delete it"
                @sure="drop(p.id, p.revision)"
              />
            </template>
          </td>
        </tr>
        <tr v-if="plans.data.value && !plans.data.value.length">
          <td colspan="7" class="soft">
            Nothing is planned. A plan by age asks for a scan as soon as the last one is old enough, also of a device
            that was away on the day.
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="draft" class="sheet edit" data-plan-form @submit.prevent="save">
      <div class="row">
        <InputText v-model="draft.name" size="small" placeholder="name of the plan" aria-label="name" data-plan-name />
        <span>scans</span>
        <Select
          v-model="draft.group"
          :options="groups"
          option-label="label"
          option-value="value"
          filter
          size="small"
          placeholder="every device in service"
          aria-label="group"
        />
        <Select
          v-model="draft.basis"
          :options="[
            { label: 'when the last scan is old', value: 'age' },
            { label: 'on days', value: 'calendar' },
          ]"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="basis"
        />
        <template v-if="draft.basis === 'age'">
          <InputNumber v-model="draft.ageDays" size="small" :min="1" :max="1000" aria-label="days" input-class="few" />
          <span>days or more</span>
        </template>
        <template v-else>
          <MultiSelect
            v-model="draft.calendar.weekdays"
            :options="weekdays"
            option-label="label"
            option-value="value"
            size="small"
            placeholder="every day"
            aria-label="weekdays"
          />
          <span>at</span>
          <input v-model="draft.calendar.at" type="time" class="p-inputtext p-inputtext-sm" aria-label="time of day" />
          <span class="soft">by the clock of each site</span>
        </template>
        <label class="row soft"><ToggleSwitch v-model="draft.paused" /> paused</label>
      </div>
      <div v-for="(q, i) in draft.quiet" :key="i" class="row">
        <span>No start</span>
        <MultiSelect
          v-model="q.weekdays"
          :options="weekdays"
          option-label="label"
          option-value="value"
          size="small"
          placeholder="on any day"
          aria-label="days on which nothing starts"
        />
        <span>from</span>
        <input v-model="q.from" type="time" class="p-inputtext p-inputtext-sm" aria-label="from" />
        <span>until</span>
        <input v-model="q.until" type="time" class="p-inputtext p-inputtext-sm" aria-label="until" />
        <span class="soft">between</span>
        <input v-model="q.first" type="date" class="p-inputtext p-inputtext-sm" aria-label="first day" />
        <span class="soft">and</span>
        <input v-model="q.last" type="date" class="p-inputtext p-inputtext-sm" aria-label="last day" />
        <button class="plain soft" type="button" @click="draft.quiet.splice(i, 1)">✕</button>
      </div>
      <DraftKept
        :kept="form.kept.value"
        :dirty="form.dirty.value"
        :others="form.others.value"
        @discard="form.discard"
      />
      <OtherChange
        v-if="form.other.value"
        :conflict="form.other.value"
        :mine="draft"
        :base="form.base.value"
        :theirs="stored()"
        @save="(theirs) => (form.settle(theirs), save())"
      />
      <p v-if="form.says.value" role="status" data-says>{{ form.says.value }}</p>
      <div class="row">
        <button class="plain" type="button" @click="draft.quiet.push({ from: '08:00', until: '17:00' })">
          a time at which nothing may start
        </button>
        <span class="soft">what falls into it is shifted to its end, not dropped</span>
        <span class="grow" />
        <Button
          type="submit"
          :label="draft.id ? 'Set it so' : 'Follow this plan'"
          size="small"
          :loading="form.busy.value"
          data-save-plan
        />
        <button class="plain" type="button" @click="edit('')">close</button>
      </div>
    </form>
    <p v-if="says" role="status" data-says>{{ says }}</p>
    <div class="row states">
      <button
        v-for="s in states"
        :key="s"
        class="plain state"
        :class="{ on: filter('state') === s, drop: s === 'failed' && numbers[s] }"
        type="button"
        :data-state="s"
        @click="setFilter('state', filter('state') === s ? '' : s)"
      >
        <b>{{ whole(numbers[s] ?? 0) }}</b> {{ s }}
      </button>
      <span class="soft">ended ones of the last thirty days</span>
    </div>
    <ListTable
      v-model:selection="selection"
      name="scan-orders"
      :columns="columns"
      sort="id"
      desc
      what="scans"
      row-key="id"
      selectable
      empty="No scan was asked for yet: make a plan, or tick devices in their list."
    >
      <template #filters>
        <ListFilter
          column="reason"
          label="what went wrong"
          any="any reason"
          :options="['no route', 'sign-in refused', 'timed out', 'half a scan', 'other']"
        />
        <GroupFilter />
      </template>
      <template #actions>
        <Button
          v-if="mayWork && failed.length"
          :label="`Ask again for ${count(failed.length, 'scan')}`"
          size="small"
          data-again
          @click="orderAct('again')"
        />
        <Button
          v-if="mayWork && open.length && !failed.length"
          :label="`Call off ${count(open.length, 'scan')}`"
          size="small"
          severity="secondary"
          variant="outlined"
          @click="orderAct('call off')"
        />
      </template>
      <template #cell-device="{ row }"
        ><RouterLink :to="`/evidence/${encodeURIComponent(row.code)}`">{{ row.device }}</RouterLink></template
      >
      <template #cell-state="{ row }"
        ><span :class="{ drop: row.state === 'failed', spare: row.state === 'done' }">{{ row.state }}</span></template
      >
      <template #cell-askedAt="{ row }">{{ moment(row.askedAt) }}</template>
      <template #cell-notBefore="{ row }">{{ moment(row.notBefore) }}</template>
      <template #cell-endedAt="{ row }">{{ moment(row.endedAt) }}</template>
      <template #cell-reason="{ row }"
        ><span :title="row.detail" :class="{ drop: row.reason }">{{ row.reason }}</span></template
      >
    </ListTable>
    <AgeLimits />
    <HistoryKept />
  </div>
</template>

<style scoped>
.edit {
  display: grid;
  gap: 0.5rem;
  margin-top: 0.5rem;
}
.end {
  white-space: nowrap;
  text-align: right;
}
.end button + button {
  margin-left: 0.9rem;
}
.states {
  padding-top: 0.6rem;
  gap: 1.2rem;
}
.state {
  text-decoration: none;
  border-bottom: 2px solid transparent;
}
.state.on {
  border-color: var(--here);
}
</style>
