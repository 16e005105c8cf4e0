<script setup lang="ts">
import InputText from 'primevue/inputtext'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import RuleForm from '../components/RuleForm.vue'
import { noScope, scopeBody, scopeOf, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day, whole } from '../lib/format'
import { formOf, useRuleDesk } from '../lib/ruleDesk'
import { useSession } from '../lib/session'

/** Which titles are measured on which devices; what another choice or the end of one would change shows before. */
const props = defineProps<{ choices: Schemas['MeteringView'][] }>()
const { may } = useSession()
const mayWork = may('work')
interface Draft {
  id: number
  revision: number
  on: boolean
  scope: Scope
  note: string
}
const desk = useRuleDesk<Draft, Schemas['MeteringDraft'], Schemas['MeteringEffect']>('meter', {
  open: () => mayWork.value,
  stored: () =>
    props.choices.map(({ says, what }) => ({
      id: says.id,
      revision: says.revision,
      on: says.on ?? false,
      scope: scopeOf(says, what),
      note: says.note ?? '',
    })),
  blank: () => ({ id: 0, revision: 0, on: true, scope: noScope(), note: '' }),
  body: ({ scope, ...rest }) => (scopeReady(scope) ? { ...scopeBody(scope), ...rest } : undefined),
  preview: (b) => ask(api.POST('/api/metering/preview', { body: b })),
  previewEnd: (end) => ask(api.POST('/api/metering/preview', { body: { id: 0, revision: 0, end } })),
  save: (b) => ask(api.POST('/api/metering', { body: b })),
  end: (id, revision) => ask(api.POST('/api/metering/{id}/end', { params: { path: { id } }, body: { revision } })),
})
const { draft, effect, ending, endEffect, endFailed, endSays, askEnd, says, end } = desk
function words(e?: Schemas['MeteringEffect']) {
  if (!e) return ''
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
        <tr v-for="c in choices" :key="c.id" :class="{ chosen: desk.chosen.value === String(c.id) }">
          <td>
            <b>{{ c.on ? 'yes' : 'no' }}</b>
          </td>
          <td>{{ c.what }}</td>
          <td>{{ c.group }}</td>
          <td>{{ c.from || 'the beginning' }}</td>
          <td>{{ c.note }}</td>
          <td>{{ c.author }}</td>
          <td class="keep">{{ day(c.at) }}</td>
          <td class="keep">
            <template v-if="mayWork">
              <button class="plain" type="button" data-edit @click="desk.edit(c.id)">change</button>
              <button class="plain" type="button" @click="askEnd(c.id)">end it</button>
            </template>
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
  <p v-if="endSays" class="says" role="alert">{{ endSays }}</p>
  <RuleForm
    v-if="mayWork && draft"
    v-model="draft.on"
    v-model:scope="draft.scope"
    v-bind="formOf(desk)"
    :options="[
      { l: 'Measure', v: true },
      { l: 'Do not measure', v: false },
    ]"
    label="measure or not"
    joint="the"
    :says="words(effect)"
    :press="draft.id ? 'Change it' : 'Choose it'"
    title="This choice is being changed: what it measured until today stays so."
    hint="Say what it is about; what it changes is shown here before it is chosen."
    data-meter-form
    @save="desk.save"
    @keep="desk.keep"
    @leave="desk.leave"
  >
    <template #beside>
      <InputText v-model="draft.note" size="small" class="grow" placeholder="why, if you like" aria-label="note" />
    </template>
  </RuleForm>
  <p v-if="says" class="says" role="status">{{ says }}</p>
</template>
