<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Textarea from 'primevue/textarea'
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, readList, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OtherChange from '../components/OtherChange.vue'
import { useDraft } from '../lib/draft'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'
import TitlesNav from './TitlesNav.vue'

/** The publishers, with the other names that they are found under and the ones that took them over. */
const route = useRoute()
const router = useRouter()
const { may } = useSession()
const mayWork = may('work')
const columns: ListColumn[] = [
  { key: 'publisher', label: 'publisher', fixed: true },
  { key: 'aliases', label: 'other names', width: '26%' },
  { key: 'successor', label: 'taken over by', width: '18%' },
  { key: 'products', label: 'products', num: true, width: '5.8rem' },
  { key: 'installs', label: 'installs', num: true, width: '5.4rem' },
  { key: 'counted', label: 'need a right', num: true, width: '6.6rem' },
  { key: 'rights', label: 'entitlements', num: true, width: '7.2rem' },
]
interface Draft {
  publisher: number
  revision: number
  name: string
  aliases: string[]
  text: string // the other names as they are typed, one a line
  successor: string
}
const chosen = computed(() => String(route.query.publisher ?? ''))
const one = useQuery({
  queryKey: ['list', 'publishers', 'one', chosen],
  queryFn: () => readList('publishers', { f: [`id=${chosen.value}`] }, '', 1),
  enabled: computed(() => /^\d+$/.test(chosen.value)),
})
const stored = (): Draft | undefined => {
  const r = one.data.value?.rows[0]
  if (chosen.value === 'new') return { publisher: 0, revision: 0, name: '', aliases: [], text: '', successor: '' }
  if (!r || String(r.id) !== chosen.value) return undefined
  const aliases = r.aliases ? r.aliases.split('|') : []
  const { id: publisher, revision, publisher: name, successor } = r
  return { publisher, revision, name, aliases, text: aliases.join('\n'), successor }
}
const form = useDraft<Draft>(() => chosen.value && `publisher:${chosen.value}`, stored)
const draft = form.draft
const lines = (text: string) =>
  text
    .split('\n')
    .map((s) => s.trim())
    .filter(Boolean)
watch(
  () => draft.value?.text,
  (text) => {
    if (draft.value && text !== undefined) draft.value.aliases = lines(text)
  },
)
const pane = ref<HTMLElement>()
async function open(r?: Schemas['PublisherRow']) {
  await router.replace({ query: { ...route.query, publisher: r ? String(r.id) : 'new' } })
  await nextTick()
  pane.value?.querySelector<HTMLElement>('textarea, input')?.focus()
}
const body = computed<Schemas['PublisherEdit'] | undefined>(() => {
  if (!draft.value?.name.trim()) return undefined
  const { publisher, revision, name, text, successor } = draft.value
  return { publisher, revision, name, aliases: lines(text), successor: successor.trim(), dry: true }
})
const { effect, failed } = usePreview('publisher-preview', body, (body, signal) =>
  ask(api.POST('/api/catalogue/publishers', { body, signal })),
)
async function save() {
  if (!body.value) return
  const sent = { ...body.value, dry: false }
  if (await form.save(() => ask(api.POST('/api/catalogue/publishers', { body: sent })))) {
    if (chosen.value === 'new') form.discard()
    close()
  }
}
/** Takes the other's where it is to hold: the names as they are typed go with them. */
function settle(theirs: string[]) {
  form.settle(theirs.includes('aliases') ? [...theirs, 'text'] : theirs)
  void save()
}
const close = () => void router.replace({ query: { ...route.query, publisher: undefined } })
</script>

<template>
  <div class="page fill">
    <TitlesNav />
    <div class="beside">
      <ListTable
        name="publishers"
        :columns="columns"
        sort="installs"
        desc
        what="publishers"
        row-key="id"
        :current="draft?.publisher"
        empty="No publishers yet: they come with the titles."
        @open="(p) => open(p)"
      >
        <template #actions
          ><button v-if="mayWork" class="plain" type="button" data-publisher-new @click="open()">
            Add a publisher…
          </button></template
        >
        <template #cell-publisher="{ row }"
          ><RouterLink :to="`/titles?q=${encodeURIComponent(row.publisher)}`" @click.stop>{{
            row.publisher
          }}</RouterLink></template
        >
        <template #cell-aliases="{ row }">{{ row.aliases.split('|').join(', ') }}</template>
      </ListTable>
      <aside v-if="draft" ref="pane" class="sheet side" data-publisher @keydown.esc="close">
        <div class="row">
          <h2>{{ draft.publisher ? draft.name : 'A publisher' }}</h2>
          <span class="grow" />
          <button class="plain soft" type="button" @click="close">close</button>
        </div>
        <form v-if="mayWork" class="grid" @submit.prevent="save">
          <InputText
            v-if="!draft.publisher"
            v-model="draft.name"
            size="small"
            fluid
            placeholder="its name"
            aria-label="name"
            data-publisher-name
          />
          <label
            >other names that it is found under, one a line
            <Textarea v-model="draft.text" rows="3" auto-resize fluid data-publisher-aliases />
          </label>
          <label
            >taken over by
            <InputText v-model="draft.successor" size="small" fluid placeholder="nobody" data-publisher-successor
          /></label>
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
            :labels="{ aliases: 'other names', successor: 'taken over by' }"
            @save="settle"
          />
          <CatalogueLine
            v-else-if="body"
            :effect="effect"
            :failed="form.says.value || failed"
            :press="draft.publisher ? 'Change it' : 'Add it'"
            @press="save"
          />
        </form>
        <p class="soft">Legal forms, case and punctuation need no name of their own: they are passed over.</p>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.side {
  width: min(25rem, 100%);
  overflow: auto;
  display: grid;
  gap: 0.5rem;
  align-content: start;
}
.grid {
  display: grid;
  gap: 0.5rem;
}
label {
  color: var(--soft);
}
</style>
