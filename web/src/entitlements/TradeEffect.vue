<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import PositionMoves from '../components/PositionMoves.vue'
import { money, whole } from '../lib/format'

/** What a transaction, or undoing one, changes: what the line counts, until when, the cost, and positions. */
const props = defineProps<{ effect: Schemas['TradeEffect'] }>()
const e = computed(() => props.effect)
const from = (a: number, b: number) => (a === b ? whole(a) : `${whole(a)} → ${whole(b)}`)
const ends = (a: string, b: string) => `${a || 'no end'} → ${b || 'no end'}`
const cost = computed(() => {
  if (!e.value.cost) return ''
  const back = e.value.cost.startsWith('-')
  return `${money(e.value.cost.replace('-', ''))} ${e.value.currency} ${back ? 'less' : 'more'} is spent`
})
</script>

<template>
  <span
    >on {{ e.on }} it counts <b>{{ from(e.before, e.after) }}</b></span
  >
  <span v-if="e.todayBefore !== e.before || e.todayAfter !== e.after"
    >today {{ from(e.todayBefore, e.todayAfter) }}</span
  >
  <span v-if="e.endsBefore !== e.endsAfter">in force until {{ ends(e.endsBefore, e.endsAfter) }}</span>
  <span v-if="e.keptBefore !== e.keptAfter">maintained until {{ ends(e.keptBefore, e.keptAfter) }}</span>
  <span v-if="cost">{{ cost }}</span>
  <PositionMoves :moves="e.moves" />
</template>
