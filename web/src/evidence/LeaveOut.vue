<script setup lang="ts">
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { api, ask } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import { useAct } from '../lib/act'
import { useKept } from '../lib/kept'
import { usePreview } from '../lib/preview'

/** Leaves a title on a device out of the count with a reason, or counts it again; the effect shows before. */
const props = defineProps<{
  device: string
  product: number
  title: string
  whyNot: string
  suites: string
  exclusion: number
}>()
const out = computed(() => props.whyNot.startsWith('left out'))
const open = ref(false)
const { form: typed, hold } = useKept(
  () => `leave:${props.device}:${props.product}`,
  () => ({ reason: '' }),
)
const { busy, says, act } = useAct()
watch(
  () => props.product,
  () => {
    open.value = false
    says.value = ''
  },
)
const body = computed(() => ({
  devices: [props.device],
  revisions: [props.exclusion],
  product: props.product,
  reason: out.value ? '' : typed.value.reason,
  again: out.value,
}))
const said = computed(() => (open.value && (out.value || typed.value.reason.trim()) ? body.value : undefined))
const { effect, failed } = usePreview('leave-preview', said, (b) => ask(api.POST('/api/left-out/preview', { body: b })))
async function press() {
  const sent = body.value
  const taken = hold()
  if (await act(() => ask(api.POST('/api/left-out', { body: sent })))) {
    open.value = false
    taken()
  }
}
</script>

<template>
  <div class="leave" data-leave>
    <p v-if="suites" class="soft">{{ suites }}.</p>
    <p>
      {{ whyNot ? `It does not count: ${whyNot}.` : 'It counts.' }}
      <button v-if="(!whyNot || out) && !open" class="plain" type="button" data-leave-open @click="open = true">
        {{ out ? 'Count it again…' : 'Leave it out of the count…' }}
      </button>
    </p>
    <template v-if="open">
      <InputText
        v-if="!out"
        v-model="typed.reason"
        size="small"
        fluid
        placeholder="why it is left out; an auditor will ask"
        aria-label="why it is left out"
        data-leave-reason
      />
      <EffectLine
        :says="`${title} on ${device}:`"
        :effect="effect"
        :failed="failed"
        :press="busy ? 'Saving…' : out ? 'Count it again' : 'Leave it out'"
        @press="press"
      />
    </template>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </div>
</template>

<style scoped>
.leave {
  display: grid;
  gap: 0.3rem;
  margin-bottom: 0.5rem;
}
.leave p {
  margin: 0;
}
</style>
