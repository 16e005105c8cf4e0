<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import { count } from '../lib/format'

/** How many devices lose support in each of the coming months; a click narrows the list to that month's end. */
const props = defineProps<{ life: Schemas['LifeCycle'] }>()
const high = 70
const step = 44
const most = computed(() => Math.max(1, ...props.life.months.map((m) => m.general + m.last)))
const h = (n: number) => (n ? Math.max(2, (n / most.value) * high) : 0)
const wide = computed(() => props.life.months.length * step)
const says = (m: Schemas['MonthEnding']) =>
  `${m.month}: ${count(m.last, 'device loses', 'devices lose')} the last support, ${m.general} the general support, of ${count(m.releases, 'release')}`
</script>

<template>
  <figure data-ending-months>
    <svg :viewBox="`0 -16 ${wide} ${high + 34}`" role="img" :aria-label="life.months.map(says).join('; ')">
      <defs>
        <pattern id="last" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="5" height="5" class="hollow" />
          <line y2="5" class="hatch" />
        </pattern>
      </defs>
      <line x1="0" :x2="wide" :y1="high" :y2="high" class="axis" />
      <g v-for="(m, i) in life.months" :key="m.month">
        <title>{{ says(m) }}</title>
        <rect :x="i * step + 5" :y="high - h(m.last)" :width="step - 10" :height="h(m.last)" class="last" />
        <rect
          :x="i * step + 5"
          :y="high - h(m.last) - h(m.general)"
          :width="step - 10"
          :height="h(m.general)"
          class="general"
        />
        <text
          v-if="m.last + m.general"
          :x="i * step + step / 2"
          :y="high - h(m.last) - h(m.general) - 4"
          text-anchor="middle"
          class="n"
        >
          {{ m.last + m.general }}
        </text>
        <text :x="i * step + step / 2" :y="high + 14" text-anchor="middle">
          {{ m.month.slice(5) === '01' || i === 0 ? m.month : m.month.slice(5) }}
        </text>
      </g>
    </svg>
    <figcaption class="soft">
      Devices whose release loses support, by month.
      <span class="key"
        ><i class="last" /> the last support ends <i class="general" /> general support ends, extended goes on</span
      >
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  flex: 1 1 34rem;
  min-width: 0;
}
svg {
  width: 100%;
  max-height: 8rem;
  display: block;
}
text {
  font-size: 11px;
  fill: var(--soft);
}
.n {
  fill: var(--ink);
  font-weight: 600;
}
.axis {
  stroke: var(--ink);
}
rect.last,
rect.general,
.key i {
  stroke: var(--ink);
}
.last {
  fill: url(#last);
  background: repeating-linear-gradient(45deg, var(--short) 0 1px, var(--short-fill) 1px 4px);
}
.general {
  fill: var(--covered);
  background: var(--covered);
}
.hollow {
  fill: var(--short-fill);
}
.hatch {
  stroke: var(--short);
  stroke-width: 1.5;
}
.key {
  white-space: nowrap;
}
.key i {
  display: inline-block;
  width: 0.8rem;
  height: 0.7rem;
  border: 1px solid var(--ink);
  margin-left: 0.4rem;
}
</style>
