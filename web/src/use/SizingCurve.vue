<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import { count } from '../lib/format'

/** The share of requests denied by the number of licences: by replay with its spread, and by the formula. */
const props = defineProps<{ sizing: Schemas['PoolSizing']; quantity: number; chosen: number }>()
const emit = defineEmits<{ choose: [n: number] }>()
const high = 150
const wide = 620
const sizes = computed(() => props.sizing.sizes)
const first = computed(() => sizes.value[0]?.licences ?? 0)
const last = computed(() => sizes.value.at(-1)?.licences ?? 1)
const x = (n: number) => ((n - first.value) / Math.max(1, last.value - first.value)) * wide
const top = computed(() => Math.max(0.05, ...sizes.value.map((s) => Math.max(s.high, s.erlang))))
const y = (share: number) => high - (share / top.value) * high
const line = (of: (s: Schemas['PoolSizeView']) => number) =>
  sizes.value.map((s, i) => `${i ? 'L' : 'M'}${x(s.licences).toFixed(1)},${y(of(s)).toFixed(1)}`).join(' ')
const band = computed(
  () =>
    line((s) => s.high) +
    ' ' +
    [...sizes.value]
      .reverse()
      .map((s) => `L${x(s.licences).toFixed(1)},${y(s.low).toFixed(1)}`)
      .join(' ') +
    ' Z',
)
const ticks = computed(() => [0, top.value / 2, top.value])
const labels = computed(() => {
  const every = Math.max(1, Math.ceil(sizes.value.length / 12))
  return sizes.value.filter((_, i) => i % every === 0)
})
</script>

<template>
  <svg
    :viewBox="`-46 -14 ${wide + 60} ${high + 44}`"
    role="img"
    data-sizing-curve
    :aria-label="`denied by size: ${sizes.map((s) => `${s.licences} licences ${(s.share * 100).toFixed(1)} % by replay, ${(s.erlang * 100).toFixed(1)} % by formula`).join('; ')}`"
  >
    <g v-for="t in ticks" :key="t">
      <line x1="0" :x2="wide" :y1="y(t)" :y2="y(t)" class="grid" />
      <text x="-6" :y="y(t) + 4" text-anchor="end">{{ (t * 100).toFixed(t < 0.1 ? 1 : 0) }} %</text>
    </g>
    <line x1="0" :x2="wide" :y1="y(sizing.target)" :y2="y(sizing.target)" class="target" />
    <path :d="band" class="band" />
    <path :d="line((s) => s.share)" class="replay" />
    <path :d="line((s) => s.erlang)" class="formula" />
    <line :x1="x(quantity)" :x2="x(quantity)" y1="0" :y2="high" class="now" />
    <text
      :x="x(quantity) + (x(quantity) > wide * 0.8 ? -4 : 4)"
      y="4"
      class="dark"
      :text-anchor="x(quantity) > wide * 0.8 ? 'end' : 'start'"
    >
      today {{ quantity }}
    </text>
    <g v-if="chosen && chosen !== quantity">
      <line :x1="x(chosen)" :x2="x(chosen)" y1="14" :y2="high" class="chosen" />
      <text
        :x="x(chosen) + (x(chosen) > wide * 0.8 ? -4 : 4)"
        y="18"
        class="dark"
        :text-anchor="x(chosen) > wide * 0.8 ? 'end' : 'start'"
      >
        chosen {{ chosen }}
      </text>
    </g>
    <g v-for="s in sizes" :key="s.licences">
      <circle :cx="x(s.licences)" :cy="y(s.share)" r="3.2" class="point" @click="emit('choose', s.licences)">
        <title>
          {{ count(s.licences, 'licence') }}: {{ (s.share * 100).toFixed(2) }} % denied by replay,
          {{ (s.erlang * 100).toFixed(2) }} % by the formula
        </title>
      </circle>
    </g>
    <text v-for="s in labels" :key="'l' + s.licences" :x="x(s.licences)" :y="high + 15" text-anchor="middle">
      {{ s.licences }}
    </text>
    <text :x="wide" :y="high + 28" text-anchor="end">licences</text>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  max-height: 16rem;
  display: block;
}
text {
  font-size: 10.5px;
  fill: var(--soft);
}
.dark {
  fill: var(--ink);
}
.grid {
  stroke: var(--line);
}
.target {
  stroke: var(--spare);
  stroke-dasharray: 2 3;
}
.band {
  fill: var(--doubt);
  opacity: 0.25;
}
.replay {
  fill: none;
  stroke: var(--owned);
  stroke-width: 2.2;
}
.formula {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
  stroke-dasharray: 6 4;
}
.now {
  stroke: var(--ink);
}
.chosen {
  stroke: var(--here);
  stroke-width: 2;
}
.point {
  fill: var(--owned);
  cursor: pointer;
}
</style>
