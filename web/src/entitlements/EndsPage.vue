<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useHouse } from '../lib/house'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import { count, money, whole } from '../lib/format'
import EntitlementsNav from './EntitlementsNav.vue'
import EndsLine from './EndsLine.vue'

/**
 * What ends: rights, maintenance and contracts on a time line with their notice dates, and what it costs to let each
 * go or to keep it.
 */
const house = useHouse()
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
  r.what === 'right' ? r.kind : r.what === 'contract' ? (r.renews ? 'contract, renews' : 'contract') : 'maintenance'
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
        }}<template v-if="urgent">, {{ count(urgent, 'of them wants', 'of them want') }} notice before</template>;
        amounts in {{ house }} at the rate of today<template v-if="ends.isFetching.value"> …</template></span
      >
      <span class="grow" />
      <a :href="`/api/renewals.ics?days=${days}`" download>To a calendar (iCalendar)</a>
    </div>
    <p v-if="ends.error.value" class="says">{{ ends.error.value.message }}</p>
    <EndsLine v-if="list.length" :list="list" :today="today" :days="days" />
    <div class="scrolls">
      <table class="lines" data-ends>
        <thead>
          <tr>
            <th>last day</th>
            <th class="num">days</th>
            <th>notice by</th>
            <th>what</th>
            <th>product</th>
            <th>line</th>
            <th>contract</th>
            <th class="num">used of</th>
            <th class="num">keep all</th>
            <th class="num">what is used</th>
            <th class="num">short if let go</th>
            <th class="num">worth</th>
            <th>by the figures</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in list" :key="r.what + r.line + r.contract + r.on">
            <td>{{ r.on }}</td>
            <td class="num soft">{{ r.daysLeft >= 0 ? whole(r.daysLeft) : 'past' }}</td>
            <td :class="{ short: late(r, today) }">{{ r.notice }}{{ late(r, today) ? ' past' : '' }}</td>
            <td>{{ what(r) }}</td>
            <td class="clip" :title="`${r.product}, ${r.publisher}`">
              <RouterLink v-if="r.productId" :to="`/position/${r.productId}`"
                ><b>{{ r.product }}</b></RouterLink
              ><b v-else>{{ r.product }}</b>
            </td>
            <td>
              <RouterLink v-if="r.line" :to="`/entitlements/line/${encodeURIComponent(r.line)}`">{{
                r.line
              }}</RouterLink>
            </td>
            <td>
              <RouterLink
                v-if="r.contract"
                class="soft"
                :to="`/entitlements/contracts?code=${encodeURIComponent(r.contract)}`"
                >{{ r.contract }}</RouterLink
              >
            </td>
            <td class="num">{{ r.what === 'contract' ? '' : `${whole(r.used)} of ${whole(r.quantity)}` }}</td>
            <td class="num" :title="r.keep && `${money(r.keep)} ${r.currency}`">
              {{ r.keepHouse ? money(r.keepHouse) : r.keep ? `${money(r.keep)} ${r.currency}` : '' }}
              <div v-if="r.keepHouse && r.currency !== house" class="soft">{{ money(r.keep) }} {{ r.currency }}</div>
            </td>
            <td class="num">{{ Number(r.keepUsedHouse) && r.keepUsed !== r.keep ? money(r.keepUsedHouse) : '' }}</td>
            <td class="num">
              <span v-if="r.what === 'right'" :class="{ short: r.shortMore }">{{ whole(r.shortMore) }}</span>
            </td>
            <td class="num">{{ Number(r.letGoHouse) ? money(r.letGoHouse) : '' }}</td>
            <td :class="{ spare: r.advice === 'let go' }">
              {{ r.advice.replace('keep what is used', 'keep the used') }}
              <div v-if="r.rests" class="soft">
                {{ whole(r.rests) }} on {{ r.releases.join(', ') }}, which came out under it
              </div>
              <div v-if="r.coming.length" class="soft">to come: {{ r.coming.join(', ') }}</div>
            </td>
          </tr>
          <tr v-if="ends.data.value && !list.length">
            <td colspan="13" class="soft">Nothing ends in this time.</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
td {
  white-space: nowrap;
}
.clip {
  max-width: 15rem;
}
</style>
