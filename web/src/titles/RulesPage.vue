<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, readList, type Schemas } from '../api/client'
import ConditionEditor from '../components/ConditionEditor.vue'
import DraftKept from '../components/DraftKept.vue'
import EffectLine from '../components/EffectLine.vue'
import OtherChange from '../components/OtherChange.vue'
import SureButton from '../components/SureButton.vue'
import TitlePick from '../components/TitlePick.vue'
import { useAct } from '../lib/act'
import { useDraft } from '../lib/draft'
import { count, day, whole } from '../lib/format'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import TitlesNav from './TitlesNav.vue'

/**
 * Rules that decide about names and counting by themselves, in their order: what each touches, who is before it, and
 * what a new one would change.
 */
const route = useRoute()
const router = useRouter()
const { may } = useSession()
const mayWork = may('work')
const rules = useQuery({ queryKey: ['name-rules'], queryFn: () => ask(api.GET('/api/name-rules')) })

type Draft = Schemas['RuleDraft']
const names = ref<Record<number, string>>({})
const which = computed(() => String(route.query.rule ?? ''))
/** Whether installs are not counted, while what they are recognised as stays. */
function leaves(outcome: string) {
  return outcome === 'leave_out' || outcome === 'included'
}
function blank(): Draft {
  const q = route.query
  let records: Draft['records'] = { all: [{ field: 'name', op: 'like', value: '' }] }
  try {
    if (q.records) records = JSON.parse(String(q.records)) as Draft['records']
  } catch {
    unread.value = 'The address holds a condition that cannot be read.'
  }
  if (q.product && q.title) names.value[Number(q.product)] = String(q.title)
  return {
    id: 0,
    revision: 0,
    name: '',
    outcome: (['title', 'nothing', 'leave_out', 'included'] as const).find((o) => o === q.outcome) ?? 'title',
    records,
    devices: q.devices ? (JSON.parse(String(q.devices)) as Draft['devices']) : { all: [] },
    product: Number(q.product ?? 0),
    edition: '',
    reason: '',
    from: '',
    until: '',
    off: false,
  }
}
const joined = (c: Draft['records']): Draft['records'] =>
  c.all || c.any || c.not?.any ? c : c.field || c.not ? { all: [c] } : { all: [] }
const list = computed(() => rules.data.value?.rules ?? [])
const stored = (): Draft | undefined => {
  if (which.value === 'new') return blank()
  const r = list.value.find((x) => String(x.id) === which.value)
  if (!r) return undefined
  const { id, revision, name, outcome, product, edition, reason, from, until, off } = r
  return {
    id,
    revision,
    name,
    outcome,
    product,
    edition,
    reason,
    from,
    until,
    off,
    records: joined(r.records),
    devices: joined(r.devices),
  }
}
// what a new rule begins with, from a raw name or a device, is a draft of its own
const key = computed(() => {
  if (which.value !== 'new') return which.value && `rule:${which.value}`
  return `rule:${String(route.query.records ?? '')}${String(route.query.devices ?? '')}:new`
})
const form = useDraft<Draft>(() => key.value, stored)
const { draft, says } = form
const unread = ref('')
watch(
  () => list.value.find((x) => String(x.id) === which.value)?.names,
  (more) => more && Object.assign(names.value, more),
  { immediate: true },
)
const ready = computed(
  () =>
    !!draft.value &&
    !!draft.value.name.trim() &&
    (draft.value.outcome !== 'title' || draft.value.product > 0) &&
    (!leaves(draft.value.outcome) || !!draft.value.reason.trim()),
)
const { effect, failed } = usePreview(
  'rule-preview',
  computed(() => (ready.value && mayWork.value ? draft.value : undefined)),
  (b) => ask(api.POST('/api/name-rules/preview', { body: b })),
)
const open = (w: string) => void router.replace({ query: w ? { rule: w } : {} })
function leave() {
  form.discard()
  open('')
}
async function save() {
  if (!draft.value || !effect.value || form.busy.value) return
  let e: Schemas['Effect'] | undefined
  if (!(await form.save(async (body) => (e = await ask(api.POST('/api/name-rules', { body })))))) return
  if (which.value === 'new') form.discard()
  open('')
  told.value = e?.waits
    ? 'The rule waits to be signed off.'
    : `The rule is at work: ${count(e?.installs ?? 0, 'install')} now, and whatever arrives from now on.`
}
const { busy, says: told, act } = useAct()
async function changeRule(id: number, revision: number, change: 'on' | 'off' | 'end' | 'order', order?: number[]) {
  const done = await act(() => ask(api.POST('/api/name-rules/change', { body: { id, revision, change, order } })))
  if (done && change === 'end' && which.value === String(id)) leave()
}
function move(i: number, by: number) {
  const ids = list.value.map((r) => r.id)
  const [id] = ids.splice(i, 1)
  ids.splice(i + by, 0, id!)
  void changeRule(id!, rules.data.value!.orderRevision, 'order', ids)
}
/** What a condition says, as far as a page can tell it. */
const say = (field: string, v: unknown) => {
  if (field === 'outcome') return outcomes.find((o) => o.value === v)?.label
  if (field === 'product') return names.value[Number(v)] ?? (Number(v) ? `title ${Number(v)}` : undefined)
  return undefined
}
const outcomes = [
  { label: 'are the title', value: 'title' },
  { label: 'are not software that counts', value: 'nothing' },
  { label: 'are left out of the count', value: 'leave_out' },
  { label: 'are covered by the place they run in', value: 'included' },
]
const stateWords: Record<string, string> = {
  holds: 'at work',
  waiting: 'to be signed off',
  off: 'off',
  not_yet: 'not yet in force',
  over: 'over',
}
async function nameOf(id: number) {
  const page = await readList('products', { f: [`id=${id}`] }, '', 1)
  if (page.rows[0]) names.value[id] = page.rows[0].product
}
watch(
  () => draft.value?.product,
  (id) => id && !names.value[id] && void nameOf(id),
)
</script>

