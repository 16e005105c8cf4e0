<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import TitlePick from '../components/TitlePick.vue'
import { useSession } from '../lib/session'

/**
 * What a suite contains, and how one knows that it is on a device: by a record of its own, or also by some of its
 * parts.
 */
const props = defineProps<{ product: number; definitions: Schemas['SuiteView'][] }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const draft = ref<Schemas['SuiteDraft']>()
const names = ref<string[]>([])
const says = ref('')
function open(d?: Schemas['SuiteView']) {
  says.value = ''
  names.value = [...(d?.names ?? [])]
  draft.value = d
    ? {
        id: d.id,
        product: d.product,
        edition: d.edition,
        version: d.version,
        need: d.need,
        parts: d.parts.map((p) => ({ ...p })),
      }
    : { id: 0, product: props.product, edition: '', version: '', need: 0, parts: [] }
}
function add(id: number, name: string) {
  if (!draft.value || draft.value.parts.some((p) => p.product === id)) return
  draft.value.parts.push({ product: id, edition: '', version: '' })
  names.value.push(name)
}
function drop(i: number) {
  draft.value?.parts.splice(i, 1)
  names.value.splice(i, 1)
  if (draft.value) draft.value.need = Math.min(draft.value.need, draft.value.parts.length)
}
const needs = computed(() => [
  { label: 'by a record of its own', value: 0 },
  ...(draft.value?.parts ?? []).map((_, i, all) => ({
    label: i + 1 === all.length ? `also where all ${all.length} parts are` : `also where ${i + 1} of the parts are`,
    value: i + 1,
  })),
])
const known = (d: Schemas['SuiteDraft']) =>
  d.need === 0
    ? 'known by a record of its own'
    : `also known by ${d.need === d.parts.length ? 'all' : d.need} of its ${d.parts.length} parts`
async function save() {
  says.value = ''
  try {
    await ask(api.POST('/api/suites', { body: draft.value! }))
    draft.value = undefined
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
async function remove(id: number) {
  try {
    await ask(api.POST('/api/suites/{id}/drop', { params: { path: { id } } }))
    draft.value = undefined
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
</script>

<template>
  <div data-suite>
    <p v-for="d in definitions" :key="d.id">
      Contains
      {{ d.names.map((n, i) => [n, d.parts[i]?.edition, d.parts[i]?.version].filter(Boolean).join(' ')).join(', ')
      }}<template v-if="d.edition || d.version"> in {{ [d.edition, d.version].filter(Boolean).join(' ') }}</template
      >; {{ known(d) }}.
      <button v-if="mayWork" class="plain" type="button" @click="open(d)">change</button>
    </p>
    <button v-if="mayWork && !draft" class="plain" type="button" data-suite-open @click="open()">
      Say what it contains, if it is a suite…
    </button>
    <form v-if="draft" class="sheet edit" @submit.prevent="save">
      <div class="row">
        <span>On a device it is known</span>
        <Select
          v-model="draft.need"
          :options="needs"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="how it is known"
          data-suite-need
        />
        <span>in edition</span>
        <InputText v-model="draft.edition" size="small" placeholder="any" aria-label="edition of the suite" />
        <span>and version</span>
        <InputText v-model="draft.version" size="small" placeholder="any" aria-label="version of the suite" />
      </div>
      <table v-if="draft.parts.length" class="lines">
        <thead>
          <tr>
            <th>part</th>
            <th>in edition</th>
            <th>in versions that begin with</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(p, i) in draft.parts" :key="p.product" data-suite-part>
            <td>{{ names[i] }}</td>
            <td>
              <InputText v-model="p.edition" size="small" placeholder="any" :aria-label="`edition of ${names[i]}`" />
            </td>
            <td>
              <InputText v-model="p.version" size="small" placeholder="any" :aria-label="`version of ${names[i]}`" />
            </td>
            <td><button class="plain soft" type="button" @click="drop(i)">no part</button></td>
          </tr>
        </tbody>
      </table>
      <TitlePick :model-value="0" name="" @update:model-value="add" />
      <p v-if="says" class="says" role="alert">{{ says }}</p>
      <div class="row">
        <Button
          type="submit"
          size="small"
          label="Fold these parts under it"
          :disabled="!draft.parts.length"
          data-suite-save
        />
        <button v-if="draft.id" class="plain soft" type="button" @click="remove(draft.id)">it contains nothing</button>
        <button class="plain soft" type="button" @click="draft = undefined">close</button>
      </div>
    </form>
  </div>
</template>

<style scoped>
.edit {
  display: grid;
  gap: 0.5rem;
  max-width: 62rem;
}
p {
  margin: 0.2rem 0;
}
</style>
