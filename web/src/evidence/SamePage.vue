<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import DecidedList from '../components/DecidedList.vue'
import PairDesk from '../components/PairDesk.vue'
import { useAct } from '../lib/act'
import type { Decision } from '../lib/pairs'
import { count, day, whole } from '../lib/format'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'
import { takeBackSame } from './same'

/** What may be one machine under two names: both side by side, what speaks for it and against it, many at once. */
const { may } = useSession()
const mayWork = may('work')
const list = useQuery({ queryKey: ['same'], queryFn: () => ask(api.GET('/api/same')) })
const acts = useQuery({ queryKey: ['same', 'acts'], queryFn: () => ask(api.GET('/api/same/acts')) })
const rules = useQuery({ queryKey: ['same', 'rules'], queryFn: () => ask(api.GET('/api/same/rules')) })
const pairs = computed(() => list.data.value?.pairs ?? [])
const { busy, says, act } = useAct()
const bodyOf = (d: Decision) => ({ ...d, device: '', records: [] })
const setRule = (change: Partial<Schemas['JoinRules']>) =>
  act(() => ask(api.PUT('/api/same/rules', { body: { ...rules.data.value!, ...change } })), 'It holds from now on.')
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
    <p v-if="says" role="status">{{ says }}</p>
    <p v-if="list.data.value && !pairs.length">
      No two devices look like one machine. What a source calls a machine stands on the page of its device.
    </p>
    <PairDesk
      v-if="list.data.value"
      v-show="pairs.length"
      :pairs="pairs"
      :key-of="(s: Schemas['SameSide']) => s.code"
      what="device"
      many="devices"
      :heads="['one device', 'another']"
      one="one machine"
      two="two machines"
      :preview="(d, signal) => ask(api.POST('/api/same/preview', { body: bodyOf(d), signal }))"
      :save="(d) => ask(api.POST('/api/same', { body: bodyOf(d) }))"
    >
      <template #side="{ side }">
        <RouterLink :to="`/evidence/${encodeURIComponent(side.code)}`">{{ side.name }}</RouterLink>
        <span v-if="side.name !== side.code" class="soft code">{{ side.code }}</span>
        <div class="soft">
          {{ side.unit || 'no unit' }}; {{ count(side.installs, 'install') }};
          {{ side.lastSeen ? `scanned ${day(side.lastSeen)}` : 'never scanned' }}
        </div>
        <div class="soft">{{ side.namedAs.map(called).join(' · ') }}</div>
      </template>
    </PairDesk>
    <p v-if="list.data.value && list.data.value.total > pairs.length" class="soft">
      These are the first {{ whole(pairs.length) }}; the others follow when these are decided.
    </p>
    <DecidedList :acts="acts.data.value ?? []" one="one machine" two="two machines" :take-back="takeBackSame" />
  </div>
</template>

<style scoped>
.code {
  margin-left: 0.5rem;
}
</style>
