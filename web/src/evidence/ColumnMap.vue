<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import type { FileLook, Mapping } from '../api/client'

/**
 * What the columns of a foreign file mean here: proposed, with samples, and to be corrected. The answer is kept and
 * found again by the same headers.
 */
const props = defineProps<{ look: FileLook; saved?: Mapping }>()
const emit = defineEmits<{ mapped: [m: Mapping] }>()
const columns = ref<Record<string, string>>({})
const constants = ref<{ column: string; value: string }[]>([])
watch(
  () => props.look,
  (l) => {
    columns.value = Object.fromEntries(l.columns.map((c) => [c.header, props.saved?.columns[c.header] ?? c.column]))
    constants.value = Object.entries(props.saved?.constants ?? {}).map(([column, value]) => ({ column, value }))
  },
  { immediate: true },
)
const used = computed(() => [...Object.values(columns.value), ...constants.value.map((c) => c.column)])
const options = computed(() => [
  { label: 'keep it as a custom field', value: '+' },
  { label: 'leave it out', value: '-' },
  ...props.look.own.map((c) => ({ label: props.look.required.includes(c) ? `${c} (needed)` : c, value: c })),
])
const missing = computed(() => props.look.required.filter((r) => !used.value.includes(r)))
const twice = computed(() => props.look.own.filter((c) => used.value.filter((u) => u === c).length > 1))
const free = computed(() => props.look.own.filter((c) => !used.value.includes(c)))
function done() {
  emit('mapped', {
    columns: columns.value,
    constants: Object.fromEntries(constants.value.filter((c) => c.column && c.value).map((c) => [c.column, c.value])),
  })
}
</script>

<template>
  <div class="sheet map" data-map>
    <table class="lines">
      <thead>
        <tr>
          <th>their column</th>
          <th>for example</th>
          <th>is here</th>
          <th>because</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in look.columns" :key="c.header" :data-column="c.header">
          <td>
            <b>{{ c.header || '(no name)' }}</b>
          </td>
          <td class="soft">{{ c.sample.join(' · ') }}</td>
          <td>
            <Select
              v-model="columns[c.header]"
              :options="options"
              option-label="label"
              option-value="value"
              filter
              size="small"
              :aria-label="`what ${c.header} is here`"
            />
          </td>
          <td class="soft">{{ columns[c.header] === c.column ? c.why : 'as you say' }}</td>
        </tr>
      </tbody>
    </table>
    <div v-for="(c, i) in constants" :key="i" class="row">
      <span>On every line</span>
      <Select
        v-model="c.column"
        :options="[...free, c.column].filter(Boolean)"
        size="small"
        placeholder="column"
        aria-label="column"
      />
      <span>is</span>
      <InputText v-model="c.value" size="small" aria-label="value" />
      <button class="plain soft" type="button" @click="constants.splice(i, 1)">✕</button>
    </div>
    <div class="row">
      <button class="plain" type="button" @click="constants.push({ column: '', value: '' })">
        a value that every line has
      </button>
      <span v-if="missing.length" class="drop">still needed: {{ missing.join(', ') }}</span>
      <span v-if="twice.length" class="drop">named twice: {{ twice.join(', ') }}</span>
      <span class="grow" />
      <span class="soft">kept for files with the same headers</span>
      <Button
        label="Look at what it would do"
        size="small"
        :disabled="missing.length > 0 || twice.length > 0"
        data-mapped
        @click="done"
      />
    </div>
  </div>
</template>

<style scoped>
.map {
  display: grid;
  gap: 0.5rem;
}
</style>
