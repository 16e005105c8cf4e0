<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import MultiSelect from 'primevue/multiselect'
import { computed, ref } from 'vue'
import { api, ask, readList, type Schemas } from '../api/client'
import TitlePick from '../components/TitlePick.vue'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import { useDraft } from '../lib/draft'
import { count, day } from '../lib/format'
import PersonPick from './PersonPick.vue'

/** Gives a seat to somebody, keeps who waits, and gives somebody new all that his role has at once. */
const props = defineProps<{ waiting: Schemas['WaitRow'][]; mayWork: boolean }>()
const emit = defineEmits<{ run: [what: () => Promise<unknown>] }>()
const product = ref(0)
const name = ref('')
const user = ref('')
const said = ref('')
const full = ref(false)
const free = useQuery({
  queryKey: ['free-seats', product],
  queryFn: () => ask(api.GET('/api/products/{id}/seats', { params: { path: { id: product.value } } })),
  enabled: computed(() => product.value > 0),
})
async function give() {
  said.value = ''
  full.value = false
  try {
    const g = await ask(
      api.POST('/api/seats/assign', { body: { product: product.value, line: '', user: user.value, device: '' } }),
    )
    said.value = `A seat of ${g.line} is given.`
    emit('run', async () => undefined)
  } catch (e) {
    said.value = (e as Error).message
    full.value = said.value.includes('no seat')
  }
}
async function wait() {
  const body = { product: product.value, user: user.value, note: '' }
  full.value = false
  said.value = ''
  try {
    await ask(api.POST('/api/waiting', { body }))
    said.value = 'On the list.'
    emit('run', async () => undefined)
  } catch (e) {
    said.value = (e as Error).message
  }
}
const byProduct = computed(() => {
  const out = new Map<number, { name: string; rows: Schemas['WaitRow'][] }>()
  for (const w of props.waiting) {
    const g = out.get(w.productId) ?? { name: w.product, rows: [] }
    g.rows.push(w)
    out.set(w.productId, g)
  }
  return [...out.entries()]
})
const sets = useQuery({ queryKey: ['starter-sets'], queryFn: () => ask(api.GET('/api/starter-sets')) })
const newcomer = ref('')
const started = ref<Schemas['Started']>()
const dry = ref(0)
async function start(set: number, really: boolean) {
  try {
    started.value = await ask(
      api.POST('/api/starter-sets/{id}/give', {
        params: { path: { id: set } },
        body: { user: newcomer.value, wait: really, dry: !really },
      }),
    )
    dry.value = really ? 0 : set
    if (really) emit('run', async () => undefined)
  } catch (e) {
    said.value = (e as Error).message
  }
}
/** The set that is open: its number, or new; empty is none. */
const chosen = ref('')
function stored(): Omit<Schemas['StarterSet'], 'author' | 'at'> | undefined {
  if (chosen.value === 'new') return { id: 0, revision: 0, name: '', note: '', products: [] }
  const s = sets.data.value?.find((x) => String(x.id) === chosen.value)
  return s && { id: s.id, revision: s.revision, name: s.name, note: s.note, products: [...s.products] }
}
const form = useDraft(() => chosen.value && `starter-set:${chosen.value}`, stored)
const draft = form.draft
const titles = ref<{ id: number; label: string }[]>([])
async function openSet(s?: Schemas['StarterSet']) {
  const page = await readList('products', { sort: 'devices', desc: true }, '', 400)
  titles.value = page.rows.map((r) => ({ id: r.id, label: `${r.publisher} ${r.product}` }))
  chosen.value = s ? String(s.id) : 'new'
}
async function keepSet() {
  if (await form.save((d) => ask(api.POST('/api/starter-sets', { body: { ...d, author: '', at: 0 } })))) {
    chosen.value = ''
  }
}
</script>

