<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import ShortHatch from '../components/ShortHatch.vue'

/** Use by month: the machines that had it by how much they used it, against the rights owned as a line. */
const props = defineProps<{ months: Schemas['UseMonth'][] }>()
const high = 150
const classes = [
  { key: 'regular', word: 'regular' },
  { key: 'light', word: 'light' },
  { key: 'unused', word: 'unused' },
  { key: 'neverUsed', word: 'never used' },
  { key: 'notMeasured', word: 'not measured' },
] as const
const most = computed(() => Math.max(1, ...props.months.map((m) => Math.max(m.devices, m.owned))))
const step = 62
const wide = computed(() => props.months.length * step)
const y = (n: number) => high - (n / most.value) * high
const bars = computed(() =>
  props.months.map((m, i) => {
    let at = 0
    return {
      m,
      x: i * step + 6,
      parts: classes
        .map((c) => {
          const n = m[c.key]
          const part = { ...c, n, y: y(at + n), h: (n / most.value) * high }
          at += n
          return part
        })
        .filter((p) => p.n > 0),
    }
  }),
)
const owned = computed(() =>
  props.months.map((m, i) => `${i ? 'L' : 'M'}${i * step},${y(m.owned)} L${(i + 1) * step},${y(m.owned)}`).join(' '),
)
const ticks = computed(() => [...new Set([0, Math.round(most.value / 2), most.value])])
</script>

<template>
  <figure data-use-months>
    <svg
      :viewBox="`-46 -14 ${wide + 56} ${high + 38}`"
      role="img"
      :aria-label="`use by month: ${months.map((m) => `${m.month} ${m.regular} regular, ${m.light} light, ${m.unused + m.neverUsed} idle, ${m.notMeasured} not measured, ${m.owned} owned`).join('; ')}`"
    >
      <defs>
        <ShortHatch id="idle-hatch" />
        <pattern id="unknown-dots" width="5" height="5" patternUnits="userSpaceOnUse">
          <rect width="5" height="5" class="blank" />
          <circle cx="2.5" cy="2.5" r="0.9" class="dot" />
        </pattern>
      </defs>
      <g v-for="t in ticks" :key="t">
        <line x1="0" :x2="wide" :y1="y(t)" :y2="y(t)" class="grid" />
        <text x="-6" :y="y(t) + 4" text-anchor="end">{{ t }}</text>
      </g>
      <g v-for="b in bars" :key="b.m.month">
        <rect v-for="p in b.parts" :key="p.key" :x="b.x" :y="p.y" :width="step - 14" :height="p.h" :class="p.key">
          <title>{{ b.m.month }}: {{ p.n }} {{ p.word }}</title>
        </rect>
        <text :x="b.x + (step - 14) / 2" :y="high + 15" text-anchor="middle">{{ b.m.month }}</text>
      </g>
      <path :d="owned" class="owned"><title>rights owned</title></path>
    </svg>
    <figcaption class="soft">
      Machines that had it, at the end of each month.
      <span class="key"
        ><i class="regular" /> regular <i class="light" /> light <i class="idle" /> unused or never used
        <i class="unknown" /> not measured <b /> owned</span
      >
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0.4rem 0;
}
svg {
  width: 100%;
  max-height: 15rem;
  display: block;
}
text {
  font-size: 10.5px;
  fill: var(--soft);
}
.grid {
  stroke: var(--line);
}
rect {
  stroke: var(--ink);
  stroke-width: 0.7;
}
.regular {
  fill: var(--owned);
  background: var(--owned);
}
.light {
  fill: var(--covered);
  background: var(--covered);
}
.unused,
.neverUsed {
  fill: url(#idle-hatch);
}
.idle {
  background: repeating-linear-gradient(45deg, var(--short) 0 1px, var(--short-fill) 1px 4px);
}
.notMeasured {
  fill: url(#unknown-dots);
}
.unknown {
  background: radial-gradient(circle, var(--soft) 1px, var(--sheet) 1.3px) 0 0/5px 5px;
}
.blank {
  fill: var(--sheet);
  stroke: none;
}
.dot {
  fill: var(--soft);
}
.owned {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
.key i {
  display: inline-block;
  width: 0.8rem;
  height: 0.7rem;
  border: 1px solid var(--ink);
  margin-left: 0.6rem;
}
.key b {
  display: inline-block;
  width: 1.1rem;
  border-top: 2px solid var(--ink);
  margin: 0 0 0.25rem 0.6rem;
}
</style>
