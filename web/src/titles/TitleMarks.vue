<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import AutoComplete from 'primevue/autocomplete'
import Button from 'primevue/button'
import Textarea from 'primevue/textarea'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { day } from '../lib/format'
import { useSession } from '../lib/session'

/** What people add to a title: the watch list, tags, and notes on the title or on one install of it. No newer catalogue touches them. */
const props = defineProps<{ product: Schemas['ProductView'] }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const says = ref('')
const note = ref('')
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
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
const path = computed(() => ({ params: { path: { id: props.product.id } } }))
const setTags = (list: string[]) =>
  act(ask(api.POST('/api/products/{id}/tags', { ...path.value, body: { tags: list } })))
const watchIt = (on: boolean) => act(ask(api.POST('/api/products/{id}/watch', { ...path.value, body: { on } })))
async function addNote() {
  await act(ask(api.POST('/api/products/{id}/remarks', { ...path.value, body: { device: '', text: note.value } })))
  if (!says.value) note.value = ''
}
const drop = (id: number) => act(ask(api.POST('/api/remarks/{id}/drop', { params: { path: { id } } })))
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
    <ul v-if="product.remarks.length">
      <li v-for="m in product.remarks" :key="m.id">
        <RouterLink v-if="m.deviceCode" :to="`/evidence/${m.deviceCode}`">on {{ m.deviceName }}</RouterLink>
        {{ m.text }}
        <span class="soft">{{ m.author }}, {{ day(m.at) }}</span>
        <button v-if="mayWork" class="plain soft" type="button" @click="drop(m.id)">drop</button>
      </li>
    </ul>
    <form v-if="mayWork" class="row" @submit.prevent="addNote">
      <Textarea
        v-model="note"
        rows="1"
        auto-resize
        placeholder="a note on this title"
        aria-label="a note on this title"
        data-note
      />
      <Button v-if="note.trim()" type="submit" size="small" label="Note it" data-note-save />
    </form>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </section>
</template>

<style scoped>
.marks {
  display: grid;
  gap: 0.3rem;
  margin: 0.2rem 0 0.4rem;
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
textarea {
  width: min(34rem, 100%);
}
.marks :deep(.p-autocomplete) {
  width: min(26rem, 100%);
}
</style>
