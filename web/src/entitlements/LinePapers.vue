<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, sendBody, type Schemas } from '../api/client'
import { count, day, moment, whole } from '../lib/format'
import SureButton from '../components/SureButton.vue'
import { useKept } from '../lib/kept'
import { useSession } from '../lib/session'

/**
 * What belongs to a line on paper: files that prove it, licence keys, and notes. A key is shown only to who may see
 * it, and that somebody looked is kept.
 */
const props = defineProps<{
  code: string
  line: Schemas['LineDetail']
  /** Does something, and reports whether it was done. */
  run: (what: () => Promise<unknown>) => Promise<boolean>
}>()
const { may } = useSession()
const mayWork = may('work')
const mayRun = may('run')
const used = useQuery({
  queryKey: ['keys', 'of', computed(() => props.code)],
  queryFn: () => ask(api.GET('/api/keys', { params: { query: { q: props.code, limit: 200 } } })),
  enabled: computed(() => props.line.keys.length > 0),
})
/** Where a key of the line was found; nothing where it is nowhere. */
const found = (hint: string) =>
  used.data.value?.rows.find((r) => r.foundId && `…${r.hint}` === hint && r.lines.split(', ').includes(props.code))
const at = { params: { path: { code: props.code } } }
const { form: typed, hold } = useKept(
  () => `note:${props.code}`,
  () => ({ note: '' }),
)
const key = ref('')
const keyNote = ref('')
const open = ref<Record<number, string>>({})
async function addNote() {
  const text = typed.value.note
  const noted = hold()
  if (await props.run(() => ask(api.POST('/api/entitlements/{code}/notes', { ...at, body: { text } })))) noted()
}
// a key is kept nowhere but in the field until the server has it
async function addKey() {
  const body = { key: key.value, note: keyNote.value }
  if (await props.run(() => ask(api.POST('/api/entitlements/{code}/keys', { ...at, body }))))
    key.value = keyNote.value = ''
}
async function upload(file: File) {
  await sendBody(
    `/api/entitlements/${encodeURIComponent(props.code)}/proofs?${new URLSearchParams({ name: file.name })}`,
    file,
  )
}
function chosen(e: Event) {
  const input = e.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file) void props.run(() => upload(file))
}
async function show(id: number) {
  const k = await ask(api.POST('/api/keys/{id}/show', { params: { path: { id } } }))
  open.value = { ...open.value, [id]: k.key }
}
const size = (n: number) => (n < 2048 ? `${n} bytes` : `${whole(n / 1024)} kB`)
</script>

<template>
  <section>
    <h2>Proof</h2>
    <table class="lines" data-proofs>
      <tbody>
        <tr v-for="p in line.proofs" :key="p.id">
          <td>
            <a :href="`/api/proofs/${p.id}`" download>{{ p.name }}</a>
            <div class="soft">{{ size(p.size) }}, {{ p.author }}, {{ day(p.at) }}</div>
          </td>
          <td class="soft" :title="p.sha256">SHA-256 {{ p.sha256.slice(0, 12) }}…</td>
          <td v-if="mayWork" class="num">
            <SureButton
              label="take away"
              :ask="`Take “${p.name}” away for good?`"
              sure="take it away"
              @sure="run(() => ask(api.POST('/api/proofs/{id}/drop', { params: { path: { id: p.id } } })))"
            />
          </td>
        </tr>
        <tr v-if="!line.proofs.length">
          <td class="soft">No invoice, contract or certificate is attached.</td>
        </tr>
      </tbody>
    </table>
    <label v-if="mayWork" class="file">Attach a file <input type="file" data-proof-file @change="chosen" /></label>
    <h2>Licence keys</h2>
    <table class="lines">
      <tbody>
        <tr v-for="k in line.keys" :key="k.id">
          <td>
            <code v-if="open[k.id]" data-key>{{ open[k.id] }}</code><span v-else>{{ k.hint }}</span>
            <RouterLink
              v-if="found(k.hint)"
              class="gap"
              :to="`/evidence?f=hasKey%3D${found(k.hint)!.foundId}`"
              data-key-found
              >on {{ count(found(k.hint)!.devices, 'device') }}</RouterLink
            >
            <div class="soft">{{ k.note }} {{ k.author }}, {{ day(k.at) }}</div>
          </td>
          <td v-if="mayRun" class="num">
            <button v-if="!open[k.id]" class="plain" type="button" data-show-key @click="run(() => show(k.id))">
              show
            </button>
            <SureButton
              label="take away"
              :ask="`Take the key ${k.hint} away for good?`"
              sure="take it away"
              @sure="run(() => ask(api.POST('/api/keys/{id}/drop', { params: { path: { id: k.id } } })))"
            />
          </td>
        </tr>
        <tr v-if="!line.keys.length">
          <td class="soft">No key is kept.</td>
        </tr>
      </tbody>
    </table>
    <form v-if="mayRun" class="row" @submit.prevent="addKey">
      <InputText v-model="key" size="small" placeholder="a licence key" name="key" autocomplete="off" />
      <InputText v-model="keyNote" size="small" placeholder="what it is for" />
      <Button type="submit" label="Keep it sealed" size="small" severity="secondary" :disabled="!key" />
    </form>
    <p v-else class="soft">Keys are shown to who runs Ensomet here.</p>
    <h2>Notes</h2>
    <p v-for="n in line.notes" :key="n.id">
      {{ n.text }} <span class="soft gap">{{ n.author }}, {{ moment(n.at) }}</span>
    </p>
    <form v-if="mayWork" class="row" @submit.prevent="addNote">
      <InputText v-model="typed.note" size="small" class="grow" placeholder="a note on this line" name="note" />
      <Button type="submit" label="Note it" size="small" severity="secondary" :disabled="!typed.note" />
    </form>
  </section>
</template>

<style scoped>
h2 {
  margin: 0.7rem 0 0.2rem;
}
.file {
  display: block;
  margin-top: 0.4rem;
}
td .plain + .plain {
  margin-left: 0.6rem;
}
form {
  margin-top: 0.4rem;
}
p {
  margin: 0.25rem 0;
}
</style>
