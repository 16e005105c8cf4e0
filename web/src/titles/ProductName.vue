<script setup lang="ts">
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'
import { useChange } from './change'

/** Gives a product another name or publisher; what it was called stays one of its names. */
const props = defineProps<{ product: number; publisher: string; name: string }>()
const { may } = useSession()
const mayWork = may('work')
const draft = ref<Schemas['ProductEdit']>()
const body = computed(() => {
  const d = draft.value
  const changed = d && (d.publisher !== props.publisher || d.name !== props.name) && d.name.trim() && d.publisher.trim()
  return changed ? { ...d } : undefined
})
const { effect, failed, save } = useChange(
  'product-preview',
  body,
  (body, signal) => ask(api.POST('/api/catalogue/products', { body, signal })),
  () => (draft.value = undefined),
)
</script>

<template>
  <button
    v-if="mayWork && !draft"
    class="plain soft"
    type="button"
    data-rename
    @click="draft = { product, publisher, name, dry: true }"
  >
    Call it otherwise…
  </button>
  <form v-if="draft" class="sheet row" @submit.prevent="save" @keydown.esc="draft = undefined">
    <label>publisher <InputText v-model="draft.publisher" size="small" data-rename-publisher /></label>
    <label>product <InputText v-model="draft.name" size="small" data-rename-name /></label>
    <button class="plain soft" type="button" @click="draft = undefined">close</button>
    <CatalogueLine v-if="body" :effect="effect" :failed="failed" press="Call it so" @press="save" />
  </form>
</template>
