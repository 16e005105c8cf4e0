<script setup lang="ts">
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import OtherChange from '../components/OtherChange.vue'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'
import { useChange } from './change'

/** Gives a product another name or publisher; what it was called stays one of its names. */
const props = defineProps<{ product: number; publisher: string; name: string; revision: number }>()
const { may } = useSession()
const mayWork = may('work')
const draft = ref<Schemas['ProductEdit']>()
const began = ref<{ publisher: string; name: string }>()
function open() {
  began.value = { publisher: props.publisher, name: props.name }
  draft.value = { product: props.product, ...began.value, revision: props.revision, dry: true }
}
const body = computed(() => {
  const d = draft.value
  const changed = d && (d.publisher !== props.publisher || d.name !== props.name) && d.name.trim() && d.publisher.trim()
  return changed ? { ...d } : undefined
})
const { effect, failed, other, save } = useChange(
  'product-preview',
  body,
  (body, signal) => ask(api.POST('/api/catalogue/products', { body, signal })),
  () => (draft.value = undefined),
)
/** Takes what another wrote where it is to hold, and saves on what he made. */
function settle(theirs: string[]) {
  const d = draft.value!
  for (const f of theirs as ('publisher' | 'name')[]) d[f] = props[f]
  d.revision = other.value!.revision
  other.value = undefined
  if (d.publisher === props.publisher && d.name === props.name) draft.value = undefined
  else void save()
}
</script>

<template>
  <button v-if="mayWork && !draft" class="plain soft" type="button" data-rename @click="open">
    Call it otherwise…
  </button>
  <form v-if="draft" class="sheet row" @submit.prevent="save" @keydown.esc="draft = undefined">
    <label>publisher <InputText v-model="draft.publisher" size="small" data-rename-publisher /></label>
    <label>product <InputText v-model="draft.name" size="small" data-rename-name /></label>
    <button class="plain soft" type="button" @click="draft = undefined">close</button>
    <OtherChange
      v-if="other"
      :conflict="other"
      :mine="draft"
      :base="began"
      :theirs="{ publisher, name }"
      :labels="{ name: 'product' }"
      @save="settle"
    />
    <CatalogueLine v-if="body" :effect="effect" :failed="failed" press="Call it so" @press="save" />
  </form>
</template>
