<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import RuleForm from '../components/RuleForm.vue'
import { noScope, scopeBody, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day } from '../lib/format'
import { useRuleDesk } from '../lib/ruleDesk'
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
const stance = ref<Stance>('restricted')
const stances = (['restricted', 'allowed', 'required'] as Stance[]).map((v) => ({ l: v, v }))
const scope = ref<Scope>(noScope())
const blank = () => ({ days: '', from: '', to: '', reason: '', owner: '', until: '' })
const form = ref(blank())
const days = [
  { l: 'on every day', v: '' },
  { l: 'Monday to Friday', v: 'mon-fri' },
  { l: 'Saturday and Sunday', v: 'sat|sun' },
]
const body = computed(() =>
  mayWork.value && scopeReady(scope.value) && form.value.reason.trim() !== ''
    ? { ...scopeBody(scope.value), stance: stance.value, ...form.value }
    : undefined,
)
const { effect, failed, ending, endEffect, endFailed, askEnd, says, save, end } = useRuleDesk(
  'stance',
  body,
  {
    preview: (b) => ask(api.POST('/api/policies/preview', { body: b })),
    previewEnd: (end) =>
      ask(api.POST('/api/policies/preview', { body: { stance: 'allowed', reason: 'its end', end } })),
    save: (b) => ask(api.POST('/api/policies', { body: b })),
    end: (id) => ask(api.POST('/api/policies/{id}/end', { params: { path: { id } } })),
  },
  () => {
    scope.value = noScope()
    form.value = blank()
  },
)
const words = (e?: { comes: number; goes: number; samples: string[] }) =>
  e
    ? `${count(e.comes, 'finding')} ${e.comes === 1 ? 'comes' : 'come'}, ${e.goes} ${e.goes === 1 ? 'goes' : 'go'}${e.samples.length ? ': ' + e.samples.join('; ') : '.'}`
    : 'being worked out…'
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
          <tr v-for="p in policies.data.value?.policies" :key="p.id" :class="{ soft: p.over }">
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
            <td>{{ day(p.at) }}</td>
            <td>
              <button v-if="mayWork" class="plain" type="button" @click="askEnd(p.id)">end it</button>
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
    <RuleForm
      v-if="mayWork"
      v-model="stance"
      v-model:scope="scope"
      :options="stances"
      label="stance"
      joint="is the"
      :ready="!!body"
      :known="!!effect"
      :says="words(effect)"
      :failed="failed"
      press="Set it"
      hint="Say what it is about and why; what it changes is shown here before it is set."
      data-stance-form
      @save="save"
    >
      <div class="row">
        <template v-if="stance !== 'required'">
          <Select
            v-model="form.days"
            :options="days"
            option-label="l"
            option-value="v"
            size="small"
            placeholder="on every day"
            aria-label="days"
          />
          <label>from <input v-model="form.from" type="time" class="p-inputtext p-inputtext-sm" /></label>
          <label>to <input v-model="form.to" type="time" class="p-inputtext p-inputtext-sm" /></label>
        </template>
        <span>because</span>
        <InputText
          v-model="form.reason"
          size="small"
          class="grow"
          aria-label="reason"
          placeholder="a reason that people will read"
        />
      </div>
      <div class="row">
        <label
          >as an exception until <input v-model="form.until" type="date" class="p-inputtext p-inputtext-sm"
        /></label>
        <label v-if="form.until"
          >for which <InputText v-model="form.owner" size="small" placeholder="who answers for it" /> answers</label
        >
      </div>
    </RuleForm>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </div>
</template>
