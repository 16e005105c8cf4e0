<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { api, ask } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import LongWait from '../components/LongWait.vue'
import { useAct } from '../lib/act'
import { money, whole } from '../lib/format'
import { useKept } from '../lib/kept'
import { useSession } from '../lib/session'
import CostCurve from './CostCurve.vue'
import SizingCurve from './SizingCurve.vue'

/**
 * The right size of a pool: what its requests would have met at other sizes, and what the formula says; a size is
 * decided on with its reason.
 */
const props = defineProps<{ pool: number; quantity: number; days: number }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const target = ref(1)
const denial = ref(0)
const asked = refDebounced(
  computed(() => ({ days: props.days, target: target.value / 100, denialCost: denial.value })),
  400,
)
const key = `size-${Math.random().toString(36).slice(2)}`
const sizing = useQuery({
  queryKey: ['pool-sizing', computed(() => props.pool), asked],
  queryFn: ({ signal }) =>
    ask(
      api.GET('/api/pools/{id}/sizing', {
        params: { path: { id: props.pool }, query: { ...asked.value, watch: key } },
        signal,
      }),
    ),
  retry: false,
})
const s = computed(() => sizing.data.value)
// what is proposed, until somebody says otherwise: an answer that comes later leaves that alone
const said = ref<number>()
watch(
  () => props.pool,
  () => (said.value = undefined),
)
const chosen = computed({
  get: () => said.value ?? (s.value?.suggested || props.quantity),
  set: (n) => (said.value = n),
})
const { form: typed, hold } = useKept(
  () => `size:${props.pool}`,
  () => ({ reason: '' }),
)
const { says, act } = useAct()
const at = computed(() => s.value?.sizes.find((x) => x.licences === chosen.value))
const percent = (n: number) => (n < 0.001 && n > 0 ? 'under 0.1 %' : `${(n * 100).toFixed(1)} %`)
const basis = computed(() =>
  at.value && s.value
    ? `${whole(s.value.requests)} requests of ${s.value.days} days: at ${chosen.value} licences replay denies ${percent(at.value.share)} (${percent(at.value.low)} to ${percent(at.value.high)}), the formula says ${percent(at.value.erlang)}; go by ${s.value.trust}.`
    : '',
)
async function save() {
  const body = { size: chosen.value, reason: typed.value.reason, basis: basis.value }
  const decided = hold()
  const done = `Decided: ${body.size} licences. The licence server’s next list of pools shows when its owner has set it.`
  if (await act(() => ask(api.POST('/api/pools/{id}/size', { params: { path: { id: props.pool } }, body })), done))
    decided()
}
function stop() {
  void client.cancelQueries({ queryKey: ['pool-sizing'] })
}
</script>

<template>
  <section data-sizing>
    <div class="row">
      <h2>The right size</h2>
      <label class="soft"
        >at most
        <InputNumber
          v-model="target"
          :min="0"
          :max="50"
          :max-fraction-digits="1"
          suffix=" %"
          size="small"
          input-class="few"
        />
        denied</label
      >
      <label class="soft"
        >a denial costs
        <InputNumber
          v-model="denial"
          aria-label="what a denial costs"
          :min="0"
          :max="100000"
          size="small"
          input-class="few"
        />
        {{ s?.currency }}</label
      >
    </div>
    <LongWait v-if="sizing.isFetching.value && !s" :watch="key" what="Replaying requests" @stop="stop" />
    <p v-if="sizing.error.value" class="says" role="alert">{{ sizing.error.value.message }}</p>
    <template v-if="s">
      <p v-if="s.sizes.length">
        <b>{{
          s.trust === 'neither' ? 'Neither says much.' : `Go by ${s.trust === 'both' ? 'both' : 'the replay'}.`
        }}</b>
        {{ s.why }}
      </p>
      <p v-else class="soft">{{ s.why }}</p>
      <div v-if="s.sizes.length" class="two">
        <figure>
          <SizingCurve :sizing="s" :quantity="quantity" :chosen="chosen" @choose="(n) => (chosen = n)" />
          <figcaption class="soft">
            Denied requests by size: the line is the replay with its spread over {{ s.seeds }} draws of the lengths that
            nobody knows, dashed is Erlang’s formula. Replay takes {{ whole(s.requests) }} requests as they came ({{
              whole(s.repeats)
            }}
            repeats within a quarter of an hour left out, {{ whole(s.unknown) }} denied ones with a drawn length). The
            formula takes requests to come at random at {{ s.load.toFixed(1) }} erlangs, the load of {{ s.busyHours }},
            and whoever is denied to go away.
          </figcaption>
          <CostCurve
            v-if="denial > 0 && Number(s.licence)"
            :sizing="s"
            :denial="asked.denialCost"
            :chosen="chosen"
            @choose="(n) => (chosen = n)"
          />
        </figure>
        <div class="scrolls">
          <table class="lines sizes">
            <thead>
              <tr>
                <th class="num">licences</th>
                <th class="num">replay</th>
                <th class="num">spread</th>
                <th class="num">a day</th>
                <th class="num">formula</th>
                <th class="num">cost</th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="v in s.sizes"
                :key="v.licences"
                :class="{ on: v.licences === chosen, now: v.licences === quantity }"
                tabindex="0"
                @click="chosen = v.licences"
                @keydown.enter="chosen = v.licences"
              >
                <td class="num">
                  <b>{{ v.licences }}</b><span v-if="v.licences === quantity" class="soft"> today</span>
                </td>
                <td class="num">{{ percent(v.share) }}</td>
                <td class="num soft">{{ percent(v.low) }}–{{ percent(v.high) }}</td>
                <td class="num">{{ v.perDay.toFixed(1) }}</td>
                <td class="num">{{ percent(v.erlang) }}</td>
                <td class="num">{{ v.cost ? `${money(v.cost)} ${s.currency}` : '' }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </div>
      <form v-if="mayWork && s.sizes.length" class="decide" @submit.prevent="save">
        <div class="row">
          <label
            >Give it
            <InputNumber v-model="chosen" :min="0" :max="10000000" size="small" input-class="few" data-size />
            licences</label
          >
          <span>because</span>
          <InputText
            v-model="typed.reason"
            size="small"
            class="grow"
            aria-label="reason"
            placeholder="whoever looks at it in a year wants to know"
            data-size-reason
          />
        </div>
        <EffectLine
          v-if="typed.reason"
          :press="`${chosen} licences instead of ${quantity}`"
          ready
          :says="basis || 'This size was not replayed.'"
          @press="save"
        />
      </form>
    </template>
    <p v-if="says" role="status" data-size-says>{{ says }}</p>
  </section>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 3fr 2fr;
  gap: 1.2rem;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
figure,
p {
  margin: 0.3rem 0;
}
.scrolls {
  max-height: 22rem;
  overflow: auto;
}
.sizes tr {
  cursor: pointer;
}
.sizes tr.on {
  background: var(--pick);
  box-shadow: inset 3px 0 var(--here);
}
.decide {
  display: grid;
  gap: 0.5rem;
  margin-top: 0.5rem;
}
</style>
