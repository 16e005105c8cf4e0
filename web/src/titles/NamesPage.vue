<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced, useEventListener } from '@vueuse/core'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { useToast } from 'primevue/usetoast'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, readList, type Lists, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import ListFilter from '../components/ListFilter.vue'
import ListTable, { type ListColumn } from '../components/ListTable.vue'
import { count, day } from '../lib/format'
import { useListState } from '../lib/listState'
import { useSession } from '../lib/session'

/** Raw names: those nobody has decided first, by installs. One decision serves every version and spelling of the same name. */
const client = useQueryClient()
const toast = useToast()
const route = useRoute()
const router = useRouter()
const { may } = useSession()
const mayWork = may('work')
const { change } = useListState({ sort: 'installs', desc: true })
if (!route.query.f) void router.replace({ query: { ...route.query, f: ['state=unrecognised', 'installs=>0'] } })

const columns: ListColumn[] = [
  { key: 'name', label: 'raw name', fixed: true },
  { key: 'publisher', label: 'publisher', width: '24%' },
  { key: 'records', label: 'spellings', num: true, width: '5.6rem' },
  { key: 'installs', label: 'installs', num: true, width: '5.2rem' },
  { key: 'devices', label: 'devices', num: true, width: '5.2rem' },
  { key: 'stale', label: 'stale', num: true, width: '4.6rem' },
  { key: 'state', label: 'state', width: '8.2rem' },
]
const key = computed(() => String(route.query.key ?? ''))
const open = (k: string) => change({ key: k || undefined })
const name = useQuery({
  queryKey: ['name', key],
  queryFn: () => ask(api.GET('/api/names/one', { params: { query: { key: key.value } } })),
  enabled: computed(() => key.value !== ''),
})
const n = computed(() => (key.value ? name.data.value : undefined))

