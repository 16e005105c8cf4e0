<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import AutoComplete from 'primevue/autocomplete'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import { api, ask, Problem, type Schemas } from '../api/client'
import RemarkList from '../components/RemarkList.vue'
import { refusal } from '../lib/act'
import { useSession } from '../lib/session'

/**
 * What people add to a title: the watch list, tags, and notes on the title or on one install of it. No newer
 * catalogue touches them.
 */
const props = defineProps<{ product: Schemas['ProductView'] }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const says = ref('')
const tags = computed(() => (props.product.tags ? props.product.tags.split(', ') : []))
const known = useQuery({ queryKey: ['tags'], queryFn: () => ask(api.GET('/api/tags')) })
const offered = ref<string[]>([])
function find(e: { query: string }) {
  const q = e.query.trim()
  const list = (known.data.value ?? [])
    .map((t) => t.tag)
    .filter((t) => t.toLowerCase().includes(q.toLowerCase()) && !tags.value.includes(t))
  offered.value = q && !list.includes(q) ? [q, ...list] : list
}
async function act(what: Promise<unknown>) {
  says.value = ''
  try {
    await what
    return true
  } catch (e) {
    says.value = refusal(e)
    return e
  } finally {
    await client.invalidateQueries()
  }
}
const path = computed(() => ({ params: { path: { id: props.product.id } } }))
/** What was done to the tags while somebody else changed them: it is kept, and can be done to what they are now. */
const mine = ref<{ product: number; more: string[]; less: string[]; who: string }>()
async function setTags(list: string[]) {
  const had = tags.value
  const product = props.product.id
  const e = await act(
    ask(
      api.POST('/api/products/{id}/tags', { ...path.value, body: { tags: list, revision: props.product.tagRevision } }),
    ),
  )
  mine.value = undefined
  if (!(e instanceof Problem) || !e.conflict) return
  says.value = ''
  mine.value = {
    product,
    more: list.filter((t) => !had.includes(t)),
    less: had.filter((t) => !list.includes(t)),
    who: e.conflict.who,
  }
}
const again = () =>
  setTags([
    ...tags.value.filter((t) => !mine.value!.less.includes(t)),
    ...mine.value!.more.filter((t) => !tags.value.includes(t)),
  ])
const wanted = computed(() => {
  const m = mine.value
  if (m?.product !== props.product.id) return ''
  return [m.more.length && `add ${m.more.join(', ')}`, m.less.length && `take ${m.less.join(', ')} away`]
    .filter(Boolean)
    .join(' and ')
})
const watchIt = (on: boolean) => act(ask(api.POST('/api/products/{id}/watch', { ...path.value, body: { on } })))
</script>

<template>
  <section class="marks" data-marks>
    <div class="row">
      <label class="row"
        ><ToggleSwitch :model-value="product.watched" :disabled="!mayWork" data-watch @update:model-value="watchIt" />
        {{ product.watched ? 'on the watch list' : 'watch it' }}</label
      >
      <AutoComplete
        :model-value="tags"
        multiple
        :suggestions="offered"
        size="small"
        :disabled="!mayWork"
        :placeholder="tags.length ? '' : 'tags'"
        aria-label="tags"
        data-tags
        @complete="find"
        @update:model-value="(v: string[]) => setTags(v)"
      />
    </div>
    <RemarkList :remarks="product.remarks" :product="product.id" device="" about="a note on this title" />
    <p v-if="wanted" class="says" role="alert" data-tags-other>
      {{ mine?.who }} changed the tags meanwhile: they are as shown.
      <button class="plain" type="button" @click="again">{{ wanted }} all the same</button>
      <button class="plain" type="button" @click="mine = undefined">leave them</button>
    </p>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </section>
</template>

<style scoped>
.marks {
  display: grid;
  gap: 0.3rem;
  margin: 0.2rem 0 0.4rem;
}
.marks :deep(.p-autocomplete) {
  width: min(26rem, 100%);
}
.says .plain {
  margin-left: 0.6rem;
}
</style>
