<script setup lang="ts">
import InputText from 'primevue/inputtext'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import { useDraft } from '../lib/draft'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import CatalogueLine from './CatalogueLine.vue'

/** Gives a product another name or publisher; what it was called stays one of its names. */
const props = defineProps<{ product: number; publisher: string; name: string; revision: number }>()
const { may } = useSession()
const mayWork = may('work')
interface Draft {
  revision: number
  publisher: string
  name: string
}
const stored = (): Draft => ({ revision: props.revision, publisher: props.publisher, name: props.name })
const route = useRoute()
const router = useRouter()
const shown = computed(() => route.query.rename === 'yes')
const show = (yes: boolean) => void router.replace({ query: { ...route.query, rename: yes ? 'yes' : undefined } })
const form = useDraft<Draft>(() => (mayWork.value && shown.value ? `product:${props.product}` : ''), stored)
const draft = form.draft
const body = computed<Schemas['ProductEdit'] | undefined>(() => {
  const d = draft.value
  const changed = d && form.dirty.value && d.name.trim() && d.publisher.trim()
  return changed ? { ...d, product: props.product, dry: true } : undefined
})
const { effect, failed } = usePreview('product-preview', body, (b, signal) =>
  ask(api.POST('/api/catalogue/products', { body: b, signal })),
)
async function save() {
  if (!body.value) return
  const sent = { ...body.value, dry: false }
  if (await form.save(() => ask(api.POST('/api/catalogue/products', { body: sent })))) show(false)
}
/** Takes what another wrote where it is to hold, and saves on what he made. */
function settle(theirs: string[]) {
  form.settle(theirs)
  if (form.dirty.value) void save()
  else show(false)
}
</script>

<template>
  <button v-if="mayWork && !draft" class="plain soft" type="button" data-rename @click="show(true)">
    Call it otherwise…
  </button>
  <form v-if="draft" class="sheet row" @submit.prevent="save" @keydown.esc="show(false)">
    <label>publisher <InputText v-model="draft.publisher" size="small" data-rename-publisher /></label>
    <label>product <InputText v-model="draft.name" size="small" data-rename-name /></label>
    <button class="plain soft" type="button" @click="show(false)">close</button>
    <DraftKept :kept="form.kept.value" :dirty="form.dirty.value" :others="form.others.value" @discard="form.discard" />
    <OtherChange
      v-if="form.other.value"
      :conflict="form.other.value"
      :mine="draft"
      :base="form.base.value"
      :theirs="stored()"
      :labels="{ name: 'product' }"
      @save="settle"
    />
    <CatalogueLine
      v-else-if="body"
      :effect="effect"
      :failed="form.says.value || failed"
      press="Call it so"
      @press="save"
    />
  </form>
</template>