<template>
  <aside class="sheet desk">
    <template v-if="mayWork">
      <h2>Give a seat</h2>
      <div class="form">
        <TitlePick
          :model-value="product"
          :name="name"
          @update:model-value="
            (id: number, n: string) => {
              product = id
              name = n
            }
          "
        />
        <PersonPick label="to whom" @choose="(c) => (user = c)" />
        <p v-for="f in free.data.value ?? []" :key="f.line" class="soft small">
          {{ f.line }}: {{ f.free }} of {{ f.effective }} free, {{ f.terms }}
        </p>
        <p v-if="free.data.value && !free.data.value.length" class="drop small">
          No line of it gives seats to users today.
        </p>
        <div class="row">
          <Button label="Give it" size="small" :disabled="!product || !user" data-give @click="give" />
          <button v-if="full" class="plain" type="button" data-wait @click="wait">put on the list</button>
        </div>
        <p v-if="said" role="status">{{ said }}</p>
      </div>
    </template>
    <h2>Who waits</h2>
    <p v-if="!waiting.length" class="soft">Nobody waits for a seat.</p>
    <section v-for="[id, g] in byProduct" :key="id" data-waiting>
      <h3>
        {{ g.name }}
        <button
          v-if="mayWork"
          class="plain"
          type="button"
          @click="emit('run', () => ask(api.POST('/api/products/{id}/give-seats', { params: { path: { id } } })))"
        >
          give what is free
        </button>
      </h3>
      <ol>
        <li v-for="w in g.rows" :key="w.id">
          <RouterLink :to="`/entitlements/held/${encodeURIComponent(w.user)}`">{{ w.userName }}</RouterLink>
          <span class="soft gap">since {{ day(w.since) }}{{ w.note ? ', ' + w.note : '' }}</span>
          <button
            v-if="mayWork"
            class="plain"
            type="button"
            @click="emit('run', () => ask(api.POST('/api/waiting/{id}/end', { params: { path: { id: w.id } } })))"
          >
            take off
          </button>
        </li>
      </ol>
    </section>
    <h2>For somebody new</h2>
    <PersonPick v-if="mayWork" label="who is new" @choose="(c) => (newcomer = c)" />
    <div v-for="s in sets.data.value ?? []" :key="s.id" class="set">
      <b>{{ s.name }}</b>
      <span class="soft gap">{{ count(s.products.length, 'title') }}{{ s.note ? ', ' + s.note : '' }}</span>
      <template v-if="mayWork">
        <button class="plain" type="button" :disabled="!newcomer" @click="start(s.id, false)">look what is free</button>
        <button class="plain" type="button" @click="openSet(s)">change</button>
      </template>
      <div v-if="started && dry === s.id" class="row">
        <Button
          :label="`Give ${started.given.length} and wait for ${started.missing.length}`"
          size="small"
          @click="start(s.id, true)"
        />
      </div>
    </div>
    <ul v-if="started" data-started>
      <li v-for="g in started.given" :key="g.product">
        {{ g.product }}: {{ dry ? 'free in' : 'given from' }} {{ g.line }}
      </li>
      <li v-for="m in started.missing" :key="m.productId" class="short">
        {{ m.product }}: {{ m.why }}{{ m.waits ? ', on the list' : '' }}
      </li>
    </ul>
    <button v-if="mayWork" class="plain" type="button" @click="openSet()">a new set for a role</button>
    <form v-if="draft" class="form" @submit.prevent="keepSet">
      <InputText v-model="draft.name" size="small" placeholder="the role" />
      <InputText v-model="draft.note" size="small" placeholder="note" />
      <MultiSelect
        v-model="draft.products"
        :options="titles"
        option-label="label"
        option-value="id"
        filter
        size="small"
        :max-selected-labels="2"
        placeholder="titles"
      />
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
        @save="(theirs) => (form.settle(theirs), keepSet())"
      />
      <p v-if="form.says.value" role="status" data-says>{{ form.says.value }}</p>
      <div class="row">
        <Button
          type="submit"
          :label="draft.id && !draft.products.length ? 'Take the set away' : 'Keep the set'"
          size="small"
          :disabled="!draft.name"
          :loading="form.busy.value"
        />
        <button class="plain" type="button" @click="chosen = ''">close</button>
      </div>
    </form>
  </aside>
</template>

<style scoped>
.desk {
  flex: 0 0 25rem;
  overflow: auto;
}
.form {
  display: grid;
  gap: 0.35rem;
  margin: 0.3rem 0 0.6rem;
}
h2 {
  margin: 0.7rem 0 0.2rem;
}
h2:first-child {
  margin-top: 0;
}
h3 {
  margin-top: 0.4rem;
}
ol {
  margin: 0.2rem 0;
  padding-left: 1.3rem;
}
p {
  margin: 0.15rem 0;
}
.small {
  font-size: 0.9rem;
}
.set {
  margin: 0.35rem 0;
}
.set .plain,
li .plain,
h3 .plain {
  margin-left: 0.5rem;
  font-weight: 400;
}
</style>
