<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import MultiSelect from 'primevue/multiselect'
import Select from 'primevue/select'
import { computed, nextTick } from 'vue'
import { api, ask } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import GroupFilter from '../components/GroupFilter.vue'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OtherChange from '../components/OtherChange.vue'
import SureButton from '../components/SureButton.vue'
import { useAct } from '../lib/act'
import { useDraft } from '../lib/draft'
import { usePreview } from '../lib/preview'
import { count, day, moment } from '../lib/format'
import { later } from '../lib/later'
import { useListState } from '../lib/listState'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'

const DayPicture = later(() => import('../components/DayPicture.vue'))

/**
 * What was installed, removed, upgraded or rebuilt on devices between two scans; what is noise is quietened from then
 * on, what matters is sent by mail.
 */
const { may } = useSession()
const mayWork = may('work')
const { query, filter, setFilter, change, one } = useListState({ sort: 'at', desc: true })
if (!filter('quiet')) setFilter('quiet', '0')
const columns: ListColumn[] = [
  { key: 'at', label: 'scan of', width: '11.4rem', fixed: true },
  { key: 'kind', label: 'what', width: '6.2rem' },
  { key: 'device', label: 'device', width: '9rem' },
  { key: 'name', label: 'of' },
  { key: 'was', label: 'was', width: '8rem' },
  { key: 'now', label: 'is now', width: '8rem' },
  { key: 'publisher', label: 'publisher', width: '11rem' },
  { key: 'unit', label: 'unit', width: '9rem', hidden: true },
  { key: 'environment', label: 'environment', width: '7rem', hidden: true },
  { key: 'source', label: 'source', width: '8rem', hidden: true },
]
const picture = computed(() => one('picture') !== 'no')
const tally = useQuery({
  queryKey: ['changes-by-day', query],
  queryFn: () => ask(api.GET('/api/changes/by-day', { params: { query: { q: query.value.q, f: query.value.f } } })),
  enabled: picture,
  placeholderData: (before) => before,
})
const rules = useQuery({ queryKey: ['change-rules'], queryFn: () => ask(api.GET('/api/change-rules')) })
const groups = useQuery({ queryKey: ['groups'], queryFn: () => ask(api.GET('/api/groups')) })

const open = computed(() => one('rules') === 'yes')
interface Draft {
  id: number
  revision: number
  what: 'quiet' | 'mail'
  kinds: string[]
  name: string
  publisher: string
  group: string
  address: string
}
const edited = computed(() => one('rule') || 'new')
const stored = (): Draft | undefined => {
  if (edited.value === 'new')
    return { id: 0, revision: 0, what: 'quiet', kinds: [], name: '', publisher: '', group: '', address: '' }
  const r = rules.data.value?.find((x) => String(x.id) === edited.value)
  if (!r) return undefined
  const { id, revision, what, kinds, name, publisher, group, address } = r
  return { id, revision, what, kinds, name, publisher, group, address }
}
const form = useDraft<Draft>(() => (open.value && mayWork.value ? `changes:${edited.value}` : ''), stored)
const draft = form.draft
const edit = (id: number) => change({ rule: id ? String(id) : undefined })
function leave() {
  form.discard()
  edit(0)
}
const told = computed(() => {
  const d = draft.value
  return !!d && (d.kinds.length > 0 || !!d.name || !!d.publisher || !!d.group)
})
const body = computed(() => (told.value ? draft.value : undefined))
const { effect: touched, failed } = usePreview('change-rule-preview', body, (b) =>
  ask(api.POST('/api/change-rules/preview', { body: b })),
)
const { busy, says, act } = useAct()
async function add() {
  const sent = draft.value
  if (!sent) return
  const quiet = sent.what === 'quiet'
  let n = 0
  if (!(await form.save(async (b) => (n = (await ask(api.POST('/api/change-rules', { body: b }))).count)))) return
  if (sent.id) edit(0)
  else form.discard()
  says.value = quiet
    ? `${count(n, 'change')} went quiet; more of the kind will.`
    : 'Mail goes out for what happens from now on.'
}
const end = (id: number, revision: number) =>
  act(async () => {
    await ask(api.POST('/api/change-rules/{id}/end', { params: { path: { id } }, body: { revision } }))
    if (edited.value === String(id)) leave()
  })
