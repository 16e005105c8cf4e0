<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import AutoComplete from 'primevue/autocomplete'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, ask, readList, type Schemas } from '../api/client'
import { word } from '../lib/format'
import { ownOr } from '../lib/own'

/**
 * Edits a condition on devices, nested as deep as one likes: every line asks one thing, every box joins its lines by
 * all, any or none. There is no syntax to learn.
 */
type Condition = Schemas['Condition']
const props = defineProps<{
  modelValue: Condition
  names: Record<number, string>
  depth?: number
  /** what the condition is about: devices, or raw records */
  of?: 'records'
}>()
const emit = defineEmits<{ 'update:modelValue': [c: Condition]; drop: []; named: [id: number, name: string] }>()

const fields = useQuery({
  queryKey: ['condition-fields', props.of],
  queryFn: () => ask(props.of ? api.GET('/api/name-rules/fields') : api.GET('/api/groups/fields')),
})
const known = computed(() => fields.data.value)
const typeOf = (field?: string) => known.value?.fields.find((f) => f.name === field)?.type ?? 'text'
const labels: Record<string, string> = {
  directory_path: 'directory path',
  network: 'address',
  user: 'main user',
  os: 'system',
  age: 'evidence',
  virtual_cores: 'virtual cores',
}
const opWords: Record<string, string> = {
  at_least: 'at least',
  at_most: 'at most',
  within: 'lies in',
  under: 'is or lies under',
  like: 'looks like',
  in: 'is in',
}
const fieldOptions = computed(() =>
  (known.value?.fields ?? []).map((f) => ({ label: labels[f.name] ?? ownOr(f.name), value: f.name })),
)
const ops = computed(() =>
  (known.value?.operators[typeOf(props.modelValue.field)] ?? []).map((o) => ({ label: opWords[o] ?? o, value: o })),
)
const choices = computed(() => known.value?.values[props.modelValue.field ?? ''] ?? [])

// A box is all, any, or none; none is "not any".
const join = computed<'all' | 'any' | 'none' | ''>(() => {
  const c = props.modelValue
  if (c.all) return 'all'
  if (c.any) return 'any'
  if (c.not?.any) return 'none'
  return ''
})
const lines = computed<Condition[]>(
  () => props.modelValue.all ?? props.modelValue.any ?? props.modelValue.not?.any ?? [],
)
const joins = [
  { label: 'all of these hold', value: 'all' },
  { label: 'any of these holds', value: 'any' },
  { label: 'none of these holds', value: 'none' },
]
const made = (how: string, list: Condition[]): Condition =>
  how === 'all' ? { all: list } : how === 'any' ? { any: list } : { not: { any: list } }
const setLine = (i: number, c: Condition) =>
  emit(
    'update:modelValue',
    made(
      join.value,
      lines.value.map((x, k) => (k === i ? c : x)),
    ),
  )
const dropLine = (i: number) =>
  emit(
    'update:modelValue',
    made(
      join.value,
      lines.value.filter((_, k) => k !== i),
    ),
  )
const fresh: Condition = props.of ? { field: 'name', op: 'like', value: '' } : { field: 'unit', op: 'under', value: '' }
const add = (c: Condition) => emit('update:modelValue', made(join.value, [...lines.value, c]))

function setField(field: string) {
  const op = known.value?.operators[typeOf(field)]?.[0] ?? 'is'
  emit('update:modelValue', { field, op, value: '' })
}
const set = (part: Partial<Condition>) => emit('update:modelValue', { ...props.modelValue, ...part })

const titles = ref<{ id: number; name: string }[]>([])
async function findTitles(e: { query: string }) {
  const page = await readList('products', { q: e.query, sort: 'devices', desc: true }, '', 12)
  titles.value = page.rows.map((r) => ({ id: r.id, name: r.product }))
}
const title = computed(() => {
  const id = Number(props.modelValue.value)
  return id ? { id, name: props.names[id] ?? `title ${id}` } : null
})
function setTitle(t: { id: number; name: string }) {
  emit('named', t.id, t.name)
  set({ value: String(t.id) })
}
const suggestions = ref<string[]>([])
const suggest = (e: { query: string }) => {
  suggestions.value = choices.value.filter((v) => v.toLowerCase().includes(e.query.toLowerCase())).slice(0, 40)
}
const hints: Record<string, string> = { network: '10.24.0.0/13 or 2001:db8::/32', name: 'hal-*', like: 'with * and ?' }
const fixed = ['piece', 'kind', 'environment', 'status', 'age', 'portable', 'hosting']
</script>

