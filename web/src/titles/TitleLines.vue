<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import Textarea from 'primevue/textarea'
import { computed, nextTick, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { whole, word } from '../lib/format'
import OtherChange from '../components/OtherChange.vue'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'
import { useChange } from './change'

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

const draft = ref<Schemas['TitleEdit']>()
/** a title as it was when its form was opened */
const began = ref<Record<string, string>>()
const fieldsOf = (l: Schemas['TitleLine']): Record<string, string> => ({
  ...l.says,
  edition: l.edition,
  version: l.version,
})
/** what one field of a title is in the form */
function write(field: string, value: string) {
  if (field === 'edition' || field === 'version') draft.value![field] = value
  else if (field === 'list_price') {
    const [price, currency] = value.split(' ')
    values.value.price = price ?? ''
    values.value.currency = currency || values.value.currency || 'EUR'
  } else values.value[field] = field === 'aliases' ? value.split('|').join('\n') : value
}
const values = ref<Record<string, string>>({})
const form = ref<HTMLFormElement>()
async function open(l?: Schemas['TitleLine']) {
  refused.value = ''
  const first = props.lines[0]
  const from = l?.says ?? { category: first?.says.category ?? '', licence_model: first?.says.licence_model ?? '' }
  const [price, currency] = (from.list_price ?? '').split(' ')
  values.value = {
    price: price ?? '',
    currency: currency ?? first?.says.list_price?.split(' ')[1] ?? 'EUR',
    aliases: (from.aliases ?? '').split('|').join('\n'),
  }
  for (const f of fields) values.value[f] = from[f] ?? ''
  draft.value = {
    product: props.product,
    title: l?.id ?? 0,
    edition: l?.edition ?? first?.edition ?? '',
    version: l?.version ?? '',
    says: {},
    revision: l?.revision ?? 0,
    drop: false,
    dry: true,
  }
  began.value = l && fieldsOf(l)
  await nextTick()
  form.value?.querySelector('input')?.focus()
}
const body = computed<Schemas['TitleEdit'] | undefined>(() => {
  if (!draft.value) return undefined
  const v = values.value
  const said: Record<string, string> = {
    list_price: v.price?.trim() ? `${v.price.trim()} ${v.currency?.trim() || 'EUR'}` : '',
  }
  for (const f of fields) said[f] = v[f] ?? ''
  said.aliases = (v.aliases ?? '')
    .split('\n')
    .map((s) => s.trim())
    .filter(Boolean)
    .join('|')
  return { ...draft.value, says: said }
})
const { effect, failed, refused, other, save } = useChange(
  'title-preview',
  body,
  (body, signal) => ask(api.POST('/api/catalogue/titles', { body, signal })),
  () => (draft.value = undefined),
)
const mine = computed(() => ({ ...body.value?.says, edition: draft.value?.edition, version: draft.value?.version }))
const theirs = computed(() => {
  const l = props.lines.find((x) => x.id === draft.value?.title)
  return l && { ...Object.fromEntries(Object.keys(mine.value).map((k) => [k, ''])), ...fieldsOf(l) }
})
/** Takes what another wrote where it is to hold, and saves on what he made. */
function settle(fields: string[]) {
  for (const f of fields) write(f, (theirs.value as Record<string, string> | undefined)?.[f] ?? '')
  draft.value!.revision = other.value!.revision
  other.value = undefined
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
    <form
      v-if="draft"
      ref="form"
      class="sheet edit"
      data-title-form
      @submit.prevent="save"
      @keydown.esc="draft = undefined"
    >
      <div class="grid">
        <label>edition <InputText v-model="draft.edition" size="small" fluid placeholder="none" /></label>
        <label
          >version <InputText v-model="draft.version" size="small" fluid placeholder="every" data-title-version
        /></label>
        <label v-for="f in fields" :key="f"
          >{{ labels[f] }}
          <Select
            v-if="f === 'licence_model' || f === 'default_metric'"
            v-model="values[f]"
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
            v-model="values[f]"
            :type="isDay(f) ? 'date' : 'text'"
            size="small"
            fluid
            :data-title-field="f"
          />
        </label>
        <label
          >list price
          <InputText
            v-model="values.price"
            size="small"
            fluid
            inputmode="decimal"
            placeholder="none"
            data-title-field="price"
        /></label>
        <label>currency <InputText v-model="values.currency" size="small" fluid maxlength="3" /></label>
        <label class="all"
          >other names, one a line; also swid:, pkg: and cpe: identifiers and file names
          <Textarea v-model="values.aliases" rows="2" auto-resize fluid data-title-field="aliases" />
        </label>
      </div>
      <OtherChange
        v-if="other"
        :conflict="other"
        :mine="mine"
        :base="began"
        :theirs="theirs"
        :labels="labels"
        @save="settle"
      />
      <CatalogueLine
        :effect="effect"
        :failed="failed"
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
        <button class="plain soft" type="button" @click="draft = undefined">close</button>
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
