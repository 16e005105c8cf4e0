<script setup lang="ts">
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import SureButton from '../components/SureButton.vue'
import { useAct } from '../lib/act'
import { useDraft } from '../lib/draft'
import { count, day, money, whole } from '../lib/format'
import { useSession } from '../lib/session'
import MeasureForm from './MeasureForm.vue'
import PositionNav from './PositionNav.vue'
import TriedEffect from './TriedEffect.vue'

/**
 * A scenario of measures: what they would do to the positions and the money, live, before anybody does them. It can be
 * kept, shared, and turned into work.
 */
type Measure = Schemas['Measure']
const route = useRoute()
const router = useRouter()
const client = useQueryClient()
const mayWork = useSession().may('work')
const scenarios = useQuery({ queryKey: ['scenarios'], queryFn: () => ask(api.GET('/api/scenarios')) })
const chosen = computed(() => Number(route.query.scenario ?? 0))
const scenario = computed(() => scenarios.data.value?.find((b) => b.id === chosen.value))
const fromLink = (): Measure[] => {
  try {
    return route.query.m ? (JSON.parse(String(route.query.m)) as Measure[]) : []
  } catch {
    return []
  }
}
interface Draft {
  id: number
  revision: number
  name: string
  note: string
  measures: Measure[]
}
const stored = (): Draft | undefined => {
  if (!chosen.value) return { id: 0, revision: 0, name: '', note: '', measures: [] }
  const b = scenario.value
  return b && { id: b.id, revision: b.revision, name: b.name, note: b.note, measures: b.measures }
}
const form = useDraft<Draft>(() => `scenario:${chosen.value || 'new'}`, stored)
const draft = form.draft
const says = ref('')
const measures = computed(() => draft.value?.measures ?? [])
// The address holds what is being tried, so that a link shows a colleague the same.
watch(
  [draft, () => route.query.m],
  ([d, m]) => {
    if (d && m && JSON.stringify(d.measures) !== m) d.measures = fromLink()
  },
  { immediate: true },
)
function put(list: Measure[]) {
  if (!draft.value) return
  draft.value.measures = list
  void router.replace({ query: { ...route.query, m: JSON.stringify(list) } })
}
const add = (m: Measure) => put([...measures.value, m])
const drop = (i: number) => put(measures.value.filter((_, k) => k !== i))
const late = refDebounced(measures, 150)
const tried = useQuery({
  queryKey: ['tried', late],
  queryFn: ({ signal }) => ask(api.POST('/api/scenarios/try', { body: { measures: late.value }, signal })),
  placeholderData: keepPreviousData,
  retry: false,
})
const t = computed(() => tried.data.value)
const done = ref<Schemas['ScenarioDone']>()
function open(id?: number) {
  done.value = undefined
  says.value = ''
  if (!id && !chosen.value) form.discard()
  void router.replace({ query: id ? { scenario: String(id) } : {} })
}
async function save(): Promise<Schemas['Scenario'] | undefined> {
  let saved: Schemas['Scenario'] | undefined
  const kept = await form.save(async ({ id, revision, name, note, measures }) => {
    const body = { id, revision, name, note, measures, author: '', at: 0, changedAt: 0, doneAt: 0, doneBy: '' }
    saved = await ask(api.POST('/api/scenarios', { body }))
  })
  if (!kept || !saved) return undefined
  if (!chosen.value) form.discard()
  await client.invalidateQueries({ queryKey: ['scenarios'] })
  void router.replace({ query: { scenario: String(saved.id) } })
  return saved
}
const { busy, says: refused, act } = useAct()
async function turn() {
  const b = form.dirty.value || !scenario.value ? await save() : scenario.value
  if (!b) return
  await act(async () => {
    const body = { revision: b.revision }
    done.value = await ask(api.POST('/api/scenarios/{id}/do', { params: { path: { id: b.id } }, body }))
  })
}
async function away(id: number, revision: number) {
  const gone = await act(() =>
    ask(api.POST('/api/scenarios/{id}/drop', { params: { path: { id } }, body: { revision } })),
  )
  if (!gone) return
  form.discard()
  open()
}
/** What a scenario became, in words. */
const became = (d: Schemas['ScenarioDone']) =>
  [
    d.cases && count(d.cases, 'removal'),
    d.seats && `${count(d.seats, 'seat')} handed back`,
    d.requests && `${count(d.requests, 'case')} of what is to be bought or done elsewhere`,
  ]
    .filter(Boolean)
    .join(', ') || 'nothing: it is on its way already'
/** How the measures of a scenario are said where two people changed it. */
const sayMeasures = (field: string, v: unknown) =>
  field === 'measures' ? (v as Measure[]).map((m) => `${m.kind} ${m.quantity ?? ''}`.trim()).join(', ') : undefined
