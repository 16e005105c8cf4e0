<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced, useEventListener } from '@vueuse/core'
import InputText from 'primevue/inputtext'
import { computed, nextTick, ref, watch } from 'vue'
import { api, ask, Problem, readList, type Lists, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import KeyHint from '../components/KeyHint.vue'
import { count, day, moment } from '../lib/format'
import { useHere } from '../lib/here'
import { hintOf, key, useKeys } from '../lib/keys'
import NewTitle from './NewTitle.vue'
import ProposalWords from './ProposalWords.vue'

/**
 * One raw name, and what a person makes of it: one of the proposals, another title, a new one, nothing that counts, a
 * rule, or later.
 */
const props = defineProps<{ nameKey: string; others: Lists['names'][]; mayWork: boolean }>()
const emit = defineEmits<{
  close: []
  decided: [effect: Schemas['Effect'], keys: string[]]
  aside: [keys: string[]]
}>()
const client = useQueryClient()
const name = useQuery({
  queryKey: ['name', computed(() => props.nameKey)],
  queryFn: () => ask(api.GET('/api/names/one', { params: { query: { key: props.nameKey } } })),
})
const n = computed(() => (name.data.value?.key === props.nameKey ? name.data.value : undefined))

const text = ref('')
const late = refDebounced(text, 150)
const found = useQuery({
  queryKey: ['choose', late],
  queryFn: () => readList('products', { q: late.value, sort: 'devices', desc: true }, '', 8),
  enabled: computed(() => late.value.trim().length > 1),
})
interface Choice {
  product: number
  edition: string
  text: string
  detail?: string
  proposal?: Schemas['ProposalView']
}
const picked = ref<Choice>()
const along = ref(true)
const adding = ref(false)
const again = ref(false)
const pressed = ref(false)
const says = ref('')
watch(
  () => props.nameKey,
  () => {
    picked.value = undefined
    text.value = ''
    adding.value = again.value = pressed.value = false
    says.value = ''
  },
)
const company = useHere(
  () => (props.mayWork ? `name:${props.nameKey}`.slice(0, 200) : ''),
  () => !!picked.value,
)
const choices = computed<Choice[]>(() => {
  if (late.value.trim().length > 1)
    return (found.data.value?.rows ?? []).map((p: Lists['products']) => ({
      product: p.id,
      edition: '',
      text: `${p.publisher} ${p.product}`,
      detail: p.category,
    }))
  return (n.value?.proposals ?? []).map((p) => ({
    product: p.product,
    edition: p.edition,
    text: `${p.publisher} ${p.name} ${p.edition}`.trim(),
    detail: p.category,
    proposal: p,
  }))
})
const nothing: Choice = { product: 0, edition: '', text: 'not software that counts' }
const similar = computed(() => (n.value?.similar ?? []).filter((s) => !props.others.some((o) => o.key === s.key)))
/** The names that a decision is about, each as it was seen. */
const about = computed(() => {
  const all = [...props.others, ...(along.value ? similar.value : [])]
  return {
    keys: [props.nameKey, ...all.map((s) => s.key)],
    revisions: [n.value?.revision ?? 0, ...all.map((s) => s.revision)],
  }
})
const keys = computed(() => about.value.keys)
const decision = computed(() =>
  picked.value && n.value
    ? { ...about.value, product: picked.value.product, edition: picked.value.edition, note: '' }
    : undefined,
)
const effect = useQuery({
  queryKey: ['preview', decision],
  queryFn: () => ask(api.POST('/api/names/preview', { body: decision.value! })),
  enabled: computed(() => !!decision.value && props.mayWork),
  staleTime: 0,
  gcTime: 0,
})
const busy = ref(false)
/** Does one thing at a time with the names; where somebody else did something with one of them, that is said. */
async function once(what: () => Promise<void>) {
  if (busy.value) return
  busy.value = true
  says.value = ''
  try {
    await what()
  } catch (e) {
    says.value = meanwhile(e) ?? (e as Error).message
    if (e instanceof Problem && e.conflict) void client.invalidateQueries()
  } finally {
    busy.value = false
  }
}
function meanwhile(e: unknown): string | undefined {
  if (!(e instanceof Problem) || !e.conflict) return undefined
  const { who, at, thing, changed } = e.conflict
  const words = { decided: 'decided', waits: 'waits to be signed off', setAside: 'set aside until', note: 'note' }
  const of = thing === props.nameKey ? 'this name' : `“${thing}”, which goes along`
  const what = changed
    .map((c) => `${words[c.field as keyof typeof words] ?? c.field}: ${String(c.is || 'no longer')}`)
    .join(', ')
  return `${who} was at ${of} on ${moment(at)}: ${what}. Nothing was changed; look at it as it is now, and decide again.`
}
async function press() {
  if (!decision.value) return
  const body = decision.value
  pressed.value = false
  await once(async () => {
    const e = await ask(api.POST('/api/names/decide', { body }))
    emit('decided', e, body.keys)
    void client.invalidateQueries({ queryKey: ['name'], refetchType: 'none' })
  })
}
// Enter that comes before the effect is known waits for it
watch([effect.data, effect.isFetching], ([e, fetching]) => {
  if (e && !fetching && pressed.value) void press()
})
const later = () =>
  once(async () => {
    const body = { ...about.value, days: 30 }
    await ask(api.POST('/api/names/later', { body }))
    emit('aside', body.keys)
  })
const takeBack = () =>
  once(async () => {
    await ask(api.POST('/api/names/withdraw', { body: { key: props.nameKey, revision: n.value!.revision } }))
    await client.invalidateQueries()
  })
const ruleLink = computed(() => {
  const r = n.value?.records[0]
  const records = {
    all: [
      { field: 'name', op: 'like', value: (r?.name ?? '').replace(/[\d.]+.*$/, '').trim() + '*' },
      ...(r?.publisher ? [{ field: 'publisher', op: 'is', value: r.publisher }] : []),
    ],
  }
  const to = picked.value
  return {
    path: '/titles/rules',
    query: {
      rule: 'new',
      records: JSON.stringify(records),
      ...(to ? { outcome: to.product ? 'title' : 'nothing', product: String(to.product), title: to.text } : {}),
    },
  }
})
const pane = ref<HTMLElement>()
const deciding = computed(() => props.mayWork && (!n.value?.decision || again.value) && !n.value?.waiting)
/** Chooses a proposal by its place. */
const pickAt = (i: number) => () => {
  if (!deciding.value || !choices.value[i]) return false
  picked.value = choices.value[i]
}
const places = ['first', 'second', 'third', 'fourth', 'fifth']
useKeys(() => [
  ...places.map((place, i) => key(`names.${place}`, pickAt(i))),
  key('names.nothing', () => deciding.value && !!(picked.value = nothing)),
  key('names.later', () => deciding.value && void later()),
  key('names.along', () => deciding.value && ((along.value = !along.value), true)),
  key('names.new', () => deciding.value && (adding.value = true)),
  key('names.find', () => deciding.value && void nextTick(() => findField()?.focus())),
  {
    name: 'names.decide',
    key: 'Enter',
    says: 'decide what is chosen, and go on to the next',
    overButtons: true,
    press: (e) => {
      if (!n.value || !deciding.value) return false
      // without a choice, Enter means what it means on a button or a row
      if (!picked.value) return !(e.target as HTMLElement).closest('button, a, tr, summary')
      if (effect.data.value && !effect.isFetching.value) void press()
      else pressed.value = true
    },
  },
])
const findField = () => pane.value?.querySelector<HTMLElement>('[data-find-title]')
/** In the field that finds a title: Enter takes the first of what is found, Esc leaves it. */
useEventListener(window, 'keydown', (e: KeyboardEvent) => {
  const at = e.target as HTMLElement
  if (!deciding.value || e.defaultPrevented || !at.matches('[data-find-title]')) return
  if (e.key === 'Escape') at.blur()
  if (e.key === 'Enter' && choices.value[0]) {
    e.preventDefault()
    picked.value = choices.value[0]
    at.blur()
  }
})
</script>

<template>
  <aside ref="pane" class="sheet pane" aria-label="The open name">
    <p v-if="name.error.value" class="says">{{ name.error.value.message }}</p>
    <template v-if="n">
      <div class="row">
        <h2 class="grow">{{ n.records[0]?.name }}</h2>
        <button class="plain" type="button" @click="emit('close')">close</button>
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
      <p v-if="company" class="company" role="status" data-others>{{ company }}</p>
      <p v-if="others.length" class="along">
        With it the {{ count(others.length, 'name') }} that {{ others.length === 1 ? 'is' : 'are' }} marked.
      </p>
      <div v-if="n.decision" class="decided">
        Decided: <b>{{ n.decision.name || 'not software that counts' }} {{ n.decision.edition }}</b
        >, by {{ n.decision.author }} on {{ day(n.decision.at)
        }}<template v-if="n.decision.signed">, signed off by {{ n.decision.signed }}</template
        >.
        <template v-if="mayWork">
          <button class="plain" type="button" data-take-back @click="takeBack">Take this back</button>
          <button v-if="!again" class="plain" type="button" @click="again = true">Decide otherwise</button>
        </template>
      </div>
      <div v-if="n.waiting" class="decided">
        {{ n.waiting.author }} says on {{ day(n.waiting.at) }}:
        <b>{{ n.waiting.name || 'not software that counts' }}</b>. It waits to be
        <RouterLink to="/titles/unsigned">signed off</RouterLink>.
      </div>
      <template v-if="deciding">
        <label v-if="similar.length" class="along" data-similar>
          <input v-model="along" type="checkbox" /> <KeyHint name="names.along" /> also for
          {{ count(similar.length, 'similar name') }}:
          {{
            n.similar
              .slice(0, 3)
              .map((s) => s.name)
              .join('; ')
          }}<template v-if="similar.length > 3"> …</template>
        </label>
        <InputText
          v-model="text"
          size="small"
          fluid
          type="search"
          :placeholder="`Find another title${hintOf('names.find') && ` (${hintOf('names.find')})`}`"
          aria-label="Find another title"
          data-find-title
        />
        <ul class="choices">
          <li v-for="(c, i) in choices" :key="`${c.product} ${c.edition}`">
            <button
              type="button"
              :class="{ on: picked?.product === c.product && picked?.edition === c.edition }"
              :data-choice="c.product"
              @click="picked = c"
            >
              <KeyHint v-if="i < 5" :name="`names.${places[i]}`" /> {{ c.text }}
              <span class="soft">{{ c.detail }}</span>
              <ProposalWords v-if="c.proposal" :proposal="c.proposal" />
            </button>
          </li>
          <li v-if="!choices.length" class="soft none">Nothing in the catalogue is near this name.</li>
          <li>
            <button type="button" :class="{ on: picked?.product === 0 }" @click="picked = nothing">
              <KeyHint name="names.nothing" /> Not software that counts
            </button>
          </li>
          <li class="row more">
            <button type="button" class="plain" @click="adding = !adding">
              <KeyHint name="names.new" /> A new title…
            </button>
            <button type="button" class="plain" @click="later"><KeyHint name="names.later" /> Later</button>
            <RouterLink :to="ruleLink">A rule for names like this…</RouterLink>
          </li>
        </ul>
        <NewTitle
          v-if="adding"
          :publisher="n.records[0]?.publisher ?? ''"
          :product="n.records[0]?.name ?? ''"
          @made="
            (product, t) => {
              adding = false
              picked = { product, edition: '', text: t }
            }
          "
          @failed="(m) => (says = m)"
        />
        <EffectLine
          v-if="picked"
          :says="`${picked.text}${keys.length > 1 ? `, for ${count(keys.length, 'name')}` : ''}:`"
          :effect="effect.data.value"
          :failed="effect.error.value?.message"
          :press="pressed || busy ? 'Deciding…' : 'Decide'"
          @press="press"
        />
      </template>
      <p v-else-if="!mayWork" class="soft">Deciding names needs the role “work”.</p>
      <p v-if="says" class="says" role="alert">{{ says }}</p>
      <details>
        <summary>How it was looked at</summary>
        <ol>
          <li v-for="(s, i) in n.trace" :key="i">
            <b>{{ s.step }}</b> <span class="soft">{{ s.lookedAt }}</span> {{ s.outcome }}
          </li>
        </ol>
      </details>
      <p class="soft recs">
        {{ count(n.records.length, 'record') }}:
        <RouterLink v-for="r in n.records.slice(0, 12)" :key="r.id" :to="`/position?trail=r${r.id}`">{{
          r.id
        }}</RouterLink>
      </p>
    </template>
  </aside>
</template>

<style scoped>
.pane {
  width: 29rem;
  flex: none;
  overflow: auto;
  border-left: 3px solid var(--here);
}
@media (max-width: 820px) {
  .pane {
    width: auto;
  }
}
.along {
  display: block;
  margin: 0.3rem 0;
}
.choices {
  list-style: none;
  padding: 0;
  margin: 0.4rem 0;
}
.choices button:not(.plain) {
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
.choices .more,
.choices .none {
  padding: 0.35rem 0.3rem;
  gap: 1rem;
}
.decided .plain + .plain {
  margin-left: 0.7rem;
}
.decided {
  background: var(--pick);
  padding: 0.4rem 0.6rem;
}
ol {
  padding-left: 1rem;
  overflow-wrap: anywhere;
}
.recs {
  display: flex;
  flex-wrap: wrap;
  gap: 0 0.5em;
}
</style>
