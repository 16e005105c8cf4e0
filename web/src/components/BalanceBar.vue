<script setup lang="ts">
import { computed } from 'vue'
import { whole } from '../lib/format'

/**
 * Owned above a line and needed below it, on one scale: parts that cover each other face each other, what is missing
 * is hatched, what is
 * spare is open, and the doubt is a whisker under the need.
 */
const props = withDefaults(
  defineProps<{
    owned: number
    needed: number
    covered: number
    /** part of covered that takes no right of its own */
    free?: number
    low: number
    high: number
    large?: boolean
  }>(),
  { large: false, free: 0 },
)
const W = 1000
const used = computed(() => Math.min(props.owned, props.covered - props.free))
const top = computed(() => Math.max(props.owned, props.needed, props.high, 1))
const x = (n: number) => (n / top.value) * (W - 8)
const says = computed(
  () =>
    `owned ${whole(props.owned)}, needed ${whole(props.needed)}, covered ${whole(props.covered)}` +
    (props.needed > props.covered ? `, ${whole(props.needed - props.covered)} short` : '') +
    (props.free ? `, ${whole(props.free)} of them without a right of their own` : '') +
    (props.owned > used.value ? `, ${whole(props.owned - used.value)} spare` : '') +
    (props.low !== props.high ? `, need between ${whole(props.low)} and ${whole(props.high)}` : ''),
)
const id = `hatch-${Math.random().toString(36).slice(2, 9)}`
</script>

<template>
  <svg
    class="balance"
    :class="{ large }"
    :viewBox="`0 0 ${W} 24`"
    preserveAspectRatio="none"
    role="img"
    :aria-label="says"
  >
    <title>{{ says }}</title>
    <defs>
      <pattern :id="id" width="14" height="6" patternUnits="userSpaceOnUse" patternTransform="skewX(-38)">
        <rect width="14" height="6" fill="var(--short-fill)" />
        <rect width="5" height="6" fill="var(--short)" />
      </pattern>
    </defs>
    <rect x="0" y="2" :width="x(used)" height="7" fill="var(--owned)" />
    <rect
      v-if="owned > used"
      :x="x(used)"
      y="2.5"
      :width="x(owned) - x(used)"
      height="6"
      fill="none"
      stroke="var(--spare)"
      stroke-width="1.4"
      vector-effect="non-scaling-stroke"
    />
    <line x1="0" y1="10" :x2="W" y2="10" stroke="var(--soft)" stroke-width="1" vector-effect="non-scaling-stroke" />
    <rect x="0" y="11" :width="x(covered - free)" height="7" fill="var(--covered)" />
    <rect
      v-if="free"
      :x="x(covered - free)"
      y="11.5"
      :width="x(covered) - x(covered - free)"
      height="6"
      fill="var(--covered)"
      fill-opacity="0.35"
      stroke="var(--covered)"
      stroke-width="1"
      vector-effect="non-scaling-stroke"
    />
    <rect
      v-if="needed > covered"
      :x="x(covered)"
      y="11.5"
      :width="x(needed) - x(covered)"
      height="6.4"
      :fill="`url(#${id})`"
      stroke="var(--short)"
      stroke-width="1"
      vector-effect="non-scaling-stroke"
    />
    <g v-if="low !== high" stroke="var(--doubt)" stroke-width="1.4">
      <line :x1="x(low)" y1="21.5" :x2="x(high)" y2="21.5" vector-effect="non-scaling-stroke" />
      <line :x1="x(low)" y1="19.5" :x2="x(low)" y2="23.5" vector-effect="non-scaling-stroke" />
      <line :x1="x(high)" y1="19.5" :x2="x(high)" y2="23.5" vector-effect="non-scaling-stroke" />
    </g>
  </svg>
</template>

<style scoped>
.balance {
  width: 100%;
  height: 1.55rem;
  display: block;
}
.large {
  height: 3.4rem;
}
</style>
