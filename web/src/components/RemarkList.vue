<script setup lang="ts">
import Button from 'primevue/button'
import Textarea from 'primevue/textarea'
import { api, ask, type Schemas } from '../api/client'
import { day } from '../lib/format'
import { useAct } from '../lib/act'
import { useKept } from '../lib/kept'
import { useSession } from '../lib/session'
import SureButton from './SureButton.vue'

/** Notes on a title, or on its install on one device; anybody who works here may add one and drop one. */
const props = defineProps<{ remarks: Schemas['Remark'][]; product: number; device: string; about: string }>()
const { may } = useSession()
const mayWork = may('work')
const { form: typed, hold } = useKept(
  () => `remark:${props.product}:${props.device}`,
  () => ({ note: '' }),
)
const { busy, says, act } = useAct()
async function add() {
  const body = { device: props.device, text: typed.value.note }
  const noted = hold()
  if (await act(() => ask(api.POST('/api/products/{id}/remarks', { params: { path: { id: props.product } }, body }))))
    noted()
}
const drop = (id: number) => act(() => ask(api.POST('/api/remarks/{id}/drop', { params: { path: { id } } })))
</script>

<template>
  <div class="remarks" data-remarks>
    <ul v-if="remarks.length">
      <li v-for="m in remarks" :key="m.id">
        <RouterLink v-if="m.deviceCode && !device" :to="`/evidence/${m.deviceCode}`">on {{ m.deviceName }}:</RouterLink>
        {{ m.text }} <span class="soft">{{ m.author }}, {{ day(m.at) }}</span>
        <SureButton v-if="mayWork" label="drop" ask="Drop this note for good?" sure="drop it" @sure="drop(m.id)" />
      </li>
    </ul>
    <form v-if="mayWork" class="row" @submit.prevent="add">
      <Textarea v-model="typed.note" rows="1" auto-resize :placeholder="about" :aria-label="about" data-note />
      <Button v-if="typed.note.trim()" type="submit" size="small" label="Note it" :loading="busy" data-note-save />
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
