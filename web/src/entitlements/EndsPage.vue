<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import { count, money, whole } from '../lib/format'
import EntitlementsNav from './EntitlementsNav.vue'
import EndsLine from './EndsLine.vue'

/** What ends: rights, maintenance and contracts on a time line with their notice dates, and what it costs to let each go or to keep it. */
const route = useRoute()
const router = useRouter()
const days = computed(() => Number(route.query.days ?? 365))
const ends = useQuery({
  queryKey: ['renewals', days],
  queryFn: () => ask(api.GET('/api/renewals', { params: { query: { days: days.value } } })),
  placeholderData: keepPreviousData,
})
const list = computed(() => ends.data.value ?? [])
const spans: [string, number][] = [
  ['90 days', 90],
  ['a year', 365],
  ['three years', 1096],
]
const urgent = computed(() => list.value.filter((r) => r.notice && r.daysLeft >= 0).length)
const what = (r: Schemas['Renewal']) =>
  r.what === 'right'
    ? r.kind
    : r.what === 'contract'
      ? r.renews
        ? 'contract, goes on by itself'
        : 'contract'
      : 'maintenance'
const late = (r: Schemas['Renewal'], now: string) => !!r.notice && r.notice < now
const today = computed(() => {
  const r = list.value[0]
  return r ? new Date(Date.parse(r.on) - r.daysLeft * 86400_000).toISOString().slice(0, 10) : ''
})
</script>

<template>
  <div class="page">
    <EntitlementsNav />
    <div class="row head">
      <h1>What ends</h1>
      <button
        v-for="[label, n] in spans"
        :key="n"
        type="button"
        class="chip"
        :class="{ on: days === n }"
        @click="router.replace({ query: { days: String(n) } })"
      >
        {{ label }}
      </button>
      <span class="soft"
        >{{ count(list.length, 'end')
        }}<template v-if="urgent">, {{ count(urgent, 'of them wants', 'of them want') }} notice before</template
        ><template v-if="ends.isFetching.value"> …</template></span
      >
      <span class="grow" />
      <a :href="`/api/renewals.ics?days=${days}`" download>To a calendar (iCalendar)</a>
    </div>
    <p v-if="ends.error.value" class="says">{{ ends.error.value.message }}</p>
    <EndsLine v-if="list.length" :list="list" :today="today" :days="days" />
    <table class="lines" data-ends>
      <thead>
        <tr>
          <th>last day</th>
          <th>notice by</th>
          <th>what</th>
          <th>product</th>
          <th>line, contract</th>
          <th class="num">used of</th>
          <th class="num">keep all</th>
          <th class="num">keep what is used</th>
          <th class="num">let go: short more</th>
          <th class="num">at list price</th>
          <th>by the figures</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in list" :key="r.what + r.line + r.contract + r.on">
          <td>
            {{ r.on }} <span class="soft">{{ r.daysLeft >= 0 ? `in ${count(r.daysLeft, 'day')}` : 'past' }}</span>
          </td>
          <td :class="{ short: late(r, today) }">{{ r.notice }}{{ late(r, today) ? ', past' : '' }}</td>
          <td>{{ what(r) }}</td>
          <td>
            <RouterLink v-if="r.productId" :to="`/position/${r.productId}`"
              ><b>{{ r.product }}</b></RouterLink
            ><b v-else>{{ r.product }}</b> <span class="soft">{{ r.publisher }}</span>
          </td>
          <td>
            <RouterLink v-if="r.line" :to="`/entitlements/line/${encodeURIComponent(r.line)}`">{{ r.line }}</RouterLink>
            <span class="soft"> {{ r.contract }}</span>
          </td>
          <td class="num">{{ r.what === 'contract' ? '' : `${whole(r.used)} of ${whole(r.quantity)}` }}</td>
          <td class="num">{{ r.keep ? money(r.keep) + ' ' + r.currency : '' }}</td>
          <td class="num">{{ r.keepUsed && r.keepUsed !== r.keep ? money(r.keepUsed) + ' ' + r.currency : '' }}</td>
          <td class="num">
            <span v-if="r.what === 'right'" :class="{ short: r.shortMore }">{{ whole(r.shortMore) }}</span>
          </td>
          <td class="num">{{ Number(r.letGo) ? money(r.letGo) : '' }}</td>
          <td :class="{ spare: r.advice === 'let go' }">{{ r.advice }}</td>
        </tr>
        <tr v-if="ends.data.value && !list.length">
          <td colspan="11" class="soft">Nothing ends in this time.</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.head {
  padding: 0.4rem 0;
}
</style>
