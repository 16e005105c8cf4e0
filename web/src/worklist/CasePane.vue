<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import { computed, ref } from 'vue'
import { api, ask } from '../api/client'
import { count, day, moment, money } from '../lib/format'
import { useSession } from '../lib/session'
import DeedDialog from './DeedDialog.vue'
import WaysOut from './WaysOut.vue'
import { acts, marks, stateWord } from './cases'
import { useHere } from '../lib/here'
import { useDeed } from './useDeed'

/** One case: its proof, what can be done, what can be taken back, and what happened. */
const props = defineProps<{ id: number; busy: boolean }>()
const emit = defineEmits<{ close: [] }>()
const { may } = useSession()
const mayWork = may('work')
const one = useQuery({
  queryKey: ['case', computed(() => props.id)],
  queryFn: () => ask(api.GET('/api/cases/{id}', { params: { path: { id: props.id } } })),
})
const c = computed(() => one.data.value)
const { says, failed, busy: doing, deed } = useDeed(() => (opened.value = ''))
type Opens = 'keep' | 'ask' | 'send' | 'order' | 'drop'
const opened = ref<Opens | ''>('')
const company = useHere(
  () => (mayWork.value ? `case:${props.id}` : ''),
  () => opened.value !== '',
)
/** Where what was asked for is booked: on its line, or as a new one. */
const bookAt = computed(() => {
  const r = c.value?.request
  if (!r) return ''
  const { kind, line, quantity } = r.measure
  const n = String(quantity ?? '')
  const booked: Partial<Record<typeof kind, string>> = { buy: 'true_up', maintenance: 'renew', move: 'transfer_out' }
  if (line && booked[kind]) {
    const q = new URLSearchParams({ type: booked[kind], quantity: n, order: r.order, request: String(props.id) })
    return `/entitlements/line/${encodeURIComponent(line)}?${q}`
  }
  if (line && c.value?.kind === 'elsewhere') return `/entitlements/line/${encodeURIComponent(line)}`
  if (c.value?.kind !== 'purchase' || !r.order) return ''
  const { publisher, product } = c.value
  return `/entitlements?${new URLSearchParams({ book: '1', publisher, product, quantity: n, order: r.order })}`
})
/** The licences that a pool lacks, to be tried and asked for. */
const more = computed(() => {
  const { productId, quantity } = c.value!
  const m = [{ kind: 'buy', product: productId, quantity, metric: 'concurrent' }]
  return { path: '/position/try', query: { product: String(productId), m: JSON.stringify(m) } }
})
/** The licence keys that a case is about. */
const keys = computed(() => {
  const state = c.value?.kind === 'overkey' ? 'over' : 'unbought'
  return `/entitlements/keys?f=productId%3D${c.value?.productId}&f=state%3D${state}`
})
const possible = computed(() => acts.filter((a) => c.value?.can.includes(a.act)))
function press(a: (typeof acts)[number]) {
  if (a.opens) opened.value = a.act as Opens
  else void deed([props.id], { act: a.act })
}
</script>

