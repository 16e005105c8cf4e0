<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'

/** The hours of a workday: the mean out as a bar, the most as its outline, the quantity as a line, denials below. */
const props = defineProps<{ hours: Schemas['PoolHour'][]; quantity: number }>()
const high = 70
const low = 24
const step = 17
const most = computed(() => Math.max(1, props.quantity, ...props.hours.map((h) => h.peak)))
const denied = computed(() => Math.max(1, ...props.hours.map((h) => h.denials)))
const y = (n: number) => high - (n / most.value) * high
</script>

<template>
  <svg
    :viewBox="`-26 -10 ${24 * step + 40} ${high + low + 36}`"
    role="img"
    data-pool-hours
    :aria-label="`by the hour: ${hours
      .filter((h) => h.peak || h.denials)
      .map((h) => `${h.hour}:00 on average ${h.mean.toFixed(1)}, at most ${h.peak}, ${h.denials} denied`)
      .join('; ')}`"
  >
    <text x="-5" :y="y(quantity) + 4" text-anchor="end">{{ quantity }}</text>
    <line x1="0" :x2="24 * step" :y1="y(quantity)" :y2="y(quantity)" class="quantity" />
    <line x1="0" :x2="24 * step" :y1="high" :y2="high" class="axis" />
    <g v-for="h in hours" :key="h.hour">
      <rect :x="h.hour * step + 3" :y="y(h.peak)" :width="step - 6" :height="high - y(h.peak)" class="peak" />
      <rect :x="h.hour * step + 3" :y="y(h.mean)" :width="step - 6" :height="high - y(h.mean)" class="mean">
        <title>
          {{ h.hour }}:00: {{ h.mean.toFixed(1) }} out on average, at most {{ h.peak }}, {{ h.denials }} denied
        </title>
      </rect>
      <rect
        v-if="h.denials"
        :x="h.hour * step + 3"
        :y="high + 1"
        :width="step - 6"
        :height="(h.denials / denied) * low"
        class="denied"
      />
      <text
        v-if="h.denials"
        :x="h.hour * step + step / 2"
        :y="high + (h.denials / denied) * low + 10"
        text-anchor="middle"
        class="on"
      >
        {{ h.denials < 10_000 ? h.denials : `${Math.round(h.denials / 1000)}k` }}
      </text>
      <text v-if="h.hour % 2 === 0" :x="h.hour * step + step / 2" :y="high + low + 22" text-anchor="middle">
        {{ h.hour }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  max-height: 13rem;
  display: block;
}
text {
  font-size: 9px;
  fill: var(--soft);
}
.on {
  font-size: 8px;
  fill: var(--short);
  font-weight: 600;
}
.axis {
  stroke: var(--ink);
}
.quantity {
  stroke: var(--ink);
  stroke-width: 1.4;
  stroke-dasharray: 5 3;
}
.peak {
  fill: none;
  stroke: var(--owned);
}
.mean {
  fill: var(--owned);
}
.denied {
  fill: var(--short-fill);
  stroke: var(--short);
}
</style>
