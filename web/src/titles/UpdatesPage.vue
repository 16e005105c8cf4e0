<script setup lang="ts">
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, sendBody, type Schemas } from '../api/client'
import { count, day, moment, whole, word } from '../lib/format'
import { useKept } from '../lib/kept'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'
import TitlesNav from './TitlesNav.vue'

/**
 * A newer catalogue beside ours: what it adds and changes, taken whole or in part. What people changed here stays,
 * unless they take the file's word for it.
 */
const route = useRoute()
const router = useRouter()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const says = ref('')
const busy = ref('')
const updates = useQuery({ queryKey: ['updates'], queryFn: () => ask(api.GET('/api/catalogue/updates')) })
const open = computed(() => (updates.data.value?.updates ?? []).filter((o) => !o.closedAt))
const id = computed(() => Number(route.query.update ?? 0))
const sort = computed(() => String(route.query.sort ?? '') as '' | 'new' | 'changed' | 'conflict')
const text = ref('')
const search = refDebounced(text, 250)
const limit = ref(200)
watch([id, sort, search], () => (limit.value = 200))
const shown = useQuery({
  queryKey: ['update', id, sort, search, limit],
  queryFn: () =>
    ask(
      api.GET('/api/catalogue/updates/{id}', {
        params: { path: { id: id.value }, query: { sort: sort.value, q: search.value, limit: limit.value } },
      }),
    ),
  enabled: computed(() => id.value > 0),
  placeholderData: keepPreviousData,
  retry: false,
})
const o = computed(() => (id.value ? shown.data.value : undefined))
const go = (query: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...query } })

/** what is done about a difference where it is not the usual */
const { form: chosen, hold } = useKept(
  () => `update:${id.value}`,
  () => ({ choices: {} as Record<string, 'take' | 'keep' | 'leave'> }),
)
const choices = computed(() => chosen.value.choices)
const usual = (d: Schemas['Difference']) => (d.sort === 'conflict' ? 'leave' : 'take')
const choice = (d: Schemas['Difference']) => choices.value[d.id] ?? usual(d)
const choose = (d: Schemas['Difference'], c: 'take' | 'keep' | 'leave') => {
  if (c === usual(d)) delete choices.value[d.id]
  else choices.value[d.id] = c
}
const taking = computed<Schemas['UpdateTaking']>(() => {
  const of = (c: string) => Object.keys(choices.value).filter((k) => choices.value[k] === c)
  return { update: id.value, all: true, take: of('take'), keep: of('keep'), leave: of('leave'), dry: true }
})
const nothing = computed(() => !!o.value && !o.value.new && !o.value.changed && !o.value.conflicts)
const { effect, failed } = usePreview(
  'update-preview',
  computed(() => (o.value && !o.value.closedAt && !nothing.value ? taking.value : undefined)),
  (body, signal) => ask(api.POST('/api/catalogue/updates/take', { body, signal })),
  computed(() => shown.dataUpdatedAt.value),
)
async function act(what: () => Promise<unknown>, doing: string) {
  if (busy.value) return
  says.value = ''
  busy.value = doing
  try {
    await what()
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  } finally {
    busy.value = ''
  }
}
const take = () =>
  act(async () => {
    const taken = hold()
    await ask(api.POST('/api/catalogue/updates/take', { body: { ...taking.value, dry: false } }))
    taken()
  }, 'taking it…')
const away = () =>
  act(async () => {
    await ask(api.POST('/api/catalogue/updates/{id}/close', { params: { path: { id: id.value } } }))
    go({ update: undefined })
  }, 'putting it away…')
const starter = () =>
  act(
    async () => go({ update: String((await ask(api.POST('/api/catalogue/starter'))).id) }),
    'reading the starter catalogue…',
  )
