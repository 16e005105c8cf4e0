<script setup lang="ts">
import { computed } from 'vue'
import { useHouse } from '../lib/house'
import type { Schemas } from '../api/client'
import BalanceBar from '../components/BalanceBar.vue'
import { money, whole, word } from '../lib/format'

/** What measures would do together: each position before and after, and the money. */
const house = useHouse()
const props = defineProps<{ tried: Schemas['Tried']; busy: boolean }>()
const says = (f: Schemas['Figures']) =>
  f.short ? `${whole(f.short)} short` : f.surplus ? `${whole(f.surplus)} spare` : 'even'
const saved = computed(() => Number(props.tried.exposureBefore) - Number(props.tried.exposureAfter))
</script>

<template>
  <div class="effect" :aria-busy="busy" data-tried>
    <div v-for="p in tried.positions" :key="p.productId + p.metric" class="one">
      <h3>
        <RouterLink :to="`/position/${p.productId}`">{{ p.product }}</RouterLink>
        <span class="soft"> by {{ word(p.metric) }}</span>
      </h3>
      <table>
        <tbody>
          <tr
            v-for="[when, f] in [
              ['now', p.before],
              ['after', p.after],
            ] as const"
            :key="when"
          >
            <th scope="row">{{ when }}</th>
            <td class="bar">
              <BalanceBar
                :owned="f.owned"
                :needed="f.needed"
                :covered="f.covered"
                :free="Math.max(0, f.covered + f.surplus - f.owned)"
                :low="f.low"
                :high="f.high"
              />
            </td>
            <td class="num">{{ whole(f.owned) }} owned</td>
            <td class="num">{{ whole(f.needed) }} needed</td>
            <td class="num" :class="{ short: f.short, spare: !f.short && f.surplus }">{{ says(f) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <div class="sum">
      <span
        >Shortfall at list price <b>{{ money(tried.exposureBefore) }}</b> →
        <b>{{ money(tried.exposureAfter) }} {{ house }}</b
        ><template v-if="saved">, {{ saved > 0 ? 'less' : 'more' }} by {{ money(Math.abs(saved)) }}</template></span
      >
      <span
        >costs <b>{{ money(tried.cost) }} {{ house }}</b></span
      >
      <span v-if="Number(tried.saves)"
        >saves <b>{{ money(tried.saves) }} {{ house }}</b> at renewal</span
      >
      <span v-if="tried.without" class="drop">{{ tried.without }} amounts have no rate and are left out</span>
      <span class="grow" />
      <slot />
    </div>
  </div>
</template>

<style scoped>
.effect {
  display: flex;
  flex-direction: column;
  gap: 0.9rem;
}
.one table {
  width: 100%;
  border-collapse: collapse;
}
th {
  width: 3.4rem;
  text-align: left;
  font-weight: 400;
  color: var(--soft);
}
td.num {
  width: 6.6rem;
}
.sum {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 1.2rem;
  align-items: center;
  background: var(--pick);
  border: 1px solid var(--here);
  border-left-width: 5px;
  border-radius: 3px;
  padding: 0.5rem 0.7rem;
}
</style>
