<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import ScopePick, { noScope, scopeBody, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day, whole } from '../lib/format'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'

/** Which titles are measured on which devices; what another choice or the end of one would change shows before. */
defineProps<{ choices: Schemas['MeteringView'][] }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const scope = ref<Scope>(noScope())
const on = ref(true)
const note = ref('')
const says = ref('')
const body = computed(() =>
  mayWork.value && scopeReady(scope.value) ? { ...scopeBody(scope.value), on: on.value } : undefined,
)
const { effect, failed } = usePreview('meter-effect', body, (b) => ask(api.POST('/api/metering/preview', { body: b })))
const ending = ref(0)
const { effect: endEffect, failed: endFailed } = usePreview(
  'meter-end-effect',
  computed(() => ending.value || undefined),
  (end) => ask(api.POST('/api/metering/preview', { body: { end } })),
)
function words(e?: Schemas['MeteringEffect']) {
  if (!e) return 'being worked out…'
  const parts = [`${whole(e.now)} → ${count(e.then, 'install')} measured`]
  if (e.starts) parts.push(`${whole(e.starts)} from tomorrow on`)
  if (e.stops)
    parts.push(
      `${whole(e.stops)} no longer${e.judged ? `; ${whole(e.judged)} of them can be judged today and will not be for long` : ''}`,
    )
  if (!e.starts && !e.stops) parts.push('nothing changes')
  const unknown = e.unknown
    ? ' No program of it is known, so its use cannot be seen: give it the name of its file as an alias.'
    : ''
  return parts.join(', ') + (e.samples.length ? `. Most: ${e.samples.join(', ')}.` : '.') + unknown
}
async function run(call: () => Promise<unknown>) {
  says.value = ''
  try {
    await call()
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
const save = () =>
  run(async () => {
    if (!effect.value || !body.value) return
    await ask(api.POST('/api/metering', { body: { ...body.value, note: note.value } }))
    scope.value = noScope()
    note.value = ''
  })
const end = () =>
  run(async () => {
    await ask(api.POST('/api/metering/{id}/end', { params: { path: { id: ending.value } } }))
    ending.value = 0
  })
</script>

<template>
  <p v-if="!choices.length">
    Every title is measured on every device that reports use. Choose some, and only those are: what nobody asked for is
    then not kept.
  </p>
  <div v-else class="scrolls">
    <table class="lines" data-choices>
      <thead>
        <tr>
          <th>measured</th>
          <th>of</th>
          <th>on</th>
          <th>from</th>
          <th>note</th>
          <th>by</th>
          <th>since</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in choices" :key="c.id">
          <td>
            <b>{{ c.on ? 'yes' : 'no' }}</b>
          </td>
          <td>{{ c.what }}</td>
          <td>{{ c.group }}</td>
          <td>{{ c.from || 'the beginning' }}</td>
          <td>{{ c.note }}</td>
          <td>{{ c.author }}</td>
          <td>{{ day(c.at) }}</td>
          <td>
            <button v-if="mayWork" class="plain" type="button" @click="ending = ending === c.id ? 0 : c.id">
              end it
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <EffectLine
    v-if="ending"
    press="End this choice"
    :ready="!!endEffect"
    :says="words(endEffect)"
    :failed="endFailed"
    data-end-choice
    @press="end"
  />
  <form v-if="mayWork" class="sheet form" data-meter-form @submit.prevent="save">
    <div class="row">
      <Select
        v-model="on"
        :options="[
          { l: 'Measure', v: true },
          { l: 'Do not measure', v: false },
        ]"
        option-label="l"
        option-value="v"
        size="small"
        aria-label="measure or not"
      />
      <span>the</span>
      <ScopePick v-model="scope" />
      <InputText v-model="note" size="small" class="grow" placeholder="why, if you like" aria-label="note" />
    </div>
    <EffectLine v-if="body" press="Choose it" :ready="!!effect" :says="words(effect)" :failed="failed" @press="save" />
    <p v-else class="soft">Say what it is about; what it changes is shown here before it is chosen.</p>
  </form>
  <p v-if="says" class="says" role="alert">{{ says }}</p>
</template>
