<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import PositionMoves from '../components/PositionMoves.vue'
import { useAct } from '../lib/act'
import { count, day, whole } from '../lib/format'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'
import SameActs from './SameActs.vue'

/** What may be one machine under two names: both side by side, what speaks for it and against it, many at once. */
const { may } = useSession()
const mayWork = may('work')
const list = useQuery({ queryKey: ['same'], queryFn: () => ask(api.GET('/api/same')) })
const acts = useQuery({ queryKey: ['same', 'acts'], queryFn: () => ask(api.GET('/api/same/acts')) })
const rules = useQuery({ queryKey: ['same', 'rules'], queryFn: () => ask(api.GET('/api/same/rules')) })
const pairs = computed(() => list.data.value?.pairs ?? [])
const keyOf = (p: Schemas['SamePair']) => `${p.a.code} ${p.b.code}`
const picked = ref<string[]>([])
const reason = ref('')
const together = ref(true)
const chosen = computed(() => pairs.value.filter((p) => picked.value.includes(keyOf(p))))
const draft = computed(() =>
  chosen.value.length
    ? {
        pairs: chosen.value.map((p) => [p.a.code, p.b.code]),
        together: together.value,
        device: '',
        records: [],
        reason: reason.value,
      }
    : undefined,
)
const { effect, failed } = usePreview('same', draft, (b, signal) =>
  ask(api.POST('/api/same/preview', { body: b, signal })),
)
const { busy, says, act } = useAct()
const decide = () =>
  act(async () => {
    await ask(api.POST('/api/same', { body: draft.value! }))
    picked.value = []
    reason.value = ''
  }, 'Decided. It stands below, where it can be taken back.')
const setRule = (change: Partial<Schemas['JoinRules']>) =>
  act(() => ask(api.PUT('/api/same/rules', { body: { ...rules.data.value!, ...change } })), 'It holds from now on.')
const effectWords = computed(() => {
  const e = effect.value
  if (!e) return ''
  return e.before === e.after
    ? 'the number of devices stays as it is'
    : `${whole(e.before)} → ${count(e.after, 'device')}`
})
const marks: Record<string, string> = { certain: '✓', likely: '≈', against: '✕' }
const called = (n: Schemas['NamedAs']) =>
  `${n.source || 'device list'}: ${n.key}${n.serial ? `, serial ${n.serial}` : ''}`
</script>

<template>
  <div class="page">
    <EvidenceNav />
    <div class="row head">
      <h1>Same machine</h1>
      <span v-if="list.data.value" class="soft" data-count
        >{{ count(list.data.value.total, 'pair') }} may be one machine<template v-if="list.data.value.waits"
          >; in {{ whole(list.data.value.waits) }} of them signs disagree, and somebody must look</template
        ></span
      >
    </div>
    <p v-if="rules.data.value" class="row soft">
      <span>Joined without anybody, where nothing speaks against it and nobody else is like it:</span>
      <label class="row"
        ><ToggleSwitch
          :model-value="rules.data.value.names"
          :disabled="!mayWork || busy"
          aria-label="the same name"
          data-by-name
          @update:model-value="setRule({ names: $event })"
        />
        the same name</label
      >
      <label class="row"
        ><ToggleSwitch
          :model-value="rules.data.value.addresses"
          :disabled="!mayWork || busy"
          aria-label="the same hardware address"
          @update:model-value="setRule({ addresses: $event })"
        />
        the same hardware address</label
      >
    </p>
    <p v-if="list.data.value && !pairs.length">
      No two devices look like one machine. What a source calls a machine stands on the page of its device.
    </p>
    <div v-else class="scrolls">
      <table class="lines pairs" data-pairs>
        <thead>
          <tr>
            <th></th>
            <th>one device</th>
            <th>another</th>
            <th>what speaks for it, and against</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in pairs" :key="keyOf(p)" :class="{ chosen: picked.includes(keyOf(p)) }" :data-pair="keyOf(p)">
            <td>
              <input
                v-if="mayWork"
                v-model="picked"
                type="checkbox"
                :value="keyOf(p)"
                :aria-label="`${p.a.name} and ${p.b.name}`"
              />
            </td>
            <td v-for="side in [p.a, p.b]" :key="side.code">
              <RouterLink :to="`/evidence/${encodeURIComponent(side.code)}`">{{ side.name }}</RouterLink>
              <span v-if="side.name !== side.code" class="soft code">{{ side.code }}</span>
              <div class="soft">
                {{ side.unit || 'no unit' }}; {{ count(side.installs, 'install') }};
                {{ side.lastSeen ? `scanned ${day(side.lastSeen)}` : 'never scanned' }}
              </div>
              <div class="soft">{{ side.namedAs.map(called).join(' · ') }}</div>
            </td>
            <td>
              <div v-for="s in p.signs" :key="s.words" :class="{ drop: s.weight === 'against' }">
                <span aria-hidden="true">{{ marks[s.weight] }}</span> {{ s.weight }}: {{ s.words }}
              </div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="list.data.value && list.data.value.total > pairs.length" class="soft">
      These are the first {{ whole(pairs.length) }}; the others follow when these are decided.
    </p>
    <form v-if="chosen.length" class="sheet decide" data-decide @submit.prevent="decide">
      <div class="row">
        <label class="row"><input v-model="together" type="radio" :value="true" /> they are one machine</label>
        <label class="row"
          ><input v-model="together" type="radio" :value="false" data-two /> they are two machines</label
        >
        <InputText
          v-model="reason"
          size="small"
          class="grow"
          placeholder="why, for whoever asks later"
          aria-label="why"
          data-reason
        />
      </div>
      <EffectLine
        :press="together ? `Join ${count(chosen.length, 'pair')}` : `Keep ${count(chosen.length, 'pair')} apart`"
        :ready="!!effect && !!reason.trim() && !busy"
        :says="effectWords"
        :failed="failed"
        @press="decide"
      >
        <PositionMoves v-if="effect" :moves="effect.moves" />
        <span v-if="effect && !reason.trim()" class="soft">say why, then press</span>
      </EffectLine>
    </form>
    <p v-if="says" role="status" data-says>{{ says }}</p>
    <SameActs :acts="acts.data.value ?? []" />
  </div>
</template>

<style scoped>
.pairs td {
  vertical-align: top;
}
.code {
  margin-left: 0.5rem;
}
.decide .row {
  margin-bottom: 0.4rem;
}
.decide {
  position: sticky;
  bottom: 0.5rem;
  margin-top: 0.6rem;
}
</style>
