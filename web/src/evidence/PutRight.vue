<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { api, ask } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import PositionMoves from '../components/PositionMoves.vue'
import { useAct } from '../lib/act'
import { count, whole, word } from '../lib/format'
import { usePreview } from '../lib/preview'

/** Says a fact or a state of one device or of several by hand, from a day on, with what that does before it is done. */
const props = defineProps<{ devices: string[] }>()
const emit = defineEmits<{ done: [] }>()
const ownField = 'own:'
const fields = useQuery({
  queryKey: ['words', 'fields'],
  queryFn: () => ask(api.GET('/api/words/fields')),
  staleTime: Infinity,
})
const choices = computed(() => [
  ...(fields.data.value ?? []).map((f) => ({ label: names[f.name] ?? word(f.name), value: f.name })),
  { label: 'a field of our own', value: ownField },
])
const names: Record<string, string> = { org_unit: 'unit', primary_user: 'main user', host_id: 'host' }
const field = ref('status')
const own = ref('')
const value = ref('')
const from = ref('')
const reason = ref('')
watch(field, () => (value.value = ''))
const chosen = computed(() => (fields.data.value ?? []).find((f) => f.name === field.value))
const options = computed(() =>
  (chosen.value?.choices ?? []).map((c) => ({
    label: c === 'true' ? 'yes' : c === 'false' ? 'no' : word(c),
    value: c,
  })),
)
const ready = computed(() => (field.value === ownField ? own.value.trim() : value.value.trim()))
const draft = computed(() =>
  ready.value && props.devices.length
    ? {
        devices: props.devices,
        field: field.value === ownField ? ownField + own.value.trim() : field.value,
        value: value.value,
        drop: false,
        from: from.value,
        reason: reason.value,
        revisions: [],
      }
    : undefined,
)
// why it is so changes nothing of what it does
const asked = computed(() => draft.value && { ...draft.value, reason: '' })
const { effect, failed } = usePreview('word', asked, (b, signal) =>
  ask(api.POST('/api/words/preview', { body: b, signal })),
)
const { busy, says, act } = useAct()
async function save() {
  const body = { ...draft.value!, revisions: effect.value!.revisions }
  if (await act(() => ask(api.POST('/api/words', { body })), 'Said. Figures follow in a moment.')) {
    value.value = reason.value = from.value = ''
    emit('done')
  }
}
const effectWords = computed(() => {
  const e = effect.value
  if (!e) return ''
  if (props.devices.length === 1) return e.changed ? 'holds at once' : 'changes nothing today'
  return `${whole(e.changed)} of ${count(e.devices, 'device')} change today`
})
</script>

<template>
  <form class="put" data-put-right @submit.prevent="save">
    <div class="row">
      <Select
        v-model="field"
        :options="choices"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="what is put right"
        data-field
      />
      <InputText
        v-if="field === ownField"
        v-model="own"
        size="small"
        class="few"
        placeholder="its name"
        aria-label="name of the field"
        data-own
      />
      <span>is</span>
      <Select
        v-if="options.length"
        v-model="value"
        :options="options"
        option-label="label"
        option-value="value"
        size="small"
        placeholder="choose"
        aria-label="value"
        data-value
      />
      <InputText
        v-else
        v-model="value"
        size="small"
        :inputmode="chosen?.number ? 'numeric' : undefined"
        aria-label="value"
        data-value
      />
      <label class="row">from <input v-model="from" type="date" aria-label="from" data-from /></label>
      <span v-if="!from" class="soft">none is today</span>
    </div>
    <InputText
      v-model="reason"
      size="small"
      class="why"
      placeholder="why, for whoever asks later"
      aria-label="why"
      data-reason
    />
    <EffectLine
      v-if="draft"
      :press="`Put ${count(devices.length, 'device')} right`"
      :ready="!!effect && !!reason.trim() && !busy"
      :says="effectWords"
      :failed="failed"
      @press="save"
    >
      <PositionMoves v-if="effect" :moves="effect.moves" />
      <span v-if="effect && !reason.trim()" class="soft">say why, then press</span>
    </EffectLine>
    <p v-if="says" role="status" data-said>{{ says }}</p>
  </form>
</template>

<style scoped>
.put {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.4rem;
}
.row {
  gap: 0.4rem;
  flex-wrap: wrap;
}
.few {
  width: 8rem;
}
.why {
  width: 100%;
}
</style>