async function quieten(row: { name: string; kind: string }) {
  change({ rules: 'yes', rule: undefined })
  await nextTick()
  if (draft.value) Object.assign(draft.value, { what: 'quiet', kinds: [row.kind], name: row.name })
}
/** Looks at the changes of the days from one to before another. */
function pick(from: string, until: string) {
  const at = (text: string) => Date.parse(text + 'T00:00:00Z') / 1000
  setFilter('at', `${at(from)}..${at(until) - 1}`)
}
/** The days that are looked at, where the picture has chosen some. */
const since = computed(() => {
  const at = filter('at')
  const [from, until] = at.includes('..') ? at.split('..').map(Number) : [Number(at.slice(1)) + 1, 0]
  if (!until) return at && `since ${day(from!)}`
  const last = day(until)
  return day(from!) === last ? `on ${last}` : `from ${day(from!)} to ${last}`
})
</script>

<template>
  <div class="page fill">
    <EvidenceNav />
    <template v-if="picture">
      <DayPicture v-if="tally.data.value?.length" :tally="tally.data.value" data-picture @pick="pick" />
    </template>
    <ListTable
      name="changes"
      :columns="columns"
      sort="at"
      desc
      what="changes"
      row-key="id"
      :standing="['quiet=0']"
      empty="Nothing has changed between two scans yet. A device's first scan changes nothing."
      @open="() => {}"
    >
      <template #filters>
        <ListFilter
          column="kind"
          label="what"
          any="anything"
          :options="['installed', 'removed', 'upgraded', 'hardware']"
        />
        <ListFilter
          column="quiet"
          label="noise"
          any="with noise"
          :options="[
            { label: 'without noise', value: '0' },
            { label: 'noise alone', value: '>0' },
          ]"
        />
        <GroupFilter />
        <span v-if="filter('at')" class="having"
          >{{ since }}
          <button class="plain" type="button" aria-label="of all time" @click="setFilter('at', '')">✕</button></span
        >
      </template>
      <template #actions>
        <button class="plain" type="button" @click="change({ picture: picture ? 'no' : undefined })">
          {{ picture ? 'without picture' : 'picture' }}
        </button>
        <button class="plain" type="button" data-rules @click="change({ rules: open ? undefined : 'yes' })">
          Noise and mail ({{ rules.data.value?.length ?? 0 }})
        </button>
      </template>
      <template #above>
        <form v-if="open" class="sheet rules" data-rule-form @submit.prevent="add">
          <table v-if="rules.data.value?.length" class="lines">
            <tbody>
              <tr v-for="r in rules.data.value" :key="r.id" :class="{ chosen: edited === String(r.id) }">
                <td>
                  <b>{{ r.what === 'quiet' ? 'noise' : 'mail' }}</b>
                </td>
                <td>{{ r.words }}</td>
                <td class="soft">{{ count(r.touches, 'change') }} on record</td>
                <td class="soft">{{ r.author }}, {{ day(r.at) }}</td>
                <td>
                  <template v-if="mayWork">
                    <button class="plain" type="button" data-edit @click="edit(r.id)">change</button>
                    <SureButton
                      label="end it"
                      ask="End this rule?"
                      sure="end it"
                      :busy="busy"
                      @sure="end(r.id, r.revision)"
                    />
                  </template>
                </td>
              </tr>
            </tbody>
          </table>
          <div v-if="draft" class="row">
            <Select
              v-model="draft.what"
              :options="[
                { label: 'Noise is', value: 'quiet' },
                { label: 'Send by mail', value: 'mail' },
              ]"
              option-label="label"
              option-value="value"
              size="small"
              aria-label="noise or mail"
            />
            <MultiSelect
              v-model="draft.kinds"
              :options="['installed', 'removed', 'upgraded', 'hardware']"
              size="small"
              placeholder="any change"
              aria-label="kinds of change"
            />
            <span>of</span>
            <InputText v-model="draft.name" size="small" placeholder="any name, with *" aria-label="name" />
            <span>by</span>
            <InputText v-model="draft.publisher" size="small" placeholder="any publisher" aria-label="publisher" />
            <Select
              v-model="draft.group"
              :options="[
                { label: 'on any device', value: '' },
                ...(groups.data.value ?? []).map((g) => ({ label: `in ${g.name}`, value: g.name })),
              ]"
              option-label="label"
              option-value="value"
              size="small"
              placeholder="on any device"
              aria-label="group"
            />
            <InputText
              v-if="draft.what === 'mail'"
              v-model="draft.address"
              size="small"
              type="email"
              placeholder="to which address"
              aria-label="mail address"
            />
            <Button
              type="submit"
              size="small"
              :disabled="!told || (draft.what === 'mail' && !draft.address)"
              :loading="form.busy.value"
              :label="
                draft.what === 'mail'
                  ? 'Send these from now on'
                  : `Quieten ${touched && told ? count(touched.count, 'change') : 'them'}`
              "
              data-add-rule
            />
            <button v-if="draft.id" class="plain" type="button" data-leave @click="leave">leave it as it is</button>
          </div>
          <template v-if="draft">
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
              :labels="{ what: 'noise or mail', kinds: 'kinds of change' }"
              @save="(theirs) => (form.settle(theirs), add())"
            />
            <p v-if="form.says.value" class="says" role="alert">{{ form.says.value }}</p>
          </template>
          <p v-if="failed && told" class="says">{{ failed }}</p>
          <p v-if="says" role="status">{{ says }}</p>
          <RouterLink v-if="rules.data.value?.some((r) => r.what === 'mail')" to="/evidence/changes/mail" class="soft"
            >Mail that went out</RouterLink
          >
        </form>
      </template>
      <template #cell-at="{ row }">{{ moment(row.at) }}</template>
      <template #cell-kind="{ row }">
        <span :class="row.kind">{{
          { installed: '+', removed: '−', upgraded: '↑', hardware: '◆' }[row.kind] ?? ''
        }}</span>
        {{ row.kind }}
      </template>
      <template #cell-device="{ row }"
        ><RouterLink :to="`/evidence/${encodeURIComponent(row.code)}`">{{ row.device }}</RouterLink></template
      >
      <template #cell-name="{ row }">
        <span :title="row.name"
          ><RouterLink v-if="row.productId" :to="`/titles/${row.productId}`">{{ row.name }}</RouterLink
          ><template v-else>{{ row.name }}</template></span
        >
        <button
          v-if="mayWork && !row.quiet"
          class="plain soft hush"
          type="button"
          title="Call changes like this noise"
          @click.stop="quieten(row)"
        >
          noise?
        </button>
      </template>
    </ListTable>
    <p v-if="tally.error.value" class="says">{{ tally.error.value.message }}</p>
  </div>
</template>

<style scoped>
.installed {
  color: var(--owned);
  font-weight: 700;
}
.removed {
  color: var(--short);
  font-weight: 700;
}
.hardware {
  color: var(--doubt);
}
.having {
  border: 1px solid var(--line);
  background: var(--sheet);
  padding: 0.05rem 0.5rem;
}
.having button {
  text-decoration: none;
}
.rules {
  overflow-x: auto;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.5rem;
  margin-bottom: 0.5rem;
}
.rules p {
  margin: 0;
}
.hush {
  visibility: hidden;
  margin-left: 0.5rem;
}
tr:hover .hush,
tr:focus-within .hush {
  visibility: visible;
}
</style>