<template>
  <div v-if="join" class="box" :class="{ inner: depth }" data-box>
    <div class="row head">
      <Select
        :model-value="join"
        :options="joins"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="how the lines are joined"
        @update:model-value="(v: string) => emit('update:modelValue', made(v, lines))"
      />
      <span v-if="!lines.length" class="soft">{{
        depth ? 'an empty box' : of ? 'no line yet: every record fits' : 'no line yet: every device is in'
      }}</span>
      <span class="grow" />
      <button v-if="depth" class="plain soft" type="button" @click="emit('drop')">take this box away</button>
    </div>
    <ConditionEditor
      v-for="(c, i) in lines"
      :key="i"
      :model-value="c"
      :names="names"
      :depth="(depth ?? 0) + 1"
      :of="of"
      @update:model-value="(v: Condition) => setLine(i, v)"
      @drop="dropLine(i)"
      @named="(id: number, name: string) => emit('named', id, name)"
    />
    <div class="row adds">
      <button class="plain" type="button" data-add-line @click="add(fresh)">one more line</button>
      <button v-if="(depth ?? 0) < 5" class="plain" type="button" data-add-box @click="add({ any: [fresh] })">
        a box of lines
      </button>
    </div>
  </div>
  <div v-else-if="modelValue.not" class="line row">
    <span>not</span>
    <ConditionEditor
      :model-value="modelValue.not"
      :names="names"
      :depth="(depth ?? 0) + 1"
      :of="of"
      @update:model-value="(v: Condition) => emit('update:modelValue', { not: v })"
      @drop="emit('drop')"
      @named="(id: number, name: string) => emit('named', id, name)"
    />
    <button class="plain soft" type="button" @click="emit('update:modelValue', modelValue.not!)">without “not”</button>
  </div>
  <div v-else class="line row" data-line>
    <Select
      :model-value="modelValue.field"
      :options="fieldOptions"
      option-label="label"
      option-value="value"
      size="small"
      aria-label="what is asked about"
      scroll-height="24rem"
      @update:model-value="setField"
    />
    <Select
      v-if="ops.length > 1"
      :model-value="modelValue.op"
      :options="ops"
      option-label="label"
      option-value="value"
      size="small"
      aria-label="how it is asked"
      @update:model-value="(op: string) => set({ op })"
    />
    <span v-else class="soft">{{ ops[0]?.label }}</span>
    <AutoComplete
      v-if="typeOf(modelValue.field) === 'title'"
      :model-value="title"
      :suggestions="titles"
      option-label="name"
      size="small"
      force-selection
      placeholder="a title"
      aria-label="title"
      @complete="findTitles"
      @option-select="(e) => setTitle(e.value as { id: number; name: string })"
    />
    <Select
      v-else-if="modelValue.field === 'group' || (fixed.includes(modelValue.field ?? '') && modelValue.op === 'is')"
      :model-value="modelValue.value"
      :options="
        (modelValue.field === 'group' ? (known?.groups ?? []) : choices).map((v) => ({ label: word(v), value: v }))
      "
      option-label="label"
      option-value="value"
      size="small"
      aria-label="value"
      @update:model-value="(value: string) => set({ value })"
    />
    <AutoComplete
      v-else-if="choices.length"
      :model-value="modelValue.value"
      :suggestions="suggestions"
      size="small"
      complete-on-focus
      :placeholder="hints[modelValue.op ?? '']"
      aria-label="value"
      @complete="suggest"
      @update:model-value="(v: string) => set({ value: v ?? '' })"
    />
    <InputText
      v-else
      :model-value="modelValue.value"
      size="small"
      :placeholder="hints[modelValue.field ?? ''] ?? hints[modelValue.op ?? '']"
      aria-label="value"
      data-value
      @update:model-value="(v) => set({ value: v ?? '' })"
    />
    <button class="plain soft" type="button" @click="emit('update:modelValue', { not: modelValue })">not</button>
    <button class="plain soft" type="button" aria-label="take this line away" @click="emit('drop')">✕</button>
  </div>
</template>

<style scoped>
.box {
  display: grid;
  gap: 0.35rem;
}
.box.inner {
  border-left: 3px solid var(--covered);
  padding-left: 0.7rem;
}
.line {
  flex-wrap: wrap;
}
.adds {
  gap: 1.1rem;
}
</style>
