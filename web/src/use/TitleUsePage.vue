<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { count, whole } from '../lib/format'
import UseMonths from './UseMonths.vue'
import UseNav from './UseNav.vue'

/** The use of one title over time, as a picture and as a table, and who uses it. */
const props = defineProps<{ id: string }>()
const use = useQuery({
  queryKey: ['use-over', computed(() => props.id)],
  queryFn: () =>
    ask(api.GET('/api/products/{id}/use', { params: { path: { id: Number(props.id) }, query: { months: 12 } } })),
})
const u = computed(() => use.data.value)
const now = computed(() => u.value?.months.at(-1))
const hours = (n: number) => (n >= 10 ? whole(n) : n.toFixed(1))
</script>

<template>
  <div class="page">
    <UseNav />
    <p v-if="use.error.value" class="says" role="alert">{{ use.error.value.message }}</p>
    <template v-if="u && now">
      <div class="row head">
        <h1>{{ u.publisher }} {{ u.product }}</h1>
        <span>
          {{ count(now.devices, 'machine has it', 'machines have it') }}: <b>{{ now.regular }} regular</b>,
          {{ now.light }} light,
          <span :class="{ drop: now.unused + now.neverUsed }">{{ now.unused + now.neverUsed }} idle</span>,
          {{ now.notMeasured }} not measured in {{ u.window }} days; {{ whole(now.owned) }} owned.
        </span>
        <span class="grow" />
        <RouterLink :to="`/use?f=productId%3D${id}`">machine by machine</RouterLink>
        <RouterLink :to="`/position/${id}`">position</RouterLink>
        <RouterLink :to="`/titles/${id}`">title</RouterLink>
      </div>
      <p v-if="!u.metered" class="drop">
        No program of it has ever reported use. Give the title the name of its file as another name, so that sessions
        are known to be its own; last-use dates of scans count without that.
      </p>
      <p v-else class="soft">Known by {{ u.files.join(', ') || 'its name' }}.</p>
      <UseMonths :months="u.months" />
      <div class="two">
        <section class="scrolls">
          <h2>Month by month</h2>
          <table class="lines" data-months>
            <thead>
              <tr>
                <th>month</th>
                <th class="num">machines</th>
                <th class="num">regular</th>
                <th class="num">light</th>
                <th class="num">idle</th>
                <th class="num">not measured</th>
                <th class="num">users</th>
                <th class="num">hours run</th>
                <th class="num">worked</th>
                <th class="num">owned</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="m in [...u.months].reverse()" :key="m.month">
                <td>{{ m.month }}</td>
                <td class="num">{{ whole(m.devices) }}</td>
                <td class="num">{{ whole(m.regular) }}</td>
                <td class="num">{{ whole(m.light) }}</td>
                <td class="num">{{ whole(m.unused + m.neverUsed) }}</td>
                <td class="num">{{ whole(m.notMeasured) }}</td>
                <td class="num">{{ whole(m.users) }}</td>
                <td class="num">{{ hours(m.runHours) }}</td>
                <td class="num">{{ hours(m.activeHours) }}</td>
                <td class="num">{{ whole(m.owned) }}</td>
              </tr>
            </tbody>
          </table>
        </section>
        <section class="scrolls">
          <h2>Who used it in the last {{ u.window }} days</h2>
          <table v-if="u.users.length" class="lines" data-users>
            <thead>
              <tr>
                <th>user</th>
                <th>unit</th>
                <th class="num">days</th>
                <th class="num">hours run</th>
                <th class="num">worked</th>
                <th class="num">last</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="p in u.users.slice(0, 40)" :key="p.user">
                <td>
                  <RouterLink v-if="p.name" :to="`/entitlements/held/${p.user}`">{{ p.name }}</RouterLink><template
                    v-else
                    >{{ p.user || 'nobody known' }}</template
                  >
                </td>
                <td class="soft">{{ p.unit }}</td>
                <td class="num">{{ p.days }}</td>
                <td class="num">{{ hours(p.runHours) }}</td>
                <td class="num">{{ hours(p.activeHours) }}</td>
                <td class="num">{{ p.last }}</td>
              </tr>
            </tbody>
          </table>
          <p v-else class="soft">Nobody whose use was measured.</p>
        </section>
      </div>
    </template>
  </div>
</template>

<style scoped>
p {
  margin: 0.1rem 0;
}
.two {
  display: grid;
  grid-template-columns: 3fr 2fr;
  gap: 1.6rem;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