async function bring(file: File | undefined) {
  if (!file) return
  await act(async () => {
    const made = await sendBody<{ id: number }>(`/api/catalogue/updates?file=${encodeURIComponent(file.name)}`, file)
    go({ update: String(made.id) })
  }, `reading ${file.name}…`)
}
const sorts = computed(() => [
  { key: 'conflict', text: 'changed here and there', n: o.value?.conflicts ?? 0 },
  { key: 'changed', text: 'changed there', n: o.value?.changed ?? 0 },
  { key: 'new', text: 'new there', n: o.value?.new ?? 0 },
])
const runs = computed(() => updates.data.value?.runs ?? [])
</script>

<template>
  <div class="page fill" @dragover.prevent @drop.prevent="(e) => mayWork && bring(e.dataTransfer?.files[0])">
    <TitlesNav />
    <div class="row bring">
      <label v-if="mayWork" class="chip file"
        >Compare a newer catalogue…
        <input
          type="file"
          accept=".csv,.xlsx,.json,.xml"
          data-update-file
          @change="(e) => bring((e.target as HTMLInputElement).files?.[0])"
      /></label>
      <button v-if="mayWork" class="plain" type="button" data-starter @click="starter">
        Look at the starter catalogue, made from open data
      </button>
      <span v-if="busy" class="soft" role="status">{{ busy }}</span>
      <span class="grow" />
      <span
        >Take ours along: <a href="/api/catalogue.csv" download>CSV</a> <a href="/api/catalogue.xlsx" download>XLSX</a>
        <a href="/api/catalogue.json" download>JSON</a> <a href="/api/catalogue.cyclonedx" download>CycloneDX</a></span
      >
    </div>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
    <p v-if="open.length" class="row waiting">
      <span class="soft">Being looked through:</span>
      <button
        v-for="x in open"
        :key="x.id"
        type="button"
        class="chip"
        :class="{ on: x.id === id }"
        @click="go({ update: String(x.id) })"
      >
        {{ x.file }} <span class="soft">{{ day(x.at) }}, {{ x.author }}</span>
      </button>
    </p>
    <template v-if="o && !o.closedAt">
      <div class="row">
        <h2>{{ o.file }}</h2>
        <span class="soft"
          >{{ whole(o.same) }} of {{ count(o.entries, 'title or publisher', 'titles and publishers') }} say what is
          here.</span
        >
        <button
          v-for="s in sorts"
          :key="s.key"
          type="button"
          class="chip"
          :class="{ on: sort === s.key }"
          :aria-pressed="sort === s.key"
          :data-sort="s.key"
          @click="go({ sort: sort === s.key ? undefined : s.key })"
        >
          {{ s.text }} <b>{{ whole(s.n) }}</b>
        </button>
        <InputText
          v-model="text"
          type="search"
          size="small"
          placeholder="Find in differences"
          aria-label="Find in differences"
        />
        <span class="grow" />
        <button v-if="mayWork" class="plain soft" type="button" data-update-close @click="away">put it away</button>
      </div>
      <details v-if="o.bad" class="drop">
        <summary>{{ count(o.bad.split('\n').length, 'line') }} cannot be read and stay out</summary>
        <pre>{{ o.bad }}</pre>
      </details>
      <p v-if="nothing">Nothing in it differs from ours any more.</p>
      <div v-else class="frame">
        <table class="lines">
          <thead>
            <tr>
              <th>publisher</th>
              <th>title</th>
              <th>value</th>
              <th>here</th>
              <th>in the file</th>
              <th>what to do</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="d in o.rows" :key="d.id" :class="{ out: choice(d) !== 'take' }" data-difference>
              <td>{{ d.publisher }}</td>
              <td>
                <RouterLink v-if="d.product" :to="`/titles/${d.product}`">{{ d.name }}</RouterLink><template v-else>{{
                  d.name || 'the publisher itself'
                }}</template>
              </td>
              <td>{{ d.field ? word(d.field) : 'new' }}</td>
              <td>
                <template v-if="d.field">{{ d.ours || 'unknown' }}</template>
                <b v-if="d.sort === 'conflict'" class="doubt ours">changed here</b>
              </td>
              <td class="theirs">{{ d.theirs }}</td>
              <td class="do">
                <label
                  ><input
                    type="radio"
                    :name="d.id"
                    :checked="choice(d) === 'take'"
                    :disabled="!mayWork"
                    value="take"
                    @change="choose(d, 'take')"
                  />
                  take</label
                >
                <label
                  ><input
                    type="radio"
                    :name="d.id"
                    :checked="choice(d) === 'leave'"
                    :disabled="!mayWork"
                    value="leave"
                    @change="choose(d, 'leave')"
                  />
                  not now</label
                >
                <label v-if="d.field"
                  ><input
                    type="radio"
                    :name="d.id"
                    :checked="choice(d) === 'keep'"
                    :disabled="!mayWork"
                    value="keep"
                    @change="choose(d, 'keep')"
                  />
                  keep ours</label
                >
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="o.rows.length < o.shown">
          {{ whole(o.rows.length) }} of {{ whole(o.shown) }} shown.
          <button class="plain" type="button" @click="limit = Math.min(2000, limit * 3)">Show more</button>
          <span class="soft"
            >What is not shown is taken as usual: new and changed values are, those changed here are not.</span
          >
        </p>
      </div>
      <CatalogueLine
        v-if="mayWork && !nothing"
        :effect="effect"
        :failed="failed"
        press="Take what is chosen"
        @press="take"
      />
    </template>
    <template v-else>
      <p class="soft">
        Drop a titles.csv, a workbook, a catalogue in JSON or a CycloneDX document here. It is set beside ours first;
        nothing holds until it is taken, and what people decided about names, tags and notes stays in any case.
      </p>
      <section data-runs>
        <h2>What recognising everything anew changed</h2>
        <p v-if="updates.data.value && !runs.length" class="soft">
          Nothing yet: when the catalogue or a rule changes, every name is looked at again, and what became of them
          stands here.
        </p>
        <table v-if="runs.length" class="lines">
          <thead>
            <tr>
              <th>when</th>
              <th class="num">records looked at</th>
              <th class="num">recognised by it</th>
              <th class="num">something else</th>
              <th class="num">no longer</th>
              <th class="num">installs</th>
              <th class="num">took</th>
              <th>most of it</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in runs" :key="r.id">
              <td>{{ moment(r.at) }}</td>
              <td class="num">{{ whole(r.records) }}</td>
              <td class="num">{{ whole(r.found) }}</td>
              <td class="num">{{ whole(r.moved) }}</td>
              <td class="num" :class="{ drop: r.lost }">{{ whole(r.lost) }}</td>
              <td class="num">{{ whole(r.installs) }}</td>
              <td class="num">{{ (r.tookMs / 1000).toFixed(1) }} s</td>
              <td class="soft">
                {{
                  r.detail
                    .slice(0, 3)
                    .map(
                      (d) =>
                        `${d.fromName || 'not recognised'} → ${d.toName || 'not recognised'} (${whole(d.records)})`,
                    )
                    .join('; ')
                }}
              </td>
            </tr>
          </tbody>
        </table>
      </section>
    </template>
  </div>
</template>

<style scoped>
.bring {
  padding: 0.3rem 0;
}
.bring a {
  margin-left: 0.4rem;
}
.file {
  position: relative;
  border-color: var(--here);
  overflow: hidden;
}
.file input {
  position: absolute;
  inset: 0;
  opacity: 0;
  cursor: pointer;
}
.file:focus-within {
  outline: 2px solid var(--owned);
  outline-offset: 1px;
}
.waiting {
  margin: 0;
}
.frame {
  flex: 1;
  min-height: 8rem;
  overflow: auto;
}
.out td {
  color: var(--soft);
}
.frame td {
  white-space: nowrap;
}
.frame td.theirs {
  white-space: normal;
  width: 40%;
}
.ours {
  margin-left: 0.5em;
}
.do input {
  vertical-align: -1px;
  margin: 0 0.15rem 0 0;
}
.do label + label {
  margin-left: 0.6rem;
}
pre {
  white-space: pre-wrap;
  margin: 0.2rem 0;
}
</style>
