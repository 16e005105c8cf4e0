<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import Textarea from 'primevue/textarea'
import { computed, nextTick, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import { useDraft } from '../lib/draft'
import { whole, word } from '../lib/format'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'

/**
 * The editions and releases of a product as the catalogue has them; each can be changed, with the effect shown
 * before. A value changed here is marked, and no file changes it.
 */
const props = defineProps<{ product: number; lines: Schemas['TitleLine'][] }>()
const { may } = useSession()
const mayWork = may('work')
const fields = [
  'edition_rank',
  'category',
  'licence_model',
  'default_metric',
  'suite',
  'released',
  'general_support_end',
  'extended_support_end',
  'end_of_life',
] as const
const labels: Record<string, string> = {
  edition_rank: 'rank among editions',
  category: 'category',
  licence_model: 'licence model',
  default_metric: 'counted by',
  suite: 'part of the suite',
  released: 'released',
  general_support_end: 'general support until',
  extended_support_end: 'extended support until',
  end_of_life: 'end of life',
  list_price: 'list price',
  aliases: 'other names',
}
const models = ['commercial', 'free', 'open_source', 'trial', 'in_house']
const metrics = [
  'device',
  'installation',
  'named_user',
  'concurrent',
  'token',
  'processor',
  'core',
  'virtual_machine',
  'site',
]
const isDay = (f: string) => f === 'released' || f.endsWith('_end') || f === 'end_of_life'

/** A title as it is in the form: the fields of titles.csv, the price apart from its currency, a name a line. */
interface Draft {
  title: number
  revision: number
  drop: boolean
  values: Record<string, string>
}
const route = useRoute()
const router = useRouter()
const chosen = computed(() => String(route.query.line ?? ''))
function formOf(l?: Schemas['TitleLine']): Record<string, string> {
  const first = props.lines[0]
  const from: Record<string, string> = l?.says ?? {
    category: first?.says.category ?? '',
    licence_model: first?.says.licence_model ?? '',
  }
  const [price, currency] = (from.list_price ?? '').split(' ')
  return {
    ...Object.fromEntries(fields.map((f) => [f, from[f] ?? ''])),
    edition: l?.edition ?? first?.edition ?? '',
    version: l?.version ?? '',
    price: price ?? '',
    currency: currency ?? first?.says.list_price?.split(' ')[1] ?? 'EUR',
    aliases: (from.aliases ?? '').split('|').join('\n'),
  }
}
const line = computed(() => props.lines.find((l) => String(l.id) === chosen.value))
const stored = (): Draft | undefined => {
  if (chosen.value === 'new') return { title: 0, revision: 0, drop: false, values: formOf() }
  const l = line.value
  return l && { title: l.id, revision: l.revision, drop: false, values: formOf(l) }
}
const form = useDraft<Draft>(
  () => (mayWork.value && chosen.value ? `title:${props.product}:${chosen.value}` : ''),
  stored,
  (d) => d.values,
)
const draft = form.draft
const element = ref<HTMLFormElement>()
const show = (which?: string) => router.replace({ query: { ...route.query, line: which } })
async function open(l?: Schemas['TitleLine']) {
  await show(l ? String(l.id) : 'new')
  await nextTick()
  element.value?.querySelector('input')?.focus()
}
const close = () => void show()
const body = computed<Schemas['TitleEdit'] | undefined>(() => {
  if (!draft.value) return undefined
  const { title, revision, drop, values: v } = draft.value
  const said: Record<string, string> = {
    list_price: v.price?.trim() ? `${v.price.trim()} ${v.currency?.trim() || 'EUR'}` : '',
    aliases: (v.aliases ?? '')
      .split('\n')
      .map((s) => s.trim())
      .filter(Boolean)
      .join('|'),
  }
  for (const f of fields) said[f] = v[f] ?? ''
  const { edition = '', version = '' } = v
  return { product: props.product, title, edition, version, says: said, revision, drop, dry: true }
})
const { effect, failed } = usePreview('title-preview', body, (b, signal) =>
  ask(api.POST('/api/catalogue/titles', { body: b, signal })),
)
async function save() {
  if (!body.value) return
  const sent = { ...body.value, dry: false }
  if (await form.save(() => ask(api.POST('/api/catalogue/titles', { body: sent })))) {
    if (chosen.value === 'new' || sent.drop) form.discard()
    close()
  }
}
// what the server calls a field, and what the form has of it
const inForm = (field: string) => (field === 'list_price' ? ['price', 'currency'] : [field])
const named = (v?: Record<string, string>) =>
  v && { ...v, list_price: `${v.price ?? ''} ${v.price ? (v.currency ?? '') : ''}`.trim() }
/** Takes what another wrote where it is to hold, and saves on what he made. */
function settle(theirs: string[]) {
  form.settle(theirs.flatMap(inForm))
  void save()
}
const touched = (l: Schemas['TitleLine'], f: string) => l.touched.includes(f)
</script>

<template>
  <section data-title-lines>
    <div class="row">
      <h2>In the catalogue</h2>
      <button v-if="mayWork && !draft" class="plain" type="button" data-title-new @click="open()">
        Add a release or edition…
      </button>
    </div>
    <div class="wide">
      <table class="lines">
        <thead>
          <tr>
            <th>edition</th>
            <th>version</th>
            <th>released</th>
            <th>support until</th>
            <th>licence model</th>
            <th class="num">list price</th>
            <th class="num">devices</th>
            <th>other names</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="l in lines" :key="l.id" :class="{ now: draft?.title === l.id }">
            <td>{{ l.edition || '–' }}</td>
            <td>{{ l.version || 'every' }}</td>
            <td :class="{ ours: touched(l, 'released') }">{{ l.says.released ?? '' }}</td>
            <td
              :class="{
                ours:
                  touched(l, 'end_of_life') || touched(l, 'general_support_end') || touched(l, 'extended_support_end'),
              }"
            >
              {{ l.endOn || 'unknown' }}<span v-if="l.phase === 'ended'" class="short"> ended</span>
            </td>
            <td :class="{ ours: touched(l, 'licence_model') }">{{ word(l.says.licence_model ?? '') || 'unknown' }}</td>
            <td class="num" :class="{ ours: touched(l, 'list_price') }">{{ l.says.list_price ?? '–' }}</td>
            <td class="num">{{ whole(l.devices) }}</td>
            <td class="soft names" :class="{ ours: touched(l, 'aliases') }">
              {{ (l.says.aliases ?? '').split('|').join(', ') }}
            </td>
            <td class="num">
              <button
                v-if="mayWork"
                class="plain"
                type="button"
                :aria-label="`change ${l.edition} ${l.version}`"
                data-title-change
                @click="open(l)"
              >
                change
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="lines.some((l) => l.touched.length)" class="soft">
      <span class="ours">Marked</span> values were changed here; no newer catalogue changes them by itself.
    </p>
    <form v-if="draft" ref="element" class="sheet edit" data-title-form @submit.prevent="save" @keydown.esc="close">
      <DraftKept
        :kept="form.kept.value"
        :dirty="form.dirty.value"
        :others="form.others.value"
        @discard="form.discard"
      />
      <div class="grid">
        <label>edition <InputText v-model="draft.values.edition" size="small" fluid placeholder="none" /></label>
        <label
          >version <InputText v-model="draft.values.version" size="small" fluid placeholder="every" data-title-version
        /></label>
        <label v-for="f in fields" :key="f"
          >{{ labels[f] }}
          <Select
            v-if="f === 'licence_model' || f === 'default_metric'"
            v-model="draft.values[f]"
            :options="f === 'licence_model' ? models : metrics"
            :option-label="word"
            show-clear
            placeholder="unknown"
            size="small"
            fluid
            :data-title-field="f"
          />
          <InputText
            v-else
            v-model="draft.values[f]"
            :type="isDay(f) ? 'date' : 'text'"
            size="small"
            fluid
            :data-title-field="f"
          />
        </label>
        <label
          >list price
          <InputText
            v-model="draft.values.price"
            size="small"
            fluid
            inputmode="decimal"
            placeholder="none"
            data-title-field="price"
        /></label>
        <label>currency <InputText v-model="draft.values.currency" size="small" fluid maxlength="3" /></label>
        <label class="all"
          >other names, one a line; also swid:, pkg: and cpe: identifiers and file names
          <Textarea v-model="draft.values.aliases" rows="2" auto-resize fluid data-title-field="aliases" />
        </label>
      </div>
      <OtherChange
        v-if="form.other.value"
        :conflict="form.other.value"
        :mine="named(draft.values)!"
        :base="named(form.base.value?.values)"
        :theirs="named(stored()?.values)"
        :labels="labels"
        @save="settle"
      />
      <CatalogueLine
        v-else
        :effect="effect"
        :failed="form.says.value || failed"
        :press="draft.drop ? 'Take it out of the catalogue' : draft.title ? 'Change it' : 'Add it'"
        @press="save"
      />
      <div class="row">
        <button
          v-if="draft.title && lines.length > 1"
          class="plain soft"
          type="button"
          @click="draft.drop = !draft.drop"
        >
          {{ draft.drop ? 'keep it after all' : 'take it out…' }}
        </button>
        <button class="plain soft" type="button" @click="close">close</button>
        <button v-if="form.dirty.value" class="plain soft" type="button" data-leave @click="(form.discard(), close())">
          throw away what I typed
        </button>
      </div>
    </form>
  </section>
</template>

<style scoped>
.wide {
  overflow-x: auto;
}
.names {
  max-width: 16rem;
  overflow-wrap: anywhere;
}
.ours {
  border-bottom: 2px dotted var(--here);
}
tr.now td {
  background: var(--pick);
}
.edit {
  display: grid;
  gap: 0.6rem;
  margin-top: 0.5rem;
}
.grid {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(10rem, 1fr));
  gap: 0.4rem 0.8rem;
}
.grid label {
  color: var(--soft);
}
.all {
  grid-column: 1 / -1;
}
</style>
