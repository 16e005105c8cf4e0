<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import MultiSelect from 'primevue/multiselect'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import EffectLine from '../components/EffectLine.vue'
import OtherChange from '../components/OtherChange.vue'
import PositionMoves from '../components/PositionMoves.vue'
import { count, moment, whole } from '../lib/format'
import { useDraft } from '../lib/draft'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'

/** Who reports: what each source covers, when it was last heard, what rests on it alone, and its end. */
const { may } = useSession()
const mayWork = may('work')
const sources = useQuery({ queryKey: ['sources'], queryFn: () => ask(api.GET('/api/sources')) })
const route = useRoute()
const router = useRouter()
const chosen = computed(() => String(route.query.source ?? ''))
function open(name: string) {
  void router.replace({ query: { ...route.query, source: name || undefined } })
}
type Draft = Schemas['SourceDraft']
const said = computed(() => sources.data.value?.find((s) => s.name === chosen.value))
function stored(): Draft | undefined {
  const s = said.value
  if (!s) return undefined
  const { name, covers, trust, silentDays, retiredOn, reason, revision } = s
  return { name, covers, trust, silentDays, retiredOn, reason, revision }
}
const form = useDraft<Draft>(() => (mayWork.value && chosen.value ? `source:${chosen.value}` : ''), stored)
const draft = form.draft
const body = computed(() => (form.dirty.value && draft.value ? draft.value : undefined))
const { effect, failed } = usePreview('source', body, (b, signal) =>
  ask(api.POST('/api/sources/preview', { body: b, signal })),
)
async function save() {
  const d = draft.value!
  await form.save((b) => ask(api.POST('/api/sources', { body: b })), `What is said of “${d.name}” holds now.`)
}
const kinds = [
  { label: 'software', value: 'software' },
  { label: 'hardware', value: 'hardware' },
  { label: 'use', value: 'use' },
  { label: 'directory', value: 'directory' },
  { label: 'network', value: 'network' },
]
const labels = { silentDays: 'silent after days', retiredOn: 'retired on' }
const press = computed(() => {
  if (!draft.value?.retiredOn) return said.value?.retiredOn ? 'Use it again' : 'Set it so'
  return said.value?.retiredOn ? 'Set it so' : 'Retire it'
})
const says = computed(() => {
  const e = effect.value
  if (!e) return ''
  if (!e.ends && !e.again) return 'No install ends by it, and none counts again.'
  const parts = []
  if (e.ends) parts.push(`${count(e.ends, 'install')} on ${count(e.devices, 'device')} would count no more`)
  if (e.again) parts.push(`${count(e.again, 'install')} on ${count(e.devices, 'device')} would count again`)
  return parts.join(', ')
})
</script>

<template>
  <div class="page">
    <EvidenceNav />
    <div class="row head">
      <h1>Sources</h1>
      <span class="soft"
        >what a source says holds until its next list says otherwise, until it is retired, or until it has been silent
        too long and another has been there since</span
      >
    </div>
    <p v-if="sources.data.value && !sources.data.value.length">
      Nothing has reported yet. <RouterLink to="/evidence/files">Take in a file</RouterLink>, or
      <RouterLink to="/evidence/senders">give a collector a token</RouterLink>; each that reports stands here.
    </p>
    <div v-else class="scrolls">
      <table class="lines" data-sources>
        <thead>
          <tr>
            <th>source</th>
            <th>covers</th>
            <th class="num">trust</th>
            <th>heard last</th>
            <th class="num">devices</th>
            <th class="num">installs there</th>
            <th class="num">only it reports</th>
            <th class="num">count no more</th>
            <th>state</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in sources.data.value" :key="s.name" :class="{ chosen: s.name === chosen }" :data-of="s.name">
            <td>
              <button v-if="mayWork" class="plain" type="button" data-open @click="open(s.name)">{{ s.name }}</button>
              <template v-else>{{ s.name }}</template>
              <div v-if="s.parts" class="soft">{{ s.parts }}</div>
            </td>
            <td>{{ s.covers.length ? s.covers.join(', ') : 'everything' }}</td>
            <td class="num">{{ s.trust || '' }}</td>
            <td>{{ s.heard ? moment(s.heard) : 'never' }}</td>
            <td class="num">{{ whole(s.devices) }}</td>
            <td class="num">{{ whole(s.installs) }}</td>
            <td class="num">{{ whole(s.only) }}</td>
            <td class="num">{{ s.ended ? whole(s.ended) : '' }}</td>
            <td>
              <template v-if="s.retiredOn">retired {{ s.retiredOn }}</template>
              <template v-else-if="s.silent">silent</template>
              <template v-else>in use</template>
              <div v-if="s.retiredOn && s.reason" class="soft">{{ s.reason }}</div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <form v-if="draft" class="sheet edit" data-source-form @submit.prevent="save">
      <h2>{{ draft.name }}</h2>
      <div class="row">
        <label class="row"
          >covers
          <MultiSelect
            v-model="draft.covers"
            :options="kinds"
            option-label="label"
            option-value="value"
            size="small"
            placeholder="everything"
            aria-label="what it covers"
          />
        </label>
        <span class="soft">what it does not list of this is not there</span>
      </div>
      <div class="row">
        <label class="row"
          >trust
          <InputNumber
            :model-value="draft.trust || null"
            size="small"
            :min="1"
            :max="99"
            placeholder="not said"
            aria-label="trust"
            input-class="few"
            @update:model-value="draft.trust = $event ?? 0"
          />
        </label>
        <span class="soft">1 is believed first where sources say different things of a machine</span>
      </div>
      <div class="row">
        <label class="row"
          >silent after
          <InputNumber
            :model-value="draft.silentDays || null"
            size="small"
            :min="1"
            :max="3650"
            placeholder="the house's limit"
            aria-label="silent after days"
            input-class="few"
            data-silent
            @update:model-value="draft.silentDays = $event ?? 0"
          />
          days without a word of a device
        </label>
      </div>
      <div class="row">
        <label class="row"
          >retired since
          <input
            v-model="draft.retiredOn"
            type="date"
            class="p-inputtext p-inputtext-sm"
            aria-label="retired since"
            data-retired
          />
        </label>
        <InputText
          v-model="draft.reason"
          size="small"
          class="grow"
          placeholder="why, for whoever asks where its software went"
          aria-label="why"
          data-why
        />
      </div>
      <DraftKept
        :kept="form.kept.value"
        :dirty="form.dirty.value"
        :others="form.others.value"
        @discard="form.discard"
      />
      <OtherChange
        v-if="form.other.value"
        :conflict="form.other.value"
        :mine="draft"
        :base="form.base.value"
        :theirs="stored()"
        :labels="labels"
        @save="(theirs) => (form.settle(theirs), save())"
      />
      <EffectLine
        v-if="form.dirty.value"
        :press="press"
        :ready="!!effect && !form.busy.value"
        :says="says"
        :failed="failed"
        data-save-source
        @press="save"
      >
        <PositionMoves v-if="effect" :moves="effect.moves" />
      </EffectLine>
      <p v-if="form.says.value" role="status" data-says>{{ form.says.value }}</p>
      <div class="row">
        <span v-if="said?.author" class="soft">said by {{ said.author }}, {{ moment(said.at) }}</span>
        <span class="grow" />
        <button class="plain" type="button" @click="open('')">close</button>
      </div>
    </form>
  </div>
</template>

<style scoped>
.edit {
  margin-top: 0.6rem;
}
.edit h2 {
  margin: 0 0 0.3rem;
}
.edit .row {
  margin-bottom: 0.35rem;
}
</style>
