<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { money, whole } from '../lib/format'

/** The ways out of a shortfall side by side: what each covers, what it costs, and how long it takes. */
const props = defineProps<{ product: number }>()
const ways = useQuery({
  queryKey: ['ways-out', computed(() => props.product)],
  queryFn: () => ask(api.GET('/api/products/{id}/ways-out', { params: { path: { id: props.product } } })),
})
</script>

<template>
  <section>
    <h3>Ways out</h3>
    <p v-if="ways.error.value" class="says" role="alert">{{ ways.error.value.message }}</p>
    <div class="scrolls">
      <table v-if="ways.data.value?.length" class="lines" data-ways>
        <thead>
          <tr>
            <th>way</th>
            <th class="num">covers</th>
            <th class="num">left</th>
            <th class="num">cost</th>
            <th>time</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="w in ways.data.value" :key="w.what + w.words">
            <td>
              <RouterLink
                v-if="w.cases.length"
                :to="`/worklist?f=productId%3D${product}&f=ended%3D0&f=kind%3D${w.what === 'take back' ? 'idle' : 'restricted|ended|planned'}`"
                >{{ w.words }}</RouterLink><template v-else>{{ w.words }}</template>
              <div v-if="w.error" class="says">{{ w.error }}</div>
            </td>
            <td class="num">{{ whole(w.covers) }}</td>
            <td class="num" :class="{ short: w.left > 0 }">{{ whole(w.left) }}</td>
            <td class="num">
              {{ w.cost === '' ? 'not known' : w.cost === '0' ? '0' : `${money(w.cost)} ${w.currency}` }}
            </td>
            <td class="soft">{{ w.time }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="ways.data.value && !ways.data.value.length" class="soft">The product is not short any more.</p>
    <p>
      <RouterLink :to="`/position/try?product=${product}`">Try several together</RouterLink>
    </p>
  </section>
</template>
