<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import SureButton from '../components/SureButton.vue'
import TitlePick from '../components/TitlePick.vue'
import { refusal } from '../lib/act'
import { useDraft } from '../lib/draft'
import { useSession } from '../lib/session'

/**
 * What a suite contains, and how one knows that it is on a device: by a record of its own, or also by some of its
 * parts.
 */
const props = defineProps<{ product: number; definitions: Schemas['SuiteView'][] }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
/** The definition that is open: its number, or new; empty is none. */
const chosen = ref('')
watch(
  () => props.product,
  () => (chosen.value = ''),
)
function stored(): Schemas['SuiteDraft'] | undefined {
  if (chosen.value === 'new') {
    return { id: 0, revision: 0, product: props.product, edition: '', version: '', need: 0, parts: [] }
  }
  const d = props.definitions.find((x) => String(x.id) === chosen.value)
  if (!d) return undefined
  const { id, revision, product, edition, version, need, parts } = d
  return { id, revision, product, edition, version, need, parts }
}
const form = useDraft<Schemas['SuiteDraft']>(() => chosen.value && `suite:${props.product}:${chosen.value}`, stored)
const draft = form.draft
/** What parts are called, by the numbers of their products. */
const called = ref<Record<number, string>>({})
watch(
  () => props.definitions,
  (all) => all.forEach((d) => d.parts.forEach((p, i) => (called.value[p.product] = d.names[i] ?? ''))),
  { immediate: true },
)
const names = computed(() => (draft.value?.parts ?? []).map((p) => called.value[p.product] ?? `title ${p.product}`))
const says = ref('')
function open(d?: Schemas['SuiteView']) {
  says.value = ''
  chosen.value = d ? String(d.id) : 'new'
}
function add(id: number, name: string) {
  if (!draft.value || draft.value.parts.some((p) => p.product === id)) return
  draft.value.parts.push({ product: id, edition: '', version: '' })
  called.value[id] = name
}
function drop(i: number) {
  draft.value?.parts.splice(i, 1)
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
  if (await form.save((body) => ask(api.POST('/api/suites', { body })))) chosen.value = ''
}
async function remove(id: number, revision: number) {
  try {
    await ask(api.POST('/api/suites/{id}/drop', { params: { path: { id } }, body: { revision } }))
    form.discard()
    chosen.value = ''
    await client.invalidateQueries()
  } catch (e) {
    says.value = refusal(e)
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
      <DraftKept
        :kept="form.kept.value"
        :dirty="form.dirty.value"
        :others="form.others.value"
        @discard="form.discard"
      />
      <OtherChange
        v-if="form.other.value"
        :conflict="form.other.value"
        :mine="draft"
        :base="form.base.value"
        :theirs="stored()"
        @save="(theirs) => (form.settle(theirs), save())"
      />
      <p v-if="form.says.value" role="status" data-says>{{ form.says.value }}</p>
      <p v-if="says" class="says" role="alert">{{ says }}</p>
      <div class="row">
        <Button
          type="submit"
          size="small"
          label="Fold these parts under it"
          :disabled="!draft.parts.length"
          :loading="form.busy.value"
          data-suite-save
        />
        <SureButton
          v-if="draft.id"
          label="it contains nothing"
          ask="Take the definition away for good?"
          sure="take it away"
          @sure="remove(draft.id, draft.revision)"
        />
        <button class="plain soft" type="button" @click="chosen = ''">close</button>
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
