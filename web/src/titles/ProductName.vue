<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'

/** Gives a product another name or publisher; what it was called stays one of its names. */
const props = defineProps<{ product: number; publisher: string; name: string }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const draft = ref<Schemas['ProductEdit']>()
const says = ref('')
const changed = computed(
  () =>
    !!draft.value &&
    (draft.value.publisher !== props.publisher || draft.value.name !== props.name) &&
    !!draft.value.name.trim() &&
    !!draft.value.publisher.trim(),
)
const late = refDebounced(
  computed(() => (changed.value ? { ...draft.value! } : undefined)),
  300,
)
const effect = useQuery({
  queryKey: ['product-preview', late],
  queryFn: ({ signal }) => ask(api.POST('/api/catalogue/products', { body: { ...late.value!, dry: true }, signal })),
  enabled: computed(() => !!late.value),
  staleTime: 0,
  retry: false,
})
async function save() {
  says.value = ''
  try {
    await ask(api.POST('/api/catalogue/products', { body: { ...draft.value!, dry: false } }))
    draft.value = undefined
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
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
  <form v-if="draft" class="sheet row" @submit.prevent="changed && save()" @keydown.esc="draft = undefined">
    <label>publisher <InputText v-model="draft.publisher" size="small" data-rename-publisher /></label>
    <label>product <InputText v-model="draft.name" size="small" data-rename-name /></label>
    <button class="plain soft" type="button" @click="draft = undefined">close</button>
    <CatalogueLine
      v-if="changed"
      :effect="effect.data.value"
      :failed="says || effect.error.value?.message"
      press="Call it so"
      @press="save"
    />
  </form>
</template>
