<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import { useAct } from '../lib/act'
import { useKept } from '../lib/kept'
import TradeEffect from './TradeEffect.vue'

/** Undoing a transaction: taken back, or by a counter-entry where a statement rests on it; with what that changes. */
const props = defineProps<{ id: number }>()
const emit = defineEmits<{ done: [] }>()
const at = computed(() => ({ params: { path: { id: props.id } } }))
const query = useQuery({
  queryKey: ['undo-transaction', computed(() => props.id)],
  queryFn: () => ask(api.GET('/api/transactions/{id}/undo', at.value)),
  gcTime: 0,
  retry: false,
})
const effect = computed(() => query.data.value)
const { form, hold } = useKept(
  () => `undo-transaction:${props.id}`,
  () => ({ why: '' }),
)
const { busy, says, act } = useAct()
const counter = computed(() => effect.value?.how === 'counter-entry')
async function undo() {
  const how = effect.value?.how
  if (!form.value.why.trim() || (how !== 'take back' && how !== 'counter-entry')) return
  const undone = hold()
  const body = { how, why: form.value.why }
  if (await act(() => ask(api.POST('/api/transactions/{id}/undo', { ...at.value, body })))) {
    undone()
    emit('done')
  }
}
</script>

<template>
  <form class="undo" data-undo-form @submit.prevent="undo">
    <p v-if="counter">
      It cannot be taken back: {{ effect?.because }}. A counter-entry of the same day undoes it, and both stay to be
      seen.
    </p>
    <label>why <InputText v-model="form.why" size="small" name="why" class="wide" /></label>
    <EffectLine
      :press="busy ? 'Undoing…' : counter ? 'Book a counter-entry' : 'Take it back'"
      :says="form.why.trim() ? '' : 'once it says why'"
      :ready="!!effect && !!form.why.trim() && !busy"
      :failed="query.error.value?.message"
      @press="undo"
    >
      <TradeEffect v-if="effect" :effect="effect" />
    </EffectLine>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </form>
</template>

<style scoped>
.undo {
  display: grid;
  gap: 0.4rem;
  padding: 0.3rem 0;
}
.wide {
  width: min(100%, 28rem);
}
p {
  margin: 0;
}
</style>
