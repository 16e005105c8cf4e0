<script setup lang="ts">
import Button from 'primevue/button'
import { computed, onMounted, ref, useTemplateRef, watch } from 'vue'
import type { Conflict } from '../api/client'
import { moment } from '../lib/format'

/** Somebody else changed a thing while a person did: both are shown, field by field, and the person's own stays. */
const props = defineProps<{
  conflict: Conflict
  /** The draft of the person. */
  mine: object
  /** What the draft began with. */
  base?: object
  /** The thing as it is now. */
  theirs: object | undefined
  /** What fields are called, where their own names do not say it. */
  labels?: Record<string, string>
  /** How a value of a field is said, where it is no plain text. */
  say?: (field: string, value: unknown) => string | undefined
}>()
const emit = defineEmits<{
  /** What is to hold is chosen: the fields in which the other's holds. */
  save: [theirs: string[]]
}>()

const section = useTemplateRef('section')
onMounted(() => section.value?.scrollIntoView({ block: 'nearest' }))
const own = computed(() => props.mine as Record<string, unknown>)
function theirsOf(field: string): unknown {
  if (props.theirs) return (props.theirs as Record<string, unknown>)[field]
  return props.conflict.changed.find((c) => c.field === field)?.is
}
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
const began = (field: string, was: unknown) => (props.base ? (props.base as Record<string, unknown>)[field] : was)
// what he wrote is what is there now otherwise than when the person began
const fields = computed(() =>
  props.conflict.changed
    .filter((c) => c.field in own.value && !(props.base && same(theirsOf(c.field), began(c.field, c.was))))
    .map((c) => c.field),
)
const taken = ref<Record<string, boolean>>({})
watch(
  () => props.conflict,
  (c) => {
    // where a person left a field as it was, what the other wrote there holds, unless he says otherwise
    taken.value = Object.fromEntries(c.changed.map((x) => [x.field, same(own.value[x.field], began(x.field, x.was))]))
  },
  { immediate: true },
)
const label = (field: string) =>
  props.labels?.[field] ?? field.replace(/([A-Z])/g, (c) => ' ' + c.toLowerCase()).replace(/_/g, ' ')
function shown(field: string, v: unknown): string {
  const words = props.say?.(field, v)
  if (words !== undefined) return words
  if (v === undefined || v === null || v === '') return 'nothing'
  if (typeof v === 'boolean') return v ? 'yes' : 'no'
  if (Array.isArray(v) && v.every((x) => typeof x !== 'object')) return v.length ? v.join(', ') : 'nothing'
  if (typeof v === 'object') {
    const text = JSON.stringify(v).replace(/["{}[\]]/g, ' ')
    return text.trim() ? (text.length > 200 ? text.slice(0, 200) + '…' : text) : 'nothing'
  }
  return String(v)
}
</script>

<template>
  <section ref="section" class="other" role="alert" data-conflict>
    <p>
      <b>{{ conflict.who }}</b> changed this on {{ moment(conflict.at) }}, while you did.
      <template v-if="fields.length">What you typed is still here: choose what is to hold.</template>
      <template v-else>What you typed is still here, and touches nothing of that.</template>
    </p>
    <table v-if="fields.length" class="lines">
      <thead>
        <tr>
          <th></th>
          <th>{{ conflict.who }} wrote</th>
          <th>you wrote</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in fields" :key="f">
          <th scope="row">{{ label(f) }}</th>
          <td>
            <label
              ><input v-model="taken[f]" type="radio" :name="'other-' + f" :value="true" />
              {{ shown(f, theirsOf(f)) }}</label
            >
          </td>
          <td>
            <label
              ><input v-model="taken[f]" type="radio" :name="'other-' + f" :value="false" />
              {{ shown(f, own[f]) }}</label
            >
          </td>
        </tr>
      </tbody>
    </table>
    <Button
      :label="fields.length ? 'Save what is chosen' : 'Save mine as well'"
      size="small"
      data-settle
      @click="
        emit(
          'save',
          fields.filter((f) => taken[f]),
        )
      "
    />
  </section>
</template>

<style scoped>
.other {
  border: 1.5px solid var(--here);
  background: var(--sheet);
  padding: 0.6rem 0.9rem;
  margin: 0.5rem 0;
}
.other p {
  margin: 0 0 0.4rem;
}
.other table {
  margin-bottom: 0.6rem;
}
.other th[scope='row'] {
  border-bottom: none;
  text-align: left;
  font-weight: 500;
}
</style>
