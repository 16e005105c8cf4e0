<script setup lang="ts">
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import RuleForm from '../components/RuleForm.vue'
import { noScope, scopeBody, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day, whole } from '../lib/format'
import { useRuleDesk } from '../lib/ruleDesk'
import { useSession } from '../lib/session'

/** Which titles are measured on which devices; what another choice or the end of one would change shows before. */
defineProps<{ choices: Schemas['MeteringView'][] }>()
const { may } = useSession()
const mayWork = may('work')
const scope = ref<Scope>(noScope())
const on = ref(true)
const note = ref('')
const body = computed(() =>
  mayWork.value && scopeReady(scope.value) ? { ...scopeBody(scope.value), on: on.value, note: note.value } : undefined,
)
const { effect, failed, ending, endEffect, endFailed, askEnd, says, save, end } = useRuleDesk(
  'meter',
  body,
  {
    preview: (b) => ask(api.POST('/api/metering/preview', { body: b })),
    previewEnd: (end) => ask(api.POST('/api/metering/preview', { body: { end } })),
    save: (b) => ask(api.POST('/api/metering', { body: b })),
    end: (id) => ask(api.POST('/api/metering/{id}/end', { params: { path: { id } } })),
  },
  () => {
    scope.value = noScope()
    note.value = ''
  },
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
            <button v-if="mayWork" class="plain" type="button" @click="askEnd(c.id)">end it</button>
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
  <RuleForm
    v-if="mayWork"
    v-model="on"
    v-model:scope="scope"
    :options="[
      { l: 'Measure', v: true },
      { l: 'Do not measure', v: false },
    ]"
    label="measure or not"
    joint="the"
    :ready="!!body"
    :known="!!effect"
    :says="words(effect)"
    :failed="failed"
    press="Choose it"
    hint="Say what it is about; what it changes is shown here before it is chosen."
    data-meter-form
    @save="save"
  >
    <template #beside>
      <InputText v-model="note" size="small" class="grow" placeholder="why, if you like" aria-label="note" />
    </template>
  </RuleForm>
  <p v-if="says" class="says" role="alert">{{ says }}</p>
</template>
