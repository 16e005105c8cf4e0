<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import OwnerPick from '../components/OwnerPick.vue'
import RuleForm from '../components/RuleForm.vue'
import { noScope, scopeBody, scopeOf, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day } from '../lib/format'
import { formOf, useRuleDesk } from '../lib/ruleDesk'
import { useSession } from '../lib/session'
import StanceWhy from './StanceWhy.vue'
import WorkNav from './WorkNav.vue'

/** What is allowed, restricted or required, where, and at which hours. The most specific holds. */
const route = useRoute()
const router = useRouter()
const { may } = useSession()
const mayWork = may('work')
const policies = useQuery({ queryKey: ['policies'], queryFn: () => ask(api.GET('/api/policies')) })
type Stance = 'restricted' | 'allowed' | 'required'
const stances = (['restricted', 'allowed', 'required'] as Stance[]).map((v) => ({ l: v, v }))
interface Draft {
  id: number
  revision: number
  stance: Stance
  scope: Scope
  days: string
  from: string
  to: string
  reason: string
  owner: string
  until: string
}
const blank = (): Draft => ({
  id: 0,
  revision: 0,
  stance: 'restricted',
  scope: noScope(),
  days: '',
  from: '',
  to: '',
  reason: '',
  owner: '',
  until: '',
})
const draftOf = ({ says, what }: Schemas['PolicyView']): Draft => ({
  id: says.id,
  revision: says.revision,
  stance: says.stance,
  scope: scopeOf(says, what),
  days: says.days ?? '',
  from: says.from ?? '',
  to: says.to ?? '',
  reason: says.reason,
  owner: says.owner ?? '',
  until: says.until ?? '',
})
const days = computed(() => {
  const usual = [
    { l: 'on every day', v: '' },
    { l: 'Monday to Friday', v: 'mon-fri' },
    { l: 'Saturday and Sunday', v: 'sat|sun' },
  ]
  const now = desk.draft.value?.days ?? ''
  return usual.some((d) => d.v === now) ? usual : [...usual, { l: now.replaceAll('|', ', '), v: now }]
})
const desk = useRuleDesk<Draft, Schemas['PolicyDraft'], Schemas['PolicyEffect']>('stance', {
  open: () => mayWork.value,
  stored: () => policies.data.value?.policies.map(draftOf),
  blank,
  body: ({ scope, ...rest }) =>
    scopeReady(scope) && rest.reason.trim() !== '' ? { ...scopeBody(scope), ...rest } : undefined,
  preview: (b) => ask(api.POST('/api/policies/preview', { body: b })),
  previewEnd: (end) =>
    ask(
      api.POST('/api/policies/preview', {
        body: { id: 0, revision: 0, stance: 'allowed', reason: 'its end', end },
      }),
    ),
  save: (b) => ask(api.POST('/api/policies', { body: b })),
  end: (id, revision) => ask(api.POST('/api/policies/{id}/end', { params: { path: { id } }, body: { revision } })),
})
const { draft, effect, ending, endEffect, endFailed, endSays, askEnd, says, end } = desk
const words = (e?: { comes: number; goes: number; samples: string[] }) =>
  e
    ? `${count(e.comes, 'finding')} ${e.comes === 1 ? 'comes' : 'come'}, ${e.goes} ${e.goes === 1 ? 'goes' : 'go'}${e.samples.length ? ': ' + e.samples.join('; ') : '.'}`
    : ''
const asked = computed(() => ({ product: Number(route.query.product ?? 0), device: String(route.query.device ?? '') }))
</script>

<template>
  <div class="page">
    <WorkNav />
    <div class="row head">
      <h1>Stances</h1>
      <span class="soft"
        >Of several that speak of a title, the most specific holds: title before category before publisher, a group
        before all devices; at its hours one with hours before one without.</span
      >
    </div>
    <StanceWhy
      v-if="asked.product && asked.device"
      :product="asked.product"
      :device="asked.device"
      @close="router.replace({ query: {} })"
    />
    <div class="scrolls">
      <table class="lines" data-stances>
        <thead>
          <tr>
            <th>stance</th>
            <th>of</th>
            <th>on</th>
            <th>at</th>
            <th>reason</th>
            <th>answers for it</th>
            <th>until</th>
            <th>by</th>
            <th>since</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="p in policies.data.value?.policies"
            :key="p.id"
            :class="{ soft: p.over, chosen: desk.chosen.value === String(p.id) }"
          >
            <td>
              <b>{{ p.stance }}</b>
            </td>
            <td>{{ p.what }}</td>
            <td>{{ p.group }}</td>
            <td>{{ p.hours || 'all hours' }}</td>
            <td>{{ p.reason }}</td>
            <td>{{ p.owner }}</td>
            <td>{{ p.until }}<span v-if="p.over"> (over)</span></td>
            <td>{{ p.author }}</td>
            <td class="keep">{{ day(p.at) }}</td>
            <td class="keep">
              <template v-if="mayWork">
                <button class="plain" type="button" data-edit @click="desk.edit(p.id)">change</button>
                <button class="plain" type="button" @click="askEnd(p.id)">end it</button>
              </template>
            </td>
          </tr>
          <tr v-if="policies.data.value && !policies.data.value.policies.length">
            <td colspan="10" class="soft">Nothing is restricted or required yet.</td>
          </tr>
        </tbody>
      </table>
    </div>
    <EffectLine
      v-if="ending"
      press="End this stance"
      :ready="!!endEffect"
      :says="words(endEffect)"
      :failed="endFailed"
      data-end-stance
      @press="end"
    />
    <p v-if="endSays" class="says" role="alert">{{ endSays }}</p>
    <RuleForm
      v-if="mayWork && draft"
      v-model="draft.stance"
      v-model:scope="draft.scope"
      v-bind="formOf(desk)"
      :options="stances"
      label="stance"
      joint="is the"
      :says="words(effect)"
      :press="draft.id ? 'Change it' : 'Set it'"
      title="This stance is being changed."
      hint="Say what it is about and why; what it changes is shown here before it is set."
      data-stance-form
      @save="desk.save"
      @keep="desk.keep"
      @leave="desk.leave"
    >
      <div class="row">
        <template v-if="draft.stance !== 'required'">
          <Select
            v-model="draft.days"
            :options="days"
            option-label="l"
            option-value="v"
            size="small"
            placeholder="on every day"
            aria-label="days"
          />
          <label>from <input v-model="draft.from" type="time" class="p-inputtext p-inputtext-sm" /></label>
          <label>to <input v-model="draft.to" type="time" class="p-inputtext p-inputtext-sm" /></label>
        </template>
        <span>because</span>
        <InputText
          v-model="draft.reason"
          size="small"
          class="grow"
          aria-label="reason"
          placeholder="a reason that people will read"
        />
      </div>
      <div class="row">
        <label
          >as an exception until <input v-model="draft.until" type="date" class="p-inputtext p-inputtext-sm"
        /></label>
        <label v-if="draft.until"
          >for which <OwnerPick v-model="draft.owner" placeholder="who answers for it" /> answers</label
        >
      </div>
    </RuleForm>
    <p v-if="says" class="says" role="status">{{ says }}</p>
  </div>
</template>
