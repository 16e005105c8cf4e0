<script setup lang="ts">
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
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
const measures = ref<Measure[]>(fromLink())
const name = ref('')
const note = ref('')
watch(
  scenario,
  (b) => {
    if (!b || route.query.m) return
    measures.value = structuredClone(b.measures.map((m) => ({ ...m })))
    name.value = b.name
    note.value = b.note
  },
  { immediate: true },
)
// The address holds what is being tried, so that a link shows a colleague the same.
const dirty = computed(() => !!route.query.m)
function keepInLink() {
  void router.replace({ query: { ...route.query, m: JSON.stringify(measures.value) } })
}
function add(m: Measure) {
  measures.value = [...measures.value, m]
  keepInLink()
}
function drop(i: number) {
  measures.value = measures.value.filter((_, k) => k !== i)
  keepInLink()
}
const late = refDebounced(measures, 150)
const tried = useQuery({
  queryKey: ['tried', late],
  queryFn: ({ signal }) => ask(api.POST('/api/scenarios/try', { body: { measures: late.value }, signal })),
  placeholderData: keepPreviousData,
  retry: false,
})
const t = computed(() => tried.data.value)
const says = ref('')
const done = ref<Schemas['ScenarioDone']>()
function open(id?: number) {
  done.value = undefined
  says.value = ''
  if (!id) {
    measures.value = []
    name.value = note.value = ''
  }
  void router.replace({ query: id ? { scenario: String(id) } : {} })
}
async function save() {
  says.value = ''
  try {
    const b = scenario.value
    const saved = await ask(
      api.POST('/api/scenarios', {
        body: {
          id: b && !b.doneAt ? b.id : 0,
          version: b?.version ?? 0,
          name: name.value,
          note: note.value,
          measures: measures.value,
          author: '',
          at: 0,
          changedAt: 0,
          doneAt: 0,
          doneBy: '',
        },
      }),
    )
    await client.invalidateQueries({ queryKey: ['scenarios'] })
    void router.replace({ query: { scenario: String(saved.id) } })
    return saved
  } catch (e) {
    says.value = (e as Error).message
  }
}
async function turn() {
  const b = dirty.value || !scenario.value ? await save() : scenario.value
  if (!b) return
  try {
    done.value = await ask(
      api.POST('/api/scenarios/{id}/do', { params: { path: { id: b.id } }, body: { version: b.version } }),
    )
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
async function away(id: number) {
  try {
    await ask(api.POST('/api/scenarios/{id}/drop', { params: { path: { id } } }))
    open()
    await client.invalidateQueries({ queryKey: ['scenarios'] })
  } catch (e) {
    says.value = (e as Error).message
  }
}
const requests = useQuery({ queryKey: ['requests'], queryFn: () => ask(api.GET('/api/purchase-requests')) })
async function end(id: number, how: 'bought' | 'dropped') {
  try {
    await ask(api.POST('/api/purchase-requests/{id}/end', { params: { path: { id } }, body: { how } }))
    await client.invalidateQueries({ queryKey: ['requests'] })
  } catch (e) {
    says.value = (e as Error).message
  }
}
const waiting = computed(() => requests.data.value?.filter((r) => !r.endedAt) ?? [])
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
        <form v-if="mayWork && !scenario?.doneAt && measures.length" class="keep" @submit.prevent="save">
          <label>name <InputText v-model="name" size="small" name="scenario" @input="keepInLink" /></label>
          <label>note <InputText v-model="note" size="small" /></label>
          <div class="row">
            <Button type="submit" label="Keep the scenario" size="small" severity="secondary" :disabled="!name" />
            <button v-if="scenario" class="plain" type="button" @click="away(scenario.id)">put it away</button>
          </div>
        </form>
        <p v-if="scenario" class="soft">
          {{ scenario.note }} {{ scenario.author }}, {{ day(scenario.changedAt)
          }}<template v-if="scenario.doneAt"
            >; turned into work by {{ scenario.doneBy }} on {{ day(scenario.doneAt) }}</template
          >.
        </p>
        <p v-if="says" class="says" role="alert">{{ says }}</p>
        <p v-if="done" role="status" data-scenario-done>
          Turned into {{ count(done.cases, 'case')
          }}<template v-if="done.seats">, {{ count(done.seats, 'seat') }} handed back</template
          ><template v-if="done.requests"> and {{ count(done.requests, 'purchase request') }}</template
          >.
          <RouterLink v-if="done.cases" to="/worklist?f=kind%3Dplanned">To the cases</RouterLink>
          <template v-for="l in done.left" :key="l"
            ><br /><span class="soft">To be done elsewhere: {{ l }}.</span></template
          >
        </p>
      </div>
      <TriedEffect v-if="t" :tried="t" :busy="tried.isFetching.value">
        <Button
          v-if="mayWork && measures.length && !scenario?.doneAt && !done"
          label="Turn it into work"
          size="small"
          :disabled="!name"
          :title="name ? '' : 'Give the scenario a name first'"
          data-turn
          @click="turn"
        />
      </TriedEffect>
      <p v-else-if="tried.error.value" class="says">{{ tried.error.value.message }}</p>
    </div>
    <section v-if="waiting.length">
      <h2>Asked to be bought</h2>
      <table class="lines">
        <tbody>
          <tr v-for="r in waiting" :key="r.id">
            <td>{{ r.what }}</td>
            <td class="num">{{ money(r.amount) }} {{ r.currency }}</td>
            <td>{{ r.author }}, {{ day(r.at) }}</td>
            <td v-if="mayWork">
              <button class="plain" type="button" @click="end(r.id, 'bought')">bought</button> ·
              <button class="plain" type="button" @click="end(r.id, 'dropped')">not any more</button>
            </td>
          </tr>
        </tbody>
      </table>
    </section>
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
section {
  margin-top: 1.2rem;
  max-width: 60rem;
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: 1fr;
  }
}
</style>
