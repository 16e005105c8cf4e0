<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, ask } from '../api/client'
import LongWait from '../components/LongWait.vue'
import { useAct } from '../lib/act'
import { count, moment, whole } from '../lib/format'
import { useKept } from '../lib/kept'
import { useSession } from '../lib/session'
import PoolDays from './PoolDays.vue'
import PoolHours from './PoolHours.vue'
import PoolSizing from './PoolSizing.vue'
import PoolWatchers from './PoolWatchers.vue'

/** One pool: its days and hours, who is denied and who holds, what people said, and its right size. */
const props = defineProps<{ id: number }>()
const emit = defineEmits<{ close: [] }>()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const days = ref(90)
const watch = `pool-${Math.random().toString(36).slice(2)}`
const stop = () => void client.cancelQueries({ queryKey: ['pool'] })
const pool = useQuery({
  queryKey: ['pool', computed(() => props.id), days],
  queryFn: ({ signal }) =>
    ask(api.GET('/api/pools/{id}', { params: { path: { id: props.id }, query: { days: days.value, watch } }, signal })),
  retry: false,
  placeholderData: (before) => before,
})
const p = computed(() => pool.data.value)
// the daily sums come at once, however many events a page has to read
const peaks = useQuery({
  queryKey: ['pool-days', computed(() => props.id), days],
  queryFn: () =>
    ask(api.GET('/api/pools/{id}/days', { params: { path: { id: props.id }, query: { days: days.value } } })),
  placeholderData: (before) => before,
})
const { form: typed, hold } = useKept(
  () => `complaint:${props.id}`,
  () => ({ user: '', text: '' }),
)
const { busy, says, act } = useAct()
async function complain() {
  const body = { ...typed.value }
  const noted = hold()
  if (await act(() => ask(api.POST('/api/pools/{id}/complaints', { params: { path: { id: props.id } }, body }))))
    noted()
}
const hours = (n: number) => (n >= 10 ? whole(n) : n.toFixed(1))
const length = (s: number) => (s >= 3600 ? `${(s / 3600).toFixed(1)} h` : `${Math.round(s / 60)} min`)
const alerts: Record<string, string> = {
  lost: 'The connection to its server is lost: nothing is known since.',
  expired: 'Its licences have expired.',
  'expires soon': 'Its licences expire soon.',
  denied: 'Requests were denied in the last month.',
  silent: 'Its server has reported nothing for over a week.',
}
</script>