/** What a measure does, in words. */
function outcome(m: Schemas['TriedMeasure']) {
  const change = (n: number, of: string) => (n ? `${whole(Math.abs(n))} ${n > 0 ? 'more' : 'fewer'} ${of}` : '')
  return [
    change(m.short, 'short'),
    change(m.surplus, 'spare'),
    Number(m.cost) ? `costs ${money(m.cost)} ${m.currency}` : '',
    Number(m.saves) ? `saves ${money(m.saves)} ${m.currency} at renewal` : '',
  ]
    .filter(Boolean)
    .join(', ')
}
</script>

<template>
  <div class="page">
    <PositionNav />
    <div class="row head">
      <h1>Measures to try</h1>
      <button type="button" class="chip" :class="{ on: !chosen }" @click="open()">a new scenario</button>
      <button
        v-for="b in scenarios.data.value ?? []"
        :key="b.id"
        type="button"
        class="chip"
        :class="{ on: b.id === chosen }"
        data-scenario
        @click="open(b.id)"
      >
        {{ b.name }}<span v-if="b.doneAt" class="soft">, done</span>
      </button>
    </div>
    <div class="cols">
      <div class="left">
        <ol class="measures" data-measures>
          <li v-for="(m, i) in measures" :key="i" class="measure">
            <span class="words">{{ t?.measures[i]?.words ?? m.kind }}</span>
            <span v-if="t?.measures[i]?.error" class="says">: {{ t.measures[i].error }}</span>
            <span v-else-if="t?.measures[i]" class="soft">{{ outcome(t.measures[i]) }}</span>
            <button v-if="!scenario?.doneAt" class="plain" type="button" @click="drop(i)">take out</button>
          </li>
          <li v-if="!measures.length" class="soft empty">
            Nothing is being tried. Choose a title and something that could be done about it; nothing here changes
            anything until it is turned into work.
          </li>
        </ol>
        <MeasureForm
          v-if="!scenario?.doneAt"
          :product="Number(route.query.product ?? measures[0]?.product ?? 0)"
          @add="add"
        />
        <form v-if="mayWork && draft && !scenario?.doneAt && measures.length" class="keep" @submit.prevent="save">
          <label>name <InputText v-model="draft.name" size="small" name="scenario" /></label>
          <label>note <InputText v-model="draft.note" size="small" /></label>
          <DraftKept
            :kept="form.kept.value"
            :dirty="form.dirty.value"
            :others="form.others.value"
            @discard="(open(chosen || undefined), form.discard())"
          />
          <OtherChange
            v-if="form.other.value"
            :conflict="form.other.value"
            :mine="draft"
            :base="form.base.value"
            :theirs="stored()"
            :say="sayMeasures"
            @save="(theirs) => (form.settle(theirs), save())"
          />
          <div v-else class="row">
            <Button
              type="submit"
              label="Keep the scenario"
              size="small"
              severity="secondary"
              :disabled="!draft.name"
              :loading="form.busy.value"
            />
            <SureButton
              v-if="scenario"
              label="put it away"
              :ask="`Put “${scenario.name}” away for good?`"
              sure="put it away"
              :busy="busy"
              @sure="away(scenario.id, scenario.revision)"
            />
          </div>
        </form>
        <p v-if="scenario" class="soft">
          {{ scenario.note }} {{ scenario.author }}, {{ day(scenario.changedAt)
          }}<template v-if="scenario.doneAt"
            >; turned into work by {{ scenario.doneBy }} on {{ day(scenario.doneAt) }}</template
          >.
        </p>
        <p v-if="form.says.value || refused || says" class="says" role="alert">
          {{ form.says.value || refused || says }}
        </p>
        <p v-if="done" role="status" data-scenario-done>
          Turned into {{ became(done) }}.
          <RouterLink
            v-if="done.cases || done.requests"
            to="/worklist?f=kind%3Dplanned%7Cpurchase%7Celsewhere&f=ended%3D0"
            >To the cases</RouterLink
          >
        </p>
      </div>
      <TriedEffect v-if="t" :tried="t" :busy="tried.isFetching.value">
        <Button
          v-if="mayWork && measures.length && !scenario?.doneAt && !done"
          label="Turn it into work"
          size="small"
          :disabled="!draft?.name || busy"
          :title="draft?.name ? '' : 'Give the scenario a name first'"
          data-turn
          @click="turn"
        />
      </TriedEffect>
      <p v-else-if="tried.error.value" class="says">{{ tried.error.value.message }}</p>
    </div>
  </div>
</template>

<style scoped>
.cols {
  display: grid;
  grid-template-columns: minmax(22rem, 2fr) 3fr;
  gap: 1.6rem;
}
.measures {
  margin: 0 0 0.6rem;
  padding-left: 1.3rem;
}
.measures li {
  padding: 0.15rem 0;
}
.empty {
  list-style: none;
  margin-left: -1.3rem;
}
.words {
  font-weight: 600;
  margin-right: 0.6rem;
}
.measure .plain {
  margin-left: 0.6rem;
}
.keep {
  display: grid;
  gap: 0.3rem;
  margin: 0.8rem 0;
}
.keep label {
  display: grid;
  grid-template-columns: 4rem 1fr;
  align-items: center;
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: 1fr;
  }
}
</style>
