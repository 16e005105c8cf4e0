<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import DecidedList from '../components/DecidedList.vue'
import PairDesk from '../components/PairDesk.vue'
import { useAct } from '../lib/act'
import type { Decision } from '../lib/pairs'
import { count, whole } from '../lib/format'
import { useSession } from '../lib/session'
import { decided, pageOf, states, takeBackAlike, told } from './people'
import PeopleNav from './PeopleNav.vue'

/** Who may be one person under two names. */
const { may } = useSession()
const mayWork = may('work')
const list = useQuery({ queryKey: ['alike'], queryFn: () => ask(api.GET('/api/alike')) })
const acts = useQuery({ queryKey: ['alike', 'acts'], queryFn: () => ask(api.GET('/api/alike/acts')) })
const rules = useQuery({ queryKey: ['alike', 'rules'], queryFn: () => ask(api.GET('/api/alike/rules')) })
const pairs = computed(() => list.data.value?.pairs ?? [])
const { busy, says, act } = useAct()
const bodyOf = (d: Decision) => ({ ...d, person: '', names: [] })
const setRule = (names: boolean) =>
  act(() => ask(api.PUT('/api/alike/rules', { body: { ...rules.data.value!, names } })), 'It holds from now on.')
const known = (n: Schemas['PersonName']) =>
  [n.listed ? `in the list as ${n.key}` : n.key, told(n), n.devices ? `logged on to ${count(n.devices, 'device')}` : '']
    .filter(Boolean)
    .join(', ')
</script>

<template>
  <div class="page">
    <PeopleNav />
    <div class="row head">
      <h1>Same person</h1>
      <span v-if="list.data.value" class="soft" data-count
        >{{ count(list.data.value.total, 'pair') }} may be one person<template v-if="list.data.value.waits"
          >; in {{ whole(list.data.value.waits) }} of them signs disagree, and somebody must look</template
        ></span
      >
    </div>
    <p class="soft">
      Names with their domain, mail addresses and objects of the directory join by themselves. A bare name is proposed.
    </p>
    <p v-if="rules.data.value" class="row soft">
      <label class="row"
        ><ToggleSwitch
          :model-value="rules.data.value.names"
          :disabled="!mayWork || busy"
          aria-label="bare names join"
          data-bare-names
          @update:model-value="setRule($event)"
        />
        a bare name counts as the person whose log-on name begins with it, where nobody else’s does</label
      >
    </p>
    <p v-if="says" role="status">{{ says }}</p>
    <p v-if="list.data.value && !pairs.length">No two names look like one person.</p>
    <PairDesk
      v-if="list.data.value"
      v-show="pairs.length"
      :pairs="pairs"
      :key-of="(s: Schemas['AlikeSide']) => s.key"
      what="person"
      many="people"
      :heads="['one name', 'another']"
      one="one person"
      two="two people"
      :preview="(d, signal) => ask(api.POST('/api/alike/preview', { body: bodyOf(d), signal }))"
      :save="(d) => ask(api.POST('/api/alike', { body: bodyOf(d) }))"
    >
      <template #side="{ side }">
        <RouterLink :to="pageOf(side.key)">{{ side.name }}</RouterLink>
        <span v-if="side.name !== side.key" class="soft code">{{ side.key }}</span>
        <div class="soft">
          {{ states[side.state] }}<template v-if="side.unit">; {{ side.unit }}</template
          ><template v-if="side.devices">; main user of {{ count(side.devices, 'device') }}</template>
        </div>
        <div v-for="n in side.named" :key="n.key" class="soft">{{ known(n) }}</div>
      </template>
    </PairDesk>
    <p v-if="list.data.value && list.data.value.total > pairs.length" class="soft">
      These are the first {{ whole(pairs.length) }}; the others follow when these are decided.
    </p>
    <DecidedList :acts="decided(acts.data.value)" one="one person" two="two people" :take-back="takeBackAlike" />
  </div>
</template>

<style scoped>
.code {
  margin-left: 0.5rem;
}
</style>