<template>
  <PoolDays v-if="peaks.data.value && !p" :days="peaks.data.value" />
  <LongWait
    v-if="pool.isFetching.value && !p"
    :watch="watch"
    what="Working out what the licence server reported"
    @stop="stop"
  />
  <p v-else-if="!p && !pool.error.value" class="row">
    Stopped. <button class="plain" type="button" @click="pool.refetch()">Read it after all</button>
    <button class="plain" type="button" @click="emit('close')">all pools</button>
  </p>
  <p v-if="pool.error.value" class="says" role="alert">{{ pool.error.value.message }}</p>
  <article v-if="p" class="pool" data-pool>
    <div class="row">
      <h1>{{ p.code }}</h1>
      <span
        ><RouterLink :to="`/use/title/${p.productId}`">{{ p.publisher }} {{ p.product }}</RouterLink> on
        {{ p.server || 'a server without a name' }}: at most <b>{{ p.peak }} of {{ p.quantity }}</b> out in the last
        month, <span :class="{ short: p.denials }">{{ count(p.denials, 'request') }} denied</span
        ><template v-if="p.spare"
          >; <span class="spare">{{ p.spare }} could be given back</span></template
        >.</span
      >
      <span class="grow" />
      <label class="soft"
        >the last
        <Select v-model="days" :options="[7, 30, 90, 180, 365]" size="small" aria-label="days" />
        days</label
      >
      <button class="plain" type="button" @click="emit('close')">all pools</button>
    </div>
    <div class="row">
      <span v-if="p.alert" class="drop"
        >{{ alerts[p.alert]
        }}<template v-if="p.expires && p.alert.startsWith('expire')"> The last day is {{ p.expires }}.</template></span
      >
      <span class="grow" />
      <PoolWatchers :pool="id" />
    </div>
    <PoolDays :days="p.days" />
    <div class="three">
      <section>
        <h2>Workdays by the hour</h2>
        <PoolHours :hours="p.hours" :quantity="p.quantity" />
        <p class="soft">Filled: out on average; outline: the most; below: denied.</p>
        <p>
          {{ whole(p.arrivals) }} sessions of {{ length(p.meanLength) }} on average, {{ p.meanOut.toFixed(1) }} out on
          average, {{ hours(p.licenceHours) }} licence-hours<template v-if="p.saysIdleHours"
            >; in {{ Math.round((p.idleHours / p.saysIdleHours) * 100) }} % of them nobody worked</template
          >.
        </p>
        <p v-for="l in p.lostSpans" :key="l.from" class="soft">
          No connection from {{ moment(l.from) }} {{ l.to ? `to ${moment(l.to)}` : 'until now' }} UTC.
        </p>
      </section>
      <section class="scrolls">
        <h2>Who</h2>
        <table class="lines">
          <thead>
            <tr>
              <th>user</th>
              <th class="num">denied</th>
              <th class="num">hours</th>
              <th class="num">idle</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="u in p.users.slice(0, 6)" :key="u.who">
              <td>{{ u.name || u.who || 'nobody known' }}</td>
              <td class="num" :class="{ short: u.denials }">{{ u.denials }}</td>
              <td class="num">{{ hours(u.hours) }}</td>
              <td class="num soft">{{ u.idle ? hours(u.idle) : '' }}</td>
            </tr>
            <tr v-for="u in p.sites.slice(0, 3)" :key="'s' + u.who" class="site">
              <td>at {{ u.who }}</td>
              <td class="num" :class="{ short: u.denials }">{{ u.denials }}</td>
              <td class="num">{{ hours(u.hours) }}</td>
              <td class="num soft">{{ u.idle ? hours(u.idle) : '' }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section class="scrolls">
        <h2>Longest sessions</h2>
        <table class="lines">
          <tbody>
            <tr v-for="o in p.longest.slice(0, 5)" :key="o.user + o.start">
              <td>{{ o.user }}</td>
              <td>{{ moment(o.start) }}</td>
              <td class="num">{{ length(o.seconds) }}</td>
              <td class="num soft">
                {{ o.active >= 0 && o.seconds ? `${Math.round((o.active / o.seconds) * 100)} % worked` : '' }}
              </td>
            </tr>
          </tbody>
        </table>
        <h2 class="said">What people said</h2>
        <p v-for="c in p.complaints" :key="c.id" :class="{ soft: c.endedAt }">
          <b v-if="c.user">{{ c.user }}: </b>“{{ c.text }}” <span class="soft">{{ moment(c.at) }}</span><template
            v-if="c.endedAt"
          >
            – answered: {{ c.endedHow }}</template
          >
        </p>
        <form v-if="mayWork" class="row" data-complaint @submit.prevent="complain">
          <InputText v-model="typed.user" size="small" placeholder="user_id" aria-label="user" class="who" />
          <InputText
            v-model="typed.text"
            size="small"
            class="grow"
            placeholder="what happened"
            aria-label="what happened"
          />
          <Button type="submit" label="Note it" size="small" :loading="busy" :disabled="!typed.text" />
        </form>
        <p v-if="says" class="says" role="alert">{{ says }}</p>
      </section>
    </div>
    <section v-if="p.sizes.length" class="sizes">
      <h2>What was decided</h2>
      <p v-for="s in p.sizes" :key="s.id">
        <b>{{ s.size }} instead of {{ s.was }}</b> by {{ s.author }}, {{ moment(s.at) }}: {{ s.reason }}
        <span class="soft">{{ s.basis }}</span>
        <span v-if="s.size !== p.quantity && s.id === p.sizes[0]?.id" class="drop">
          The server still has {{ p.quantity }}.</span
        >
      </p>
    </section>
    <PoolSizing :pool="p.id" :quantity="p.quantity" :days="days" />
  </article>
</template>

<style scoped>
.pool h2 {
  margin-top: 0.5rem;
}
p {
  margin: 0.2rem 0;
}
.three {
  display: grid;
  grid-template-columns: 5fr 4fr 4fr;
  gap: 1.4rem;
}
@media (max-width: 1000px) {
  .three {
    grid-template-columns: 1fr;
  }
}
.site td {
  color: var(--soft);
}
.who {
  width: 6rem;
}
</style>
