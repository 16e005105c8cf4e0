<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { count, money, whole } from '../lib/format'
import { useHouse } from '../lib/house'
import WorkNav from './WorkNav.vue'
import { costs, kinds, marks } from './cases'

/** Cases that one decision may serve: of one kind, about one product, in one state. Each line opens into its cases. */
const groups = useQuery({ queryKey: ['case-groups'], queryFn: () => ask(api.GET('/api/cases/groups')) })
const house = useHouse()
const decides = ['open', 'answered', 'silent', 'failed']
const parts = computed(() => {
  const all = groups.data.value ?? []
  return [
    { name: 'Wait for a decision', list: all.filter((g) => decides.includes(g.state)) },
    { name: 'Under way', list: all.filter((g) => !decides.includes(g.state)) },
  ]
})
const to = (g: Schemas['CaseGroup']) => `/worklist?f=kind%3D${g.kind}&f=state%3D${g.state}&f=productId%3D${g.productId}`
const most = computed(() => Math.max(1, ...(groups.data.value ?? []).map((g) => g.count)))
</script>

<template>
  <div class="page">
    <WorkNav />
    <h1 class="head">Decide together</h1>
    <p v-if="groups.data.value && !groups.data.value.length" class="soft">Nothing is to be done.</p>
    <section v-for="p in parts" :key="p.name">
      <h2 v-if="p.list.length">
        {{ p.name }}:
        {{
          count(
            p.list.reduce((n, g) => n + g.count, 0),
            'case',
          )
        }}
        in {{ count(p.list.length, 'lot') }}
      </h2>
      <div class="scrolls">
        <table v-if="p.list.length" class="lines" data-lots>
          <thead>
            <tr>
              <th>product</th>
              <th>publisher</th>
              <th>why</th>
              <th>state</th>
              <th class="num">cases</th>
              <th class="bar"></th>
              <th class="num">worth</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="g in p.list" :key="g.kind + g.state + g.productId">
              <td>
                <RouterLink :to="to(g)"
                  ><b>{{ g.product }}</b></RouterLink
                >
              </td>
              <td class="soft">{{ g.publisher }}</td>
              <td>{{ kinds[g.kind] }}</td>
              <td>{{ marks[g.state] }} {{ g.state }}</td>
              <td class="num">
                <RouterLink :to="to(g)">{{ whole(g.count) }}</RouterLink>
              </td>
              <td class="bar"><i :style="{ width: `${Math.max(2, (g.count / most) * 100)}%` }" /></td>
              <td class="num" :class="{ short: costs(g.kind) }">
                {{ Number(g.amount) ? `${costs(g.kind) ? '− ' : ''}${money(g.amount)} ${g.currency}` : '–' }}
                <div v-if="Number(g.amount) && g.currency !== house && g.inHouse" class="soft" data-in-house>
                  {{ money(g.inHouse) }} {{ house }}
                </div>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
  </div>
</template>

<style scoped>
h2 {
  margin: 0.6rem 0 0.2rem;
}
.bar {
  width: 12rem;
}
.bar i {
  display: block;
  height: 0.7rem;
  margin-top: 0.25rem;
  background: var(--covered);
}
</style>
