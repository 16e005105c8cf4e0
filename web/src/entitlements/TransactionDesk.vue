<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import { useAct } from '../lib/act'
import { count, day, money, whole, word } from '../lib/format'
import { useKept } from '../lib/kept'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import TradeEffect from './TradeEffect.vue'
import TransactionUndo from './TransactionUndo.vue'

/**
 * What happened to a line: its first purchase and what was booked since, by whom; the next one, with its effect before
 * it is booked; and undoing one.
 */
const props = defineProps<{ code: string; line: Schemas['LineDetail'] }>()
const mayWork = useSession().may('work')
const v = computed(() => props.line.values)
const { busy, says, act } = useAct()
const types = [
  { value: 'true_up', label: 'true-up' },
  { value: 'buy', label: 'buy more' },
  { value: 'renew', label: 'renew' },
  { value: 'transfer_in', label: 'transfer in' },
  { value: 'transfer_out', label: 'transfer out' },
  { value: 'retire', label: 'retire' },
]
const called = (type: string) => types.find((t) => t.value === type)?.label ?? word(type)
const blank = () => ({ type: 'true_up', on: '', quantity: '', end: '', price: '', order: '', note: '', request: '' })
const { form, hold } = useKept(() => `transaction:${props.code}`, blank)
// What was asked for comes with what it is booked as, and names its case.
const route = useRoute()
watch(
  () => route.query.request,
  (request) => {
    if (!request) return
    const q = route.query
    form.value = {
      ...blank(),
      type: String(q.type ?? 'true_up'),
      quantity: String(q.quantity ?? ''),
      order: String(q.order ?? ''),
      request: String(request),
    }
  },
  { immediate: true },
)
const costs = computed(() => ['buy', 'true_up', 'renew'].includes(form.value.type))
const draft = computed(() => {
  const f = form.value
  if (!f.on || !f.quantity || (f.type === 'renew' && !f.end)) return undefined
  return {
    ...f,
    line: props.code,
    end: f.type === 'renew' ? f.end : '',
    price: costs.value ? f.price : '',
    currency: costs.value && f.price ? v.value.currency : '',
  }
})
const { effect, failed } = usePreview(
  'try-trade',
  draft,
  (body, signal) => ask(api.POST('/api/transactions/try', { body, signal })),
  computed(() => props.line.transactions.length),
)
const confirmed = ref<string[]>([])
watch(draft, () => (confirmed.value = []), { deep: true })
const ready = computed(() => !!effect.value && effect.value.asks.every((a) => confirmed.value.includes(a)))
async function book() {
  if (!draft.value || !ready.value) return
  const body = { ...draft.value, confirmed: confirmed.value }
  const booked = hold()
  if (await act(() => ask(api.POST('/api/transactions', { body })))) booked()
}
const undoing = ref(0)
const packs = computed(() => Number(v.value.pack_size) > 1)
const told = (t: Schemas['LineTransaction']) =>
  [t.quantity < 0 ? '' : t.order, t.note, t.request && `for case ${t.request}`].filter(Boolean).join(', ')
function shown(t: Schemas['LineTransaction']) {
  const n = whole(Math.abs(t.quantity))
  if (t.type === 'renew') return n
  const leaves = ['transfer_out', 'retire'].includes(t.type) !== t.quantity < 0
  return (leaves ? '−' : '+') + n
}
</script>

