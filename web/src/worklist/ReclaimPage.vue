<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import RuleForm from '../components/RuleForm.vue'
import { noScope, scopeBody, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day, money } from '../lib/format'
import { useRuleDesk } from '../lib/ruleDesk'
import { useSession } from '../lib/session'
import WorkNav from './WorkNav.vue'

/**
 * When licences are proposed for reclaim: how far back one looks, how much of it must be measured, how young an
 * install is left alone.
 */
const { may } = useSession()
const mayWork = may('work')
const rules = useQuery({ queryKey: ['reclaim-rules'], queryFn: () => ask(api.GET('/api/reclaim-rules')) })
const scope = ref<Scope>(noScope())
const form = ref({ propose: true, window: 90, grace: 30, least: 80, poolShare: 60, note: '' })
const draft = computed(() => ({
  ...scopeBody(scope.value),
  ...form.value,
  least: form.value.least / 100,
  poolShare: form.value.poolShare / 100,
}))
const body = computed(() => (mayWork.value && scopeReady(scope.value) ? draft.value : undefined))
const { effect, failed, ending, endEffect, endFailed, askEnd, says, save, end } = useRuleDesk(
  'reclaim',
  body,
  {
    preview: (b) => ask(api.POST('/api/reclaim-rules/preview', { body: b })),
    previewEnd: (end) => ask(api.POST('/api/reclaim-rules/preview', { body: { ...draft.value, end } })),
    save: (b) => ask(api.POST('/api/reclaim-rules', { body: b })),
    end: (id) => ask(api.POST('/api/reclaim-rules/{id}/end', { params: { path: { id } } })),
  },
  () => (scope.value = noScope()),
)
function words(e?: Schemas['ReclaimEffect']) {
  if (!e) return 'being worked out…'
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
          <tr v-for="r in rules.data.value" :key="r.id">
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
            <td>{{ day(r.at) }}</td>
            <td>
              <button v-if="mayWork && r.id" class="plain" type="button" @click="askEnd(r.id)">end it</button>
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
    <RuleForm
      v-if="mayWork"
      v-model="form.propose"
      v-model:scope="scope"
      :options="[
        { l: 'Propose', v: true },
        { l: 'Never propose', v: false },
      ]"
      label="propose or not"
      joint="the"
      :ready="!!body"
      :known="!!effect"
      :says="words(effect)"
      :failed="failed"
      press="Set this rule"
      hint="Say what it is about; what it changes is shown here before it is set."
      data-reclaim-form
      @save="save"
    >
      <div v-if="form.propose" class="row">
        <label
          >looking back
          <InputNumber v-model="form.window" :min="7" :max="730" size="small" input-class="few" /> days</label
        >
        <label
          >of which
          <InputNumber v-model="form.least" :min="10" :max="100" suffix=" %" size="small" input-class="few" /> must be
          measured,</label
        >
        <label
          >installed over <InputNumber v-model="form.grace" :min="0" :max="730" size="small" input-class="few" /> days
          ago;</label
        >
        <label
          >or a pool whose peak stays under
          <InputNumber v-model="form.poolShare" :min="0" :max="100" suffix=" %" size="small" input-class="few" /> of
          it</label
        >
      </div>
      <InputText v-model="form.note" size="small" fluid placeholder="why, if you like" aria-label="note" />
    </RuleForm>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </div>
</template>
