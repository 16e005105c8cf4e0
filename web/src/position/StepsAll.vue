<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import { computed, ref, watch as follow } from 'vue'
import { useHouse } from '../lib/house'
import { api, ask, type Schemas } from '../api/client'
import LongWait from '../components/LongWait.vue'
import { count, money, whole, word } from '../lib/format'
import StepBars from './StepBars.vue'
import { key as watchKey } from '../lib/watch'
import { asKnown } from './known'

/** What changed of all products between two days: the exposure in steps, and every position that moved. */
const house = useHouse()
const props = defineProps<{ from: string; to: string; known: string }>()
const emit = defineEmits<{ open: [product: number]; told: [of: { known: string; since: string }] }>()
const key = computed(() => ['all-steps', props.from, props.to, props.known])
const watch = watchKey()
const stopped = ref(false)
const steps = useQuery({
  queryKey: key,
  queryFn: ({ signal }) => {
    stopped.value = false
    const query = { from: props.from, to: props.to, known: asKnown(props.known), watch }
    return ask(api.GET('/api/steps', { params: { query }, signal }))
  },
  retry: false,
})
const client = useQueryClient()
const stop = async () => {
  await client.cancelQueries({ queryKey: key.value })
  stopped.value = true
}
const s = computed(() => steps.data.value)
follow(s, (v) => v && emit('told', v), { immediate: true })
const balance = (f: Schemas['Figures']) =>
  f.short ? `${whole(f.short)} short` : f.surplus ? `${whole(f.surplus)} spare` : 'even'
</script>

<template>
  <p v-if="steps.error.value" class="says" role="alert">{{ steps.error.value.message }}</p>
  <p v-else-if="!s && stopped" class="row soft">
    Stopped. <Button label="Compare the two days" size="small" @click="steps.refetch()" />
  </p>
  <LongWait v-else-if="!s" what="Both days are being worked out from the evidence" :watch="watch" @stop="stop" />
  <template v-else>
    <h2>Shortfall at list price, {{ house }}</h2>
    <div class="picture">
      <StepBars
        bad
        :start="Number(s.exposureBefore)"
        :end="Number(s.exposureAfter)"
        :start-label="s.from"
        :end-label="s.to"
        :steps="
          s.causes
            .map((c) => ({ label: c.cause, change: Number(c.exposure), learnt: c.learnt }))
            .filter((c) => c.change)
        "
        :say="(n) => money(Math.round(n))"
      />
    </div>
    <p v-if="s.without" class="drop">
      {{ count(s.without, 'product is', 'products are') }} not in it: no rate is known for the currency.
    </p>
    <h2>{{ whole(s.positions.length) }} positions moved</h2>
    <div class="scrolls">
      <table class="lines" data-moved>
        <thead>
          <tr>
            <th>publisher</th>
            <th>product</th>
            <th>counted by</th>
            <th class="num">owned</th>
            <th class="num">needed</th>
            <th class="num">balance</th>
            <th>because of</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in s.positions.slice(0, 400)" :key="p.productId + p.metric">
            <td class="soft">{{ p.publisher }}</td>
            <td>
              <button class="plain" type="button" @click="emit('open', p.productId)">
                <b>{{ p.product }}</b>
              </button>
            </td>
            <td>{{ word(p.metric) }}</td>
            <td class="num">
              {{ p.before.owned === p.after.owned ? '' : whole(p.before.owned) + ' → ' }}{{ whole(p.after.owned) }}
            </td>
            <td class="num">
              {{ p.before.needed === p.after.needed ? '' : whole(p.before.needed) + ' → ' }}{{ whole(p.after.needed) }}
            </td>
            <td class="num">
              {{ balance(p.before) === balance(p.after) ? '' : balance(p.before) + ' → ' }}
              <span :class="{ short: p.after.short, spare: !p.after.short && p.after.surplus }">{{
                balance(p.after)
              }}</span>
            </td>
            <td>{{ p.causes }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="s.positions.length > 400" class="soft">
      and {{ whole(s.positions.length - 400) }} more, whose money moved less
    </p>
  </template>
</template>

<style scoped>
.picture {
  max-width: 62rem;
}
h2 {
  margin: 0.6rem 0 0.3rem;
}
</style>