<template>
  <!-- it has its place before the case is there: the list beside it does not move -->
  <aside class="sheet pane" aria-label="The open case">
    <p v-if="one.error.value" class="says" role="alert">{{ one.error.value.message }}</p>
    <template v-if="c">
      <div class="row">
        <h2 class="grow">
          {{ c.product }}
          {{ c.about && `${c.pool ? 'in' : c.person ? 'of' : 'on'} ${c.about}` }}
        </h2>
        <button class="plain" type="button" @click="emit('close')">close</button>
      </div>
      <p data-case-state>
        {{ c.words }}, <b>{{ marks[c.state] }} {{ stateWord(c.kind, c.state) }}</b
        ><template v-if="c.state === 'kept'"> until {{ c.keepUntil }}, {{ c.owner }} answers for it</template
        ><template v-else-if="c.state === 'asked'"> until {{ c.answerBy }}</template
        >.
        <template v-if="c.kind === 'uncovered'"
          >{{ c.quantity }} short, {{ money(c.amount) }} {{ c.currency }} at list price.</template
        >
        <template v-else-if="c.kind === 'denied'"
          >{{ count(c.quantity, 'licence') }} more would do<template v-if="Number(c.amount)"
            >, {{ money(c.amount) }} {{ c.currency }}</template
          >.</template
        >
        <template v-else-if="c.request && c.kind === 'purchase'"
          >{{ c.amount ? `About ${money(c.amount)} ${c.currency}` : 'Nobody knows yet what it costs'
          }}<template v-if="c.request.approval">; somebody else has to approve it</template>.</template
        >
        <template v-else-if="Number(c.amount)"
          >Worth {{ money(c.amount) }} {{ c.currency }}, {{ c.worth
          }}<template v-if="c.worth === 'at renewal'"> on {{ c.moneyOn }}</template
          >.</template
        >
        <template v-else-if="['idle', 'pool', 'leaver'].includes(c.kind)"
          >The right goes back for reuse; no money is claimed.</template
        >
      </p>
      <p v-if="c.leaves" class="drop" data-leaves>
        {{ c.state === 'asked' ? 'The letter' : 'The order' }} leaves the house at {{ moment(c.leaves) }} UTC.
      </p>
      <template v-if="c.request">
        <h3>Wanted</h3>
        <p data-wanted>
          {{ c.request.what }}, asked for by {{ c.request.author }} on {{ day(c.request.at) }}.
          <template v-if="c.request.note"> “{{ c.request.note }}”.</template>
          <template v-if="c.request.order">
            Ordered as <b>{{ c.request.order }}</b><template v-if="c.request.expected"
              >, expected on {{ c.request.expected }}</template
            >.</template
          >
          <template v-if="c.kind === 'purchase'"> Booked: {{ c.request.booked }} of {{ c.quantity }}.</template>
        </p>
        <ul v-if="c.request.by.length">
          <li v-for="b in c.request.by" :key="b">{{ b }}</li>
        </ul>
        <p class="links">
          <RouterLink v-if="c.request.shortfall" :to="`/worklist?case=${c.request.shortfall}`"
            >the shortfall that asked for it</RouterLink
          >
          <RouterLink v-if="bookAt && !c.ended" :to="bookAt" data-book-it>Book it</RouterLink>
        </p>
      </template>
      <template v-if="c.requests.length">
        <h3>On its way</h3>
        <ul data-on-its-way>
          <li v-for="r in c.requests" :key="r.case">
            <RouterLink :to="`/worklist?case=${r.case}`">{{ r.what }}</RouterLink>: <b>{{ r.state }}</b>
          </li>
        </ul>
      </template>
      <h3 v-if="!c.request">Proof</h3>
      <ul v-if="!c.request">
        <li v-for="p in c.proof" :key="p">{{ p }}</li>
      </ul>
      <p class="links">
        <RouterLink v-if="c.deviceCode" :to="`/evidence/${encodeURIComponent(c.deviceCode)}`"
          >The device and its records</RouterLink
        >
        <RouterLink :to="`/position?trail=p${c.productId}`">the position</RouterLink>
        <RouterLink v-if="['idle', 'pool', 'denied', 'hours'].includes(c.kind)" :to="`/use/title/${c.productId}`"
          >its use</RouterLink
        >
        <RouterLink v-if="['overkey', 'unbought'].includes(c.kind)" :to="keys" data-to-keys
          >its licence keys</RouterLink
        >
        <RouterLink v-if="c.pool" :to="`/use/pools?pool=${c.pool}`" data-to-pool>choose the pool’s size</RouterLink>
        <RouterLink v-if="c.kind === 'denied' && !c.ended" :to="more" data-try-more>try to buy them</RouterLink>
        <RouterLink v-if="c.person" :to="`/entitlements/held/${c.person}`">all that {{ c.about }} holds</RouterLink>
        <RouterLink
          v-if="c.kind === 'hours' || c.kind === 'restricted' || c.kind === 'missing'"
          :to="`/worklist/stances?product=${c.productId}&device=${c.deviceCode}`"
          >which stance says so</RouterLink
        >
      </p>
      <div v-if="mayWork && !busy" class="row">
        <Button
          v-for="a in possible"
          :key="a.act"
          :label="a.label(c.kind)"
          size="small"
          :data-act="a.act"
          :severity="['reopen', 'keep', 'drop'].includes(a.act) ? 'secondary' : undefined"
          @click="press(a)"
        />
        <button v-if="c.undo" class="plain" type="button" data-undo @click="deed([id], { act: 'undo' })">
          take “{{ c.undo }}” back
        </button>
      </div>
      <!-- here, since it comes and goes: what can be pressed stays where it is -->
      <p v-if="company" class="company" role="status" data-others>{{ company }}</p>
      <p v-if="says" role="status" data-case-says>{{ says }}</p>
      <p v-if="c.state === 'sent' && c.kind !== 'purchase'" class="soft">
        The deployment tool has it{{ c.order === 'done' ? ' and says that it is done' : '' }}. It cannot be taken back
        from here; the next scan of {{ c.device }} decides. The last one was on {{ day(c.lastSeen) }}.
      </p>
      <p v-if="!mayWork" class="soft">Working on cases needs the role “work”.</p>
      <!-- below what can be pressed: it comes a moment later, and would move the buttons from under the pointer -->
      <WaysOut v-if="c.kind === 'uncovered' && !c.ended" :product="c.productId" :case="c.id" />
      <h3>What happened</h3>
      <ol class="steps">
        <li v-for="(s, i) in c.steps" :key="i" :class="{ undone: s.undone }">
          <b>{{ stateWord(c.kind, s.to) }}</b> by {{ s.who }}, <span class="soft">{{ moment(s.at) }}</span><span
            v-if="s.undone"
            class="soft"
          >
            (taken back)</span
          >
          <div class="soft">{{ s.note }}</div>
        </li>
      </ol>
      <DeedDialog
        :act="opened"
        :cases="1"
        :busy="doing"
        :failed="failed"
        @close="opened = ''"
        @deed="(d) => deed([id], d)"
      />
    </template>
  </aside>
</template>

<style scoped>
.pane {
  width: 27rem;
  flex: none;
  overflow: auto;
  border-left: 3px solid var(--here);
}
ul {
  padding-left: 1.1rem;
  margin: 0.2rem 0;
}
.pane h3 {
  margin-top: 0.8rem;
}
.links {
  display: flex;
  flex-wrap: wrap;
  gap: 0.1rem 1rem;
}
.steps {
  list-style: none;
  margin: 0.2rem 0;
  padding-left: 0.8rem;
  border-left: 1px solid var(--soft);
}
.steps li {
  padding-bottom: 0.4rem;
}
.undone b {
  text-decoration: line-through;
}
</style>
