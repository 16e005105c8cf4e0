<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import ShortHatch from '../components/ShortHatch.vue'
import { count, money } from '../lib/format'

/** What each size costs: its licences below, its denials above them; the least sum is marked. */
const props = defineProps<{ sizing: Schemas['PoolSizing']; denial: number; chosen: number }>()
const emit = defineEmits<{ choose: [n: number] }>()
const high = 130
const wide = 620
const price = computed(() => Number(props.sizing.licence || 0))
const bars = computed(() =>
  props.sizing.sizes.map((s) => ({
    n: s.licences,
    licences: s.licences * price.value,
    denials: s.perDay * 365 * props.denial,
  })),
)
const most = computed(() => Math.max(1, ...bars.value.map((b) => b.licences + b.denials)))
const least = computed(() =>
  bars.value.reduce((a, b) => (b.licences + b.denials < a.licences + a.denials ? b : a), bars.value[0]!),
)
const step = computed(() => wide / Math.max(1, bars.value.length))
const y = (v: number) => high - (v / most.value) * high
const every = computed(() => Math.max(1, Math.ceil(bars.value.length / 14)))
</script>

<template>
  <figure data-cost-curve>
    <svg
      :viewBox="`-62 -18 ${wide + 76} ${high + 46}`"
      role="img"
      :aria-label="`cost by size: ${bars.map((b) => `${b.n} licences ${money(b.licences)} and denials ${money(b.denials)}`).join('; ')}`"
    >
      <defs>
        <ShortHatch id="denial-cost" />
      </defs>
      <line x1="0" :x2="wide" :y1="high" :y2="high" class="axis" />
      <text x="-6" :y="y(most) + 4" text-anchor="end">{{ money(Math.round(most)) }}</text>
      <text x="-6" :y="high + 4" text-anchor="end">0</text>
      <g v-for="(b, i) in bars" :key="b.n" class="bar" :class="{ on: b.n === chosen }" @click="emit('choose', b.n)">
        <rect :x="i * step + 2" :y="y(b.licences)" :width="step - 4" :height="high - y(b.licences)" class="licences" />
        <rect
          :x="i * step + 2"
          :y="y(b.licences + b.denials)"
          :width="step - 4"
          :height="y(b.licences) - y(b.licences + b.denials)"
          class="denials"
        />
        <title>
          {{ count(b.n, 'licence') }}: {{ money(Math.round(b.licences)) }} for them,
          {{ money(Math.round(b.denials)) }} for denials
        </title>
        <text v-if="i % every === 0" :x="i * step + step / 2" :y="high + 15" text-anchor="middle">{{ b.n }}</text>
        <text
          v-if="b.n === least.n"
          :x="i * step + step / 2"
          :y="y(b.licences + b.denials) - 5"
          text-anchor="middle"
          class="least"
        >
          ▾ least
        </text>
      </g>
    </svg>
    <figcaption class="soft">
      What it costs in {{ sizing.currency }}: filled the licences at {{ money(sizing.licence) }} each, paid
      {{ sizing.paidEach }}; hatched a year’s denials at {{ money(denial) }} each. The least is at
      <b>{{ count(least.n, 'licence') }}</b>.
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0.6rem 0 0.2rem;
}
svg {
  width: 100%;
  max-height: 13rem;
  display: block;
}
text {
  font-size: 10.5px;
  fill: var(--soft);
}
.least {
  fill: var(--ink);
  font-weight: 600;
}
.axis {
  stroke: var(--ink);
}
.bar {
  cursor: pointer;
}
.licences {
  fill: var(--covered);
}
.on .licences {
  fill: var(--owned);
}
.denials {
  fill: url(#denial-cost);
}
</style>
