<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import Textarea from 'primevue/textarea'
import { ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { day } from '../lib/format'
import { useSession } from '../lib/session'

/** Notes on a title, or on its install on one device; anybody who works here may add one and drop one. */
const props = defineProps<{ remarks: Schemas['Remark'][]; product: number; device: string; about: string }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const note = ref('')
const says = ref('')
async function act(what: Promise<unknown>) {
  says.value = ''
  try {
    await what
    await client.invalidateQueries()
    return true
  } catch (e) {
    says.value = (e as Error).message
    return false
  }
}
async function add() {
  const body = { device: props.device, text: note.value }
  if (await act(ask(api.POST('/api/products/{id}/remarks', { params: { path: { id: props.product } }, body }))))
    note.value = ''
}
const drop = (id: number) => act(ask(api.POST('/api/remarks/{id}/drop', { params: { path: { id } } })))
</script>

<template>
  <div class="remarks" data-remarks>
    <ul v-if="remarks.length">
      <li v-for="m in remarks" :key="m.id">
        <RouterLink v-if="m.deviceCode && !device" :to="`/evidence/${m.deviceCode}`">on {{ m.deviceName }}:</RouterLink>
        {{ m.text }} <span class="soft">{{ m.author }}, {{ day(m.at) }}</span>
        <button v-if="mayWork" class="plain soft" type="button" @click="drop(m.id)">drop</button>
      </li>
    </ul>
    <form v-if="mayWork" class="row" @submit.prevent="add">
      <Textarea v-model="note" rows="1" auto-resize :placeholder="about" :aria-label="about" data-note />
      <Button v-if="note.trim()" type="submit" size="small" label="Note it" data-note-save />
    </form>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </div>
</template>

<style scoped>
.remarks {
  display: grid;
  gap: 0.3rem;
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
li button {
  margin-left: 0.4rem;
}
textarea {
  width: min(34rem, 100%);
}
</style>
