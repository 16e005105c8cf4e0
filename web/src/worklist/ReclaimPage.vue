<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import RuleForm from '../components/RuleForm.vue'
import { noScope, scopeBody, scopeOf, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day, money } from '../lib/format'
import { formOf, useRuleDesk } from '../lib/ruleDesk'
import { useSession } from '../lib/session'
import WorkNav from './WorkNav.vue'

/**
 * When licences are proposed for reclaim: how far back one looks, how much of it must be measured, how young an
 * install is left alone.
 */
const { may } = useSession()
const mayWork = may('work')
const rules = useQuery({ queryKey: ['reclaim-rules'], queryFn: () => ask(api.GET('/api/reclaim-rules')) })
interface Draft {
  id: number
  revision: number
  propose: boolean
  scope: Scope
  window: number
  grace: number
  least: number // percent
  poolShare: number // percent
  note: string
}
const blank = (): Draft => ({
  id: 0,
  revision: 0,
  propose: true,
  scope: noScope(),
  window: 90,
  grace: 30,
  least: 80,
  poolShare: 60,
  note: '',
})
const hundred = (share: number) => Math.round(share * 10000) / 100
const draftOf = ({ says, what }: Schemas['ReclaimView']): Draft => ({
  id: says.id,
  revision: says.revision,
  propose: says.propose,
  scope: scopeOf(says, what),
  window: says.window,
  grace: says.grace,
  least: hundred(says.least),
  poolShare: hundred(says.poolShare),
  note: says.note ?? '',
})
const sent = ({ scope, ...rest }: Draft): Schemas['ReclaimDraft'] => ({
  ...scopeBody(scope),
  ...rest,
  least: rest.least / 100,
  poolShare: rest.poolShare / 100,
})
const desk = useRuleDesk<Draft, Schemas['ReclaimDraft'], Schemas['ReclaimEffect']>('reclaim', {
  open: () => mayWork.value,
  stored: () => rules.data.value?.filter((r) => r.id).map(draftOf),
  blank,
  body: (d) => (scopeReady(d.scope) ? sent(d) : undefined),
  preview: (b) => ask(api.POST('/api/reclaim-rules/preview', { body: b })),
  previewEnd: (end) => ask(api.POST('/api/reclaim-rules/preview', { body: { ...sent(blank()), end } })),
  save: (b) => ask(api.POST('/api/reclaim-rules', { body: b })),
  end: (id, revision) => ask(api.POST('/api/reclaim-rules/{id}/end', { params: { path: { id } }, body: { revision } })),
})
const { draft, effect, ending, endEffect, endFailed, endSays, askEnd, says, end } = desk
function words(e?: Schemas['ReclaimEffect']) {
  if (!e) return ''
  const sums = e.money
    .filter((m) => m.now !== m.then)
    .map((m) => `worth ${money(m.now)} → ${money(m.then)} ${m.currency}`)
  const samples = e.samples.slice(0, 4).map((s) => `${s.comes ? '+' : '−'} ${s.product} on ${s.about}`)
  return [`${count(e.now, 'proposal')} → ${e.then}: ${e.comes} come, ${e.goes} go`, ...sums, ...samples].join('; ')
}
const percent = (n: number) => `${Math.round(n * 100)} %`
</script>

<template>
  <div class="page">
    <WorkNav />
    <div class="row head">
      <h1>When to reclaim</h1>
      <span class="soft"
        >A licence is proposed when it is unused or was never used; light use never is, and what was not measured never
        is. The most specific rule holds.</span
      >
    </div>
    <div class="scrolls">
      <table class="lines" data-reclaim>
        <thead>
          <tr>
            <th>of</th>
            <th>on</th>
            <th>propose</th>
            <th class="num">looks back, days</th>
            <th class="num">of them measured</th>
            <th class="num">grace, days</th>
            <th class="num">pool peak under</th>
            <th>note</th>
            <th>by</th>
            <th>since</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="r in rules.data.value"
            :key="r.id"
            :class="{ chosen: r.id > 0 && desk.chosen.value === String(r.id) }"
          >
            <td>
              <b>{{ r.what }}</b>
            </td>
            <td>{{ r.group }}</td>
            <td>{{ r.propose ? 'yes' : 'never' }}</td>
            <td class="num">{{ r.window }}</td>
            <td class="num">{{ percent(r.least) }}</td>
            <td class="num">{{ r.grace }}</td>
            <td class="num">{{ percent(r.poolShare) }}</td>
            <td>{{ r.note }}</td>
            <td>{{ r.author }}</td>
            <td class="keep">{{ day(r.at) }}</td>
            <td class="keep">
              <template v-if="mayWork && r.id">
                <button class="plain" type="button" data-edit @click="desk.edit(r.id)">change</button>
                <button class="plain" type="button" @click="askEnd(r.id)">end it</button>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <EffectLine
      v-if="ending"
      press="End this rule"
      :ready="!!endEffect"
      :says="words(endEffect)"
      :failed="endFailed"
      @press="end"
    />
    <p v-if="endSays" class="says" role="alert">{{ endSays }}</p>
    <RuleForm
      v-if="mayWork && draft"
      v-model="draft.propose"
      v-model:scope="draft.scope"
      v-bind="formOf(desk)"
      :options="[
        { l: 'Propose', v: true },
        { l: 'Never propose', v: false },
      ]"
      label="propose or not"
      joint="the"
      :says="words(effect)"
      :press="draft.id ? 'Change this rule' : 'Set this rule'"
      title="This rule is being changed."
      hint="Say what it is about; what it changes is shown here before it is set."
      :labels="{
        window: 'looks back, days',
        least: 'of them measured, %',
        grace: 'grace, days',
        poolShare: 'pool peak under, %',
      }"
      data-reclaim-form
      @save="desk.save"
      @keep="desk.keep"
      @leave="desk.leave"
    >
      <div v-if="draft.propose" class="row">
        <label
          >looking back
          <InputNumber v-model="draft.window" :min="7" :max="730" size="small" input-class="few" /> days</label
        >
        <label
          >of which
          <InputNumber v-model="draft.least" :min="10" :max="100" suffix=" %" size="small" input-class="few" /> must be
          measured,</label
        >
        <label
          >installed over <InputNumber v-model="draft.grace" :min="0" :max="730" size="small" input-class="few" /> days
          ago;</label
        >
        <label
          >or a pool whose peak stays under
          <InputNumber v-model="draft.poolShare" :min="0" :max="100" suffix=" %" size="small" input-class="few" /> of
          it</label
        >
      </div>
      <InputText v-model="draft.note" size="small" fluid placeholder="why, if you like" aria-label="note" />
    </RuleForm>
    <p v-if="says" class="says" role="status">{{ says }}</p>
  </div>
</template>
