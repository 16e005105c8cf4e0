<script setup lang="ts">
import type { Schemas } from '../api/client'
import { money, whole, word } from '../lib/format'

/** The positions that a change would move, each with what is needed and how it stands, before and after. */
defineProps<{ moves: Schemas['PositionChange'][] }>()
const balance = (n: number) => (n < 0 ? `${whole(-n)} short` : n > 0 ? `${whole(n)} spare` : 'even')
</script>

<template>
  <span v-for="m in moves.slice(0, 8)" :key="m.product + m.metric" class="move">
    {{ m.product }}, {{ word(m.metric) }}: needed
    {{ m.neededBefore === m.neededAfter ? '' : whole(m.neededBefore) + ' → ' }}{{ whole(m.neededAfter) }},
    <span :class="{ short: m.after < 0, spare: m.after > 0 }"
      >{{ m.before === m.after ? '' : balance(m.before) + ' → ' }}{{ balance(m.after) }}</span
    ><template v-if="m.moneyBefore !== m.moneyAfter"
      >, at list price {{ money(m.moneyBefore) }} → {{ money(m.moneyAfter) }} {{ m.currency }}</template
    >
  </span>
  <span v-if="moves.length > 8" class="move soft">and {{ moves.length - 8 }} more positions</span>
  <span v-if="!moves.length" class="soft">no position moves</span>
</template>

<style scoped>
.move {
  flex-basis: 100%;
}
</style>
