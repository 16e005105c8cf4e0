<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import ShortHatch from '../components/ShortHatch.vue'

/** The peak of each day against the quantity of the pool; what was denied hangs below. */
const props = defineProps<{ days: Schemas['PoolDayView'][] }>()
const high = 110
const low = 34
const step = computed(() => Math.max(2.4, 900 / Math.max(1, props.days.length)))
const wide = computed(() => props.days.length * step.value)
const most = computed(() => Math.max(1, ...props.days.map((d) => Math.max(d.peak, d.quantity))))
const denied = computed(() => Math.max(1, ...props.days.map((d) => d.denials)))
const y = (n: number) => high - (n / most.value) * high
const owned = computed(() =>
  props.days
    .map((d, i) => `${i ? 'L' : 'M'}${i * step.value},${y(d.quantity)} L${(i + 1) * step.value},${y(d.quantity)}`)
    .join(' '),
)
const marks = computed(() =>
  props.days.map((d, i) => ({ d, i })).filter(({ d, i }) => d.day.endsWith('-01') || i === 0),
)
const anyDenied = computed(() => props.days.some((d) => d.denials > 0))
</script>

<template>
  <figure data-pool-days>
    <svg
      :viewBox="`-40 -12 ${wide + 48} ${high + low + 30}`"
      role="img"
      :aria-label="`peak by day: ${days
        .filter((d) => d.peak || d.denials)
        .map((d) => `${d.day} ${d.peak} of ${d.quantity}${d.denials ? `, ${d.denials} denied` : ''}`)
        .join('; ')}`"
    >
      <defs>
        <ShortHatch id="denied-hatch" :size="4" />
      </defs>
      <text x="-6" :y="y(most) + 4" text-anchor="end">{{ most }}</text>
      <text x="-6" :y="high + 4" text-anchor="end">0</text>
      <line x1="0" :x2="wide" :y1="high" :y2="high" class="axis" />
      <rect
        v-for="(d, i) in days"
        :key="d.day"
        :x="i * step + step * 0.12"
        :y="y(d.peak)"
        :width="step * 0.76"
        :height="high - y(d.peak)"
        class="peak"
      >
        <title>
          {{ d.day }}: at most {{ d.peak }} of {{ d.quantity }}, {{ d.checkouts }} checkouts, {{ d.denials }} denied
        </title>
      </rect>
      <rect
        v-for="(d, i) in days.filter((x) => x.denials)"
        :key="'n' + i"
        :x="days.indexOf(d) * step + step * 0.12"
        :y="high + 1"
        :width="step * 0.76"
        :height="(d.denials / denied) * low"
        class="denied"
      >
        <title>{{ d.day }}: {{ d.denials }} denied</title>
      </rect>
      <path :d="owned" class="quantity" />
      <g v-for="m in marks" :key="m.d.day">
        <line :x1="m.i * step" :x2="m.i * step" :y1="high" :y2="high + low + 4" class="grid" />
        <text :x="m.i * step + 2" :y="high + low + 15">{{ m.d.day }}</text>
      </g>
      <text v-if="anyDenied" x="-6" :y="high + 14" text-anchor="end" class="below">denied</text>
    </svg>
  </figure>
</template>

<style scoped>
figure {
  margin: 0.3rem 0;
}
svg {
  width: 100%;
  max-height: 14rem;
  display: block;
}
text {
  font-size: 10.5px;
  fill: var(--soft);
}
.below {
  fill: var(--short);
}
.axis {
  stroke: var(--ink);
}
.grid {
  stroke: var(--line);
}
.peak {
  fill: var(--owned);
}
.denied {
  fill: url(#denied-hatch);
}
.quantity {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
}
</style>
