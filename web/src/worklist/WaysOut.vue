<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { useAct } from '../lib/act'
import { count, money, whole } from '../lib/format'
import { useSession } from '../lib/session'

/**
 * The ways out of a shortfall side by side, the best first: what each covers, what it costs, how long it takes and who
 * has to agree. What the contract would have to allow first is folded away.
 */
type WayOut = Schemas['WayOut']
const props = defineProps<{ product: number; case?: number }>()
const mayWork = useSession().may('work')
const { busy, says, act } = useAct()
const turn = (w: WayOut) =>
  act(
    () => ask(api.POST('/api/requests', { body: { measures: w.measures, case: props.case } })),
    (d) =>
      `Turned into ${[d.cases && count(d.cases, 'removal'), d.seats && count(d.seats, 'seat') + ' handed back', d.requests && count(d.requests, 'case') + ' of what is to be bought or done'].filter(Boolean).join(', ')}.`,
  )
const ways = useQuery({
  queryKey: ['ways-out', computed(() => props.product)],
  queryFn: () => ask(api.GET('/api/products/{id}/ways-out', { params: { path: { id: props.product } } })),
})
const asked = (w: WayOut) => w.what === 'contract' || w.what === 'leave out'
const open = ref(false)
const contract = computed(() => (ways.data.value ?? []).filter(asked))
const shown = computed(() => (ways.data.value ?? []).filter((w) => open.value || !asked(w)))
const kinds: Partial<Record<WayOut['what'], string>> = {
  'take back': 'idle',
  remove: 'restricted|ended|planned',
  seats: 'leaver',
}
const tryIt = (w: WayOut) => ({
  path: '/position/try',
  query: { product: String(props.product), m: JSON.stringify(w.measures) },
})
</script>

<template>
  <section class="ways">
    <h3>Ways out</h3>
    <p v-if="ways.error.value" class="says" role="alert">{{ ways.error.value.message }}</p>
    <p v-if="ways.isPending.value" class="soft" role="status">Each way is being tried …</p>
    <div class="scrolls">
      <table v-if="shown.length" class="lines" data-ways>
        <thead>
          <tr>
            <th>way</th>
            <th class="num">covers</th>
            <th class="num">left</th>
            <th class="num">cost</th>
            <th>time</th>
            <th>who has to agree</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="w in shown" :key="w.what + w.words" :class="{ best: w === shown[0] }">
            <td>
              <RouterLink
                v-if="kinds[w.what] && w.cases.length"
                :to="`/worklist?f=productId%3D${product}&f=ended%3D0&f=kind%3D${kinds[w.what]}`"
                >{{ w.words }}</RouterLink><template v-else>{{ w.words }}</template>
            </td>
            <td class="num" data-label="covers">{{ whole(w.covers) }}</td>
            <td class="num" data-label="left" :class="{ short: w.left > 0 }">{{ whole(w.left) }}</td>
            <td class="num" data-label="costs">
              {{ w.cost === '' ? 'not known' : w.cost === '0' ? '0' : `${money(w.cost)} ${w.currency}` }}
            </td>
            <td class="soft">{{ w.time }}</td>
            <td class="soft" :data-label="w.agree && 'to agree:'">{{ w.agree }}</td>
            <td class="once">
              <RouterLink :to="tryIt(w)" data-try-way>try it</RouterLink>
              <button v-if="mayWork" type="button" class="plain gap" :disabled="busy" data-turn-way @click="turn(w)">
                turn it into work
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="says" role="status" data-way-says>
      {{ says }} <RouterLink :to="`/worklist?f=productId%3D${product}&f=ended%3D0`">To the cases</RouterLink>
    </p>
    <p v-if="contract.length">
      <button type="button" class="plain" :aria-expanded="open" data-contract-ways @click="open = !open">
        {{ open ? 'hide' : 'show' }} {{ count(contract.length, 'way') }} that the contract would have to allow
      </button>
    </p>
    <p v-if="ways.data.value && !ways.data.value.length" class="soft">
      Nothing is short any more, or nothing that is known of would cover it.
    </p>
    <p>
      <RouterLink :to="`/position/try?product=${product}`">Try several together</RouterLink>
    </p>
  </section>
</template>

<style scoped>
.ways {
  container-type: inline-size;
}
@container (max-width: 36rem) {
  .lines thead {
    display: none;
  }
  .lines tr {
    display: block;
    padding: 0.35rem 0;
    border-bottom: 1px solid var(--line);
  }
  .lines td {
    display: inline;
    padding: 0 0.6rem 0 0;
    border: 0;
    text-align: left;
  }
  .lines td:first-child {
    display: block;
  }
  .lines td[data-label]:not([data-label=''])::before {
    content: attr(data-label) ' ';
    font-weight: 400;
    color: var(--soft);
  }
}
.best td {
  font-weight: 600;
}
.best .soft {
  font-weight: 400;
}
.gap {
  margin-left: 0.6rem;
}
.once {
  white-space: nowrap;
}
</style>
