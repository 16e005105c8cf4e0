<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { api, ask } from '../api/client'
import EffectLine from '../components/EffectLine.vue'

/** Leaves a title on a device out of the count with a reason, or counts it again; the effect shows before. */
const props = defineProps<{ device: string; product: number; title: string; whyNot: string; suites: string }>()
const client = useQueryClient()
const out = computed(() => props.whyNot.startsWith('left out'))
const open = ref(false)
const reason = ref('')
const says = ref('')
watch(
  () => props.product,
  () => {
    open.value = false
    says.value = ''
  },
)
const body = computed(() => ({
  devices: [props.device],
  product: props.product,
  reason: out.value ? '' : reason.value,
  again: out.value,
}))
const late = refDebounced(body, 250)
const effect = useQuery({
  queryKey: ['leave-preview', late],
  queryFn: () => ask(api.POST('/api/left-out/preview', { body: late.value })),
  enabled: open,
  staleTime: 0,
  retry: false,
})
async function press() {
  says.value = ''
  try {
    await ask(api.POST('/api/left-out', { body: body.value }))
    open.value = false
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
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
        v-model="reason"
        size="small"
        fluid
        placeholder="why it is left out; an auditor will ask"
        aria-label="why it is left out"
        data-leave-reason
      />
      <EffectLine
        :says="`${title} on ${device}:`"
        :effect="out || reason.trim() ? effect.data.value : undefined"
        :failed="effect.error.value?.message"
        :press="out ? 'Count it again' : 'Leave it out'"
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
