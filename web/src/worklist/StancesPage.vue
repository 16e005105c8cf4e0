<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import ScopePick, { noScope, scopeBody, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day } from '../lib/format'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import StanceWhy from './StanceWhy.vue'
import WorkNav from './WorkNav.vue'

/** What is allowed, restricted or required, where, and at which hours. The most specific holds. */
const client = useQueryClient()
const route = useRoute()
const router = useRouter()
const { may } = useSession()
const mayWork = may('work')
const policies = useQuery({ queryKey: ['policies'], queryFn: () => ask(api.GET('/api/policies')) })
const stance = ref<'restricted' | 'allowed' | 'required'>('restricted')
const scope = ref<Scope>(noScope())
const form = ref({ days: '', from: '', to: '', reason: '', owner: '', until: '' })
const days = [
  { l: 'on every day', v: '' },
  { l: 'Monday to Friday', v: 'mon-fri' },
  { l: 'Saturday and Sunday', v: 'sat|sun' },
]
const says = ref('')
const ready = computed(() => scopeReady(scope.value) && form.value.reason.trim() !== '')
const body = computed(() => ({ ...scopeBody(scope.value), stance: stance.value, ...form.value }))
const { effect, failed } = usePreview(
  'policy-effect',
  computed(() => (ready.value && mayWork.value ? body.value : undefined)),
  (b) => ask(api.POST('/api/policies/preview', { body: b })),
)
const ending = ref(0)
const { effect: endEffect, failed: endFailed } = usePreview(
  'policy-end-effect',
  computed(() => ending.value || undefined),
  (end) => ask(api.POST('/api/policies/preview', { body: { stance: 'allowed', reason: 'its end', end } })),
)
const words = (e?: { comes: number; goes: number; samples: string[] }) =>
  e
    ? `${count(e.comes, 'finding')} ${e.comes === 1 ? 'comes' : 'come'}, ${e.goes} ${e.goes === 1 ? 'goes' : 'go'}${e.samples.length ? ': ' + e.samples.join('; ') : '.'}`
    : 'being worked out…'
async function save() {
  if (!effect.value) return
  says.value = ''
  try {
    await ask(api.POST('/api/policies', { body: body.value }))
    scope.value = noScope()
    form.value = { days: '', from: '', to: '', reason: '', owner: '', until: '' }
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
async function end(id: number) {
  try {
    await ask(api.POST('/api/policies/{id}/end', { params: { path: { id } } }))
    ending.value = 0
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
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
              <button v-if="mayWork" class="plain" type="button" @click="ending = ending === p.id ? 0 : p.id">
                end it
              </button>
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
      @press="end(ending)"
    />
    <form v-if="mayWork" class="sheet form" data-stance-form @submit.prevent="save">
      <div class="row">
        <Select v-model="stance" :options="['restricted', 'allowed', 'required']" size="small" aria-label="stance" />
        <span>is the</span>
        <ScopePick v-model="scope" />
      </div>
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
      <EffectLine v-if="ready" press="Set it" :ready="!!effect" :says="words(effect)" :failed="failed" @press="save" />
      <p v-else class="soft">Say what it is about and why; what it changes is shown here before it is set.</p>
    </form>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </div>
</template>
