<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { nextTick, onMounted, ref } from 'vue'
import { api, ask } from '../api/client'
import { useKept } from '../lib/kept'

/** Adds a title that the catalogue lacks, beginning with what the source wrote. */
const props = defineProps<{ publisher: string; product: string }>()
const emit = defineEmits<{ made: [product: number, text: string]; failed: [message: string] }>()
const { form: fresh, hold } = useKept(
  () => `new-title:${props.publisher}|${props.product}`,
  () => ({ publisher: props.publisher, product: props.product, category: '', model: 'commercial' as const }),
)
const busy = ref(false)
const form = ref<HTMLFormElement>()
onMounted(() => nextTick(() => form.value?.querySelector<HTMLInputElement>('input')?.focus()))
async function add() {
  if (busy.value) return
  busy.value = true
  const body = { ...fresh.value }
  const taken = hold()
  try {
    const { product } = await ask(api.POST('/api/titles', { body }))
    taken()
    emit('made', product, `${body.publisher} ${body.product}`)
  } catch (e) {
    emit('failed', (e as Error).message)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <form ref="form" class="adding" data-new-title @submit.prevent="add">
    <label>publisher <InputText v-model="fresh.publisher" size="small" /></label>
    <label>product <InputText v-model="fresh.product" size="small" /></label>
    <label>category <InputText v-model="fresh.category" size="small" /></label>
    <label
      >licence model
      <Select v-model="fresh.model" :options="['commercial', 'free', 'open_source', 'trial', 'in_house']" size="small"
    /></label>
    <Button type="submit" label="Add this title" size="small" :loading="busy" />
  </form>
</template>

<style scoped>
.adding {
  display: grid;
  gap: 0.3rem;
  margin-bottom: 0.4rem;
}
.adding label {
  display: grid;
  grid-template-columns: 7rem 1fr;
  align-items: center;
}
</style>