<template>
  <h2>Transactions</h2>
  <table class="lines" data-transactions>
    <thead>
      <tr>
        <th>on</th>
        <th>what</th>
        <th class="num">{{ packs ? 'packs' : 'how many' }}</th>
        <th class="num">each</th>
        <th>booked by</th>
        <th />
      </tr>
    </thead>
    <tbody>
      <tr v-if="line.ownPurchase" data-own>
        <td class="day">{{ line.boughtOn || 'always' }}</td>
        <td>
          first purchase
          <div v-if="v.order" class="soft">{{ v.order }}</div>
        </td>
        <td class="num">+{{ whole(Number(v.quantity)) }}</td>
        <td class="num">{{ v.unit_price ? `${money(v.unit_price)} ${v.currency}` : '' }}</td>
        <td class="soft">with the line</td>
        <td />
      </tr>
      <template v-for="t in line.transactions" :key="t.id">
        <tr :class="{ gone: t.goneAt }" :data-transaction="t.id">
          <td class="day">{{ t.on }}</td>
          <td>
            <span class="what">{{ t.quantity < 0 ? `counter-entry: ${called(t.type)}` : called(t.type) }}</span>
            <template v-if="t.end"> until {{ t.end }}</template>
            <div v-if="t.order || t.note || t.request" class="soft">
              {{ told(t) }}
            </div>
            <div v-if="t.goneAt" class="why">taken back by {{ t.goneBy }} on {{ day(t.goneAt) }}: {{ t.goneWhy }}</div>
            <div v-else-if="t.countered" class="why">undone by its counter-entry</div>
          </td>
          <td class="num">{{ shown(t) }}</td>
          <td class="num">{{ t.price ? `${money(t.price)} ${t.currency}` : '' }}</td>
          <td class="soft">
            {{ t.author }}
            <div v-if="t.at" class="day">{{ day(t.at) }}</div>
          </td>
          <td class="num">
            <button
              v-if="mayWork && !t.goneAt && !t.countered"
              class="plain"
              type="button"
              :aria-expanded="undoing === t.id"
              data-undo
              @click="undoing = undoing === t.id ? 0 : t.id"
            >
              undo
            </button>
          </td>
        </tr>
        <tr v-if="undoing === t.id">
          <td colspan="6"><TransactionUndo :id="t.id" :key="t.id" @done="undoing = 0" /></td>
        </tr>
      </template>
      <tr v-if="!line.ownPurchase && Number(v.quantity) > 0">
        <td colspan="6" class="soft">
          The line's own quantity, {{ whole(Number(v.quantity)) }}, does not count besides: a purchase above stands in
          its place.
        </td>
      </tr>
    </tbody>
  </table>
  <form v-if="mayWork" class="trade" data-trade @submit.prevent="book">
    <label
      >what <Select v-model="form.type" :options="types" option-label="label" option-value="value" size="small"
    /></label>
    <label>on <InputText v-model="form.on" type="date" size="small" name="on" /></label>
    <label
      >{{ packs ? 'packs' : 'how many' }}
      <InputText v-model="form.quantity" inputmode="numeric" size="small" name="quantity" class="few"
    /></label>
    <label v-if="form.type === 'renew'"
      >until <InputText v-model="form.end" type="date" size="small" name="end"
    /></label>
    <label v-if="costs"
      >price of one{{ v.currency ? `, ${v.currency}` : '' }}
      <InputText
        v-model="form.price"
        inputmode="decimal"
        size="small"
        name="price"
        class="few"
        :placeholder="v.unit_price ?? ''"
    /></label>
    <label>order <InputText v-model="form.order" size="small" name="order" /></label>
    <label class="grow">note <InputText v-model="form.note" size="small" name="trade-note" /></label>
    <p v-if="form.request" class="row" data-for-case>
      for <RouterLink :to="`/worklist?case=${form.request}`">case {{ form.request }}</RouterLink>
      <button type="button" class="plain" @click="form.request = ''">not for it</button>
    </p>
  </form>
  <div v-if="effect?.asks.length" class="asks">
    <label v-for="a in effect.asks" :key="a"
      ><input v-model="confirmed" type="checkbox" :value="a" data-ask-check /> {{ a }}</label
    >
  </div>
  <EffectLine
    v-if="draft"
    :press="busy ? 'Booking…' : 'Book it'"
    :says="effect?.asks.length && !ready ? `once ${count(effect.asks.length, 'answer is', 'answers are')} ticked` : ''"
    :ready="ready && !busy"
    :failed="failed"
    @press="book"
  >
    <TradeEffect v-if="effect" :effect="effect" />
  </EffectLine>
  <p v-if="says" class="says" role="alert">{{ says }}</p>
</template>

<style scoped>
h2 {
  margin: 0.7rem 0 0.2rem;
}
.day {
  white-space: nowrap;
}
.gone .what,
.gone .num {
  text-decoration: line-through;
}
.why {
  color: var(--short);
}
.trade {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem 0.7rem;
  margin: 0.6rem 0 0.5rem;
}
.trade label {
  display: flex;
  flex-direction: column;
  color: var(--soft);
  font-size: 0.85rem;
}
.few {
  width: 6.5rem;
}
.grow {
  flex: 1;
}
.asks {
  display: grid;
  gap: 0.3rem;
  margin: 0 0 0.5rem;
  border-left: 3px solid var(--short);
  padding-left: 0.6rem;
}
p {
  margin: 0.25rem 0;
}
</style>