<template>
  <div class="page">
    <TitlesNav />
    <div class="row head">
      <p class="grow soft">
        Asked in this order, after decisions on a single name and before the catalogue; the first that fits decides.
        Each holds for whatever arrives from then on.
      </p>
      <Button v-if="mayWork && !draft" size="small" label="Make a rule" data-make-rule @click="open('new')" />
    </div>
    <p v-if="told || unread" role="status" data-says>{{ told || unread }}</p>
    <table class="lines" data-rules>
      <thead>
        <tr>
          <th class="num"></th>
          <th>rule</th>
          <th>of records whose</th>
          <th>it says</th>
          <th class="num">decides</th>
          <th>state</th>
          <th>by</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(r, i) in list" :key="r.id" :class="{ here: which === String(r.id), off: r.state !== 'holds' }">
          <td class="num">{{ i + 1 }}</td>
          <td>
            <button class="plain" type="button" :data-rule="r.name" @click="open(String(r.id))">{{ r.name }}</button>
          </td>
          <td>{{ r.words }}</td>
          <td>
            {{ r.means }}
            <div v-if="r.reason" class="soft">{{ r.reason }}</div>
          </td>
          <td class="num">
            <RouterLink v-if="r.decides && !leaves(r.outcome)" to="/titles/names?f=state%3Drule">{{
              whole(r.decides)
            }}</RouterLink><template v-else>{{ whole(r.decides) }}</template>
          </td>
          <td>
            {{ stateWords[r.state] }}
            <span v-if="r.dead" class="drop" data-dead>decides nothing: {{ r.dead }}</span>
            <span v-for="c in r.conflicts" :key="c.rule" class="drop" data-conflict
              >{{ count(c.records, 'record') }} taken by “{{ c.rule }}”, which says otherwise</span
            >
          </td>
          <td class="soft by">
            {{ r.author }}, {{ day(r.at) }}<template v-if="r.signed">, signed {{ r.signed }}</template>
          </td>
          <td>
            <div v-if="mayWork" class="row ends">
              <button
                class="plain"
                type="button"
                :disabled="busy || i === 0"
                :aria-label="`${r.name} earlier`"
                @click="move(i, -1)"
              >
                ↑
              </button>
              <button
                class="plain"
                type="button"
                :disabled="busy || i === list.length - 1"
                :aria-label="`${r.name} later`"
                @click="move(i, 1)"
              >
                ↓
              </button>
              <button
                class="plain"
                type="button"
                :disabled="busy"
                @click="changeRule(r.id, r.revision, r.off ? 'on' : 'off')"
              >
                {{ r.off ? 'switch on' : 'switch off' }}
              </button>
              <SureButton
                label="end it"
                :ask="`End “${r.name}” for good?`"
                sure="end it"
                :busy="busy"
                @sure="changeRule(r.id, r.revision, 'end')"
              />
            </div>
          </td>
        </tr>
        <tr v-if="rules.data.value && !list.length">
          <td colspan="8" class="soft">
            No rule was made yet. Begin from a raw name (“a rule for names like this”) or from here.
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="draft" class="sheet edit" data-rule-form @submit.prevent="save">
      <DraftKept
        :kept="form.kept.value"
        :dirty="form.dirty.value"
        :others="form.others.value"
        @discard="form.discard"
      />
      <div class="row">
        <InputText
          v-model="draft.name"
          size="small"
          class="grow"
          placeholder="name of the rule"
          aria-label="name of the rule"
          data-rule-name
        />
        <label class="row soft"
          >from <InputText v-model="draft.from" size="small" type="date" aria-label="from"
        /></label>
        <label class="row soft"
          >until <InputText v-model="draft.until" size="small" type="date" aria-label="until"
        /></label>
      </div>
      <div class="parts">
        <section>
          <h3>Records of which</h3>
          <ConditionEditor
            v-model="draft.records"
            of="records"
            :names="names"
            @named="(id, name) => (names[id] = name)"
          />
        </section>
        <section>
          <div class="row">
            <h3>they</h3>
            <Select
              v-model="draft.outcome"
              :options="outcomes"
              option-label="label"
              option-value="value"
              size="small"
              aria-label="what follows"
              data-outcome
            />
          </div>
          <TitlePick
            v-if="draft.outcome === 'title'"
            :model-value="draft.product"
            :name="names[draft.product] ?? ''"
            @update:model-value="
              (id, name) => {
                if (draft) draft.product = id
                names[id] = name
              }
            "
          />
          <template v-if="leaves(draft.outcome)">
            <h3>on devices of which</h3>
            <ConditionEditor v-model="draft.devices" :names="names" @named="(id, name) => (names[id] = name)" />
          </template>
          <label class="why"
            ><span>{{ leaves(draft.outcome) ? 'because' : 'a note, for others' }}</span>
            <InputText v-model="draft.reason" size="small" fluid aria-label="reason" data-reason
          /></label>
        </section>
      </div>
      <p v-if="says" class="says" role="alert">{{ says }}</p>
      <OtherChange
        v-if="form.other.value"
        :conflict="form.other.value"
        :mine="draft"
        :base="form.base.value"
        :theirs="stored()"
        :labels="{ product: 'title', records: 'records of which', devices: 'on devices of which', off: 'switched off' }"
        :say="say"
        @save="(theirs) => (form.settle(theirs), save())"
      />
      <p v-else-if="failed" class="says" role="alert">{{ failed }}</p>
      <EffectLine
        v-else-if="mayWork && ready"
        :says="leaves(draft.outcome) ? 'leaves out more:' : 'decides otherwise than before:'"
        :effect="effect"
        :press="draft.id ? 'Change this rule' : 'Make this rule'"
        @press="save"
      />
      <p v-else class="soft">
        Give it a name<template v-if="draft.outcome === 'title'"> and a title</template
        ><template v-if="leaves(draft.outcome)"> and a reason</template>: then its effect shows here.
      </p>
      <div class="row">
        <button class="plain soft" type="button" @click="open('')">close</button>
        <button v-if="form.dirty.value" class="plain soft" type="button" data-leave @click="leave">
          throw away what I typed
        </button>
      </div>
    </form>
  </div>
</template>

<style scoped>
.head {
  gap: 1rem;
}
tr.here td {
  background: var(--pick);
}
tr.off td {
  color: var(--soft);
}
td .drop {
  display: block;
}
.ends {
  gap: 0.2rem 0.7rem;
}
@media (min-width: 1100px) {
  .by,
  .ends {
    white-space: nowrap;
  }
  .ends {
    flex-wrap: nowrap;
  }
}
.edit {
  display: grid;
  gap: 0.7rem;
  margin-top: 0.9rem;
}
.parts {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 1.4rem;
  align-items: start;
}
.parts section {
  display: grid;
  gap: 0.5rem;
}
.why {
  display: grid;
  gap: 0.15rem;
}
@media (max-width: 900px) {
  .parts {
    grid-template-columns: 1fr;
  }
}
</style>
