<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Textarea from 'primevue/textarea'
import { computed, nextTick, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, readList, type Schemas } from '../api/client'
import ListTable, { type ListColumn } from '../components/ListTable.vue'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'
import { useChange } from './change'
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
const draft = ref<Schemas['PublisherEdit'] & { text: string }>()
const pane = ref<HTMLElement>()
async function open(r?: Schemas['PublisherRow']) {
  refused.value = ''
  draft.value = {
    publisher: r?.id ?? 0,
    name: r?.publisher ?? '',
    aliases: [],
    successor: r?.successor ?? '',
    dry: true,
    text: (r?.aliases ?? '').split('|').join('\n'),
  }
  void router.replace({ query: { ...route.query, publisher: r ? String(r.id) : undefined } })
  await nextTick()
  pane.value?.querySelector<HTMLElement>('textarea, input')?.focus()
}
async function fromAddress() {
  const id = route.query.publisher
  if (!id || draft.value) return
  const page = await readList('publishers', { f: [`id=${String(id)}`] }, '', 1)
  if (page.rows[0]) await open(page.rows[0])
}
const body = computed<Schemas['PublisherEdit'] | undefined>(() => {
  if (!draft.value?.name.trim()) return undefined
  const { text, ...rest } = draft.value
  return {
    ...rest,
    successor: rest.successor.trim(),
    aliases: text
      .split('\n')
      .map((s) => s.trim())
      .filter(Boolean),
  }
})
const { effect, failed, refused, save } = useChange(
  'publisher-preview',
  body,
  (body, signal) => ask(api.POST('/api/catalogue/publishers', { body, signal })),
  () => close(),
)
void fromAddress()
function close() {
  draft.value = undefined
  void router.replace({ query: { ...route.query, publisher: undefined } })
}
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
          <CatalogueLine
            v-if="body"
            :effect="effect"
            :failed="failed"
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