const text = ref('')
const late = refDebounced(text, 150)
const others = useQuery({
  queryKey: ['choose', late],
  queryFn: () => readList('products', { q: late.value, sort: 'product' }, '', 8),
  enabled: computed(() => late.value.trim().length > 1),
})
const picked = ref<{ product: number; edition: string; text: string }>()
watch(key, () => {
  picked.value = undefined
  text.value = ''
  adding.value = false
  says.value = ''
})
const choices = computed(() => {
  const list = (n.value?.proposals ?? []).map((p) => ({
    product: p.product,
    edition: p.edition,
    text: `${p.publisher} ${p.name} ${p.edition}`.trim(),
    detail: `shares ${p.shared.join(' ')}` + (p.missing.length ? `, lacks ${p.missing.join(' ')}` : ''),
  }))
  const more = (others.data.value?.rows ?? [])
    .filter((p) => !list.some((l) => l.product === p.id))
    .map((p: Lists['products']) => ({
      product: p.id,
      edition: '',
      text: `${p.publisher} ${p.product}`,
      detail: p.category,
    }))
  return late.value.trim() ? more : list
})
const decision = computed(() =>
  picked.value ? { key: key.value, product: picked.value.product, edition: picked.value.edition, note: '' } : undefined,
)
const effect = useQuery({
  queryKey: ['preview', decision],
  queryFn: () => ask(api.POST('/api/names/preview', { body: decision.value! })),
  enabled: computed(() => !!decision.value && mayWork.value),
  staleTime: 0,
})
const says = ref('')
const table = ref<{ rows: Lists['names'][] }>()
function next() {
  const rows = table.value?.rows ?? []
  const i = rows.findIndex((r) => r.key === key.value)
  open(rows[i + 1]?.key ?? rows.find((r) => r.key !== key.value)?.key ?? '')
}
async function press() {
  if (!decision.value) return
  const done = decision.value
  try {
    const e: Schemas['Effect'] = await ask(api.POST('/api/names/decide', { body: done }))
    toast.add({
      severity: 'success',
      summary: `Decided for ${count(e.installs, 'install')}`,
      detail: 'It holds for every later import. Take it back on the name’s own page.',
      life: 5000,
    })
    next()
    await client.invalidateQueries({ queryKey: ['list'] })
    await client.invalidateQueries({ queryKey: ['status'] })
  } catch (e) {
    says.value = (e as Error).message
  }
}
async function takeBack() {
  try {
    await ask(api.POST('/api/names/withdraw', { body: { key: key.value } }))
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
const nothing = { product: 0, edition: '', text: 'not software that counts' }

const adding = ref(false)
const fresh = ref({ publisher: '', product: '', category: '', model: 'commercial' as const })
function startAdding() {
  const r = n.value?.records[0]
  fresh.value = { publisher: r?.publisher ?? '', product: r?.name ?? '', category: '', model: 'commercial' }
  adding.value = true
}
async function addTitle() {
  try {
    const { product } = await ask(api.POST('/api/titles', { body: fresh.value }))
    picked.value = { product, edition: '', text: `${fresh.value.publisher} ${fresh.value.product}` }
    adding.value = false
  } catch (e) {
    says.value = (e as Error).message
  }
}
useEventListener(window, 'keydown', (e: KeyboardEvent) => {
  if (['INPUT', 'TEXTAREA', 'SELECT'].includes((e.target as HTMLElement).tagName) || e.ctrlKey || e.metaKey || e.altKey)
    return
  if (e.key === 'Escape') open('')
  if (!n.value || !mayWork.value) return
  if (e.key === 'n') next()
  else if (e.key === 'x') picked.value = nothing
  else if (e.key === 'a') {
    const first = choices.value[0]
    if (!picked.value && first) picked.value = first
    else if (picked.value) void press()
  }
})
</script>

<template>
  <div class="page two">
    <ListTable
      ref="table"
      name="names"
      :columns="columns"
      sort="installs"
      desc
      what="names"
      row-key="key"
      :current="key"
      empty="No names yet: they come with installs.csv."
      @open="(r) => open(r.key)"
    >
      <template #title><h1>Names</h1></template>
      <template #filters>
        <ListFilter
          column="state"
          label="state"
          any="any state"
          :options="['unrecognised', { label: 'decided by a person', value: 'decided' }, 'recognised']"
        />
      </template>
      <template #actions><RouterLink to="/titles">Titles</RouterLink></template>
      <template #cell-state="{ row }"
        ><span :class="{ drop: row.state === 'unrecognised' }">{{ row.state }}</span></template
      >
    </ListTable>
    <aside v-if="key" class="sheet pane" aria-label="The open name">
      <p v-if="name.error.value" class="says">{{ name.error.value.message }}</p>
      <template v-if="n">
        <div class="row">
          <h2 class="grow">{{ n.records[0]?.name }}</h2>
          <button class="plain" type="button" @click="open('')">close</button>
        </div>
        <p class="soft">
          {{ n.records[0]?.publisher || 'no publisher' }} · {{ count(n.records.length, 'spelling') }}:
          {{
            n.records
              .slice(0, 4)
              .map((r) => `${r.name} ${r.version}`.trim())
              .join('; ')
          }}<template v-if="n.records.length > 4"> …</template>
        </p>
        <div v-if="n.decision" class="decided">
          Decided: <b>{{ n.decision.name || 'not software that counts' }} {{ n.decision.edition }}</b
          >, by {{ n.decision.author }} on {{ day(n.decision.at) }}.
          <button v-if="mayWork" class="plain" type="button" data-take-back @click="takeBack">Take this back</button>
        </div>
        <template v-else-if="mayWork">
          <h3>What is it?</h3>
          <InputText
            v-model="text"
            size="small"
            fluid
            type="search"
            placeholder="Find another title"
            aria-label="Find another title"
            data-find-title
          />
          <ul class="choices">
            <li v-for="(c, i) in choices" :key="c.product">
              <button
                type="button"
                :class="{ on: picked?.product === c.product }"
                :data-choice="c.product"
                @click="picked = c"
              >
                <kbd v-if="i === 0 && !text">a</kbd> {{ c.text }} <span class="soft">{{ c.detail }}</span>
              </button>
            </li>
            <li>
              <button type="button" :class="{ on: picked?.product === 0 }" @click="picked = nothing">
                <kbd>x</kbd> Not software that counts
              </button>
            </li>
            <li><button type="button" @click="startAdding">A title that the catalogue lacks…</button></li>
          </ul>
          <form v-if="adding" class="adding" @submit.prevent="addTitle">
            <label>publisher <InputText v-model="fresh.publisher" size="small" /></label>
            <label>product <InputText v-model="fresh.product" size="small" /></label>
            <label>category <InputText v-model="fresh.category" size="small" /></label>
            <label
              >licence model
              <Select
                v-model="fresh.model"
                :options="['commercial', 'free', 'open_source', 'trial', 'in_house']"
                size="small"
            /></label>
            <Button type="submit" label="Add this title" size="small" />
          </form>
          <EffectLine
            v-if="picked"
            :says="`${picked.text}:`"
            :effect="effect.data.value"
            :failed="effect.error.value?.message"
            press="Decide"
            @press="press"
          />
        </template>
        <p v-else class="soft">Deciding names needs the role “work”.</p>
        <p v-if="says" class="says" role="alert">{{ says }}</p>
        <details>
          <summary>How it was looked at</summary>
          <ol>
            <li v-for="(s, i) in n.trace" :key="i">
              <b>{{ s.step }}</b> <span class="soft">{{ s.lookedAt }}</span> {{ s.outcome }}
            </li>
          </ol>
        </details>
        <p class="soft">
          {{ count(n.records.length, 'record') }}:
          <RouterLink v-for="r in n.records.slice(0, 12)" :key="r.id" :to="`/position?trail=r${r.id}`" class="rec">{{
            r.id
          }}</RouterLink>
        </p>
      </template>
    </aside>
  </div>
</template>

<style scoped>
.two {
  display: flex;
  gap: 1.2rem;
  overflow: hidden;
}
.pane {
  width: 27rem;
  overflow: auto;
  border-left: 3px solid var(--here);
}
.choices {
  list-style: none;
  padding: 0;
  margin: 0.4rem 0;
}
.choices button {
  width: 100%;
  text-align: left;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--line);
  padding: 0.3rem 0.3rem;
  cursor: pointer;
}
.choices button.on {
  background: var(--pick);
  box-shadow: inset 3px 0 var(--here);
}
.adding {
  display: grid;
  gap: 0.3rem;
}
.adding label {
  display: grid;
  grid-template-columns: 7rem 1fr;
  align-items: center;
}
.decided {
  background: var(--pick);
  padding: 0.4rem 0.6rem;
}
ol {
  padding-left: 1rem;
  overflow-wrap: anywhere;
}
.rec {
  margin-right: 0.5em;
}
</style>
