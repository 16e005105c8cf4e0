<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import ShortHatch from '../components/ShortHatch.vue'
import { count } from '../lib/format'
import VersionRows from './VersionRows.vue'

/** The versions of a product that were found: how old each is and on how many machines, as a picture over the table. */
const props = defineProps<{ product: number }>()
const versions = useQuery({
  queryKey: ['versions', computed(() => props.product)],
  queryFn: () => ask(api.GET('/api/products/{id}/versions', { params: { path: { id: props.product } } })),
})
const list = computed(() => versions.data.value ?? [])
const phases = {
  general: 'in general support',
  extended: 'in extended support',
  ended: 'support ended',
  unknown: 'end unknown',
  before: 'not released yet',
}
const half = 365.25 / 2
const high = 120
type Bar = { v: Schemas['VersionView']; x: number; y: number; h: number }
const bins = computed(() => Math.max(2, ...list.value.map((v) => Math.floor(v.ageDays / half) + 1)))
const wide = computed(() => Math.min(860, Math.max(300, bins.value * 62)))
const step = computed(() => wide.value / bins.value)
const bars = computed<Bar[]>(() => {
  const sums = new Map<number, number>()
  for (const v of list.value) {
    const b = Math.floor(v.ageDays / half)
    sums.set(b, (sums.get(b) ?? 0) + v.devices)
  }
  const most = Math.max(1, ...sums.values())
  const at = new Map<number, number>()
  return list.value.map((v) => {
    const b = Math.floor(v.ageDays / half)
    const h = Math.max(2, (v.devices / most) * high)
    const y = at.get(b) ?? 0
    at.set(b, y + h)
    return { v, x: b * step.value + 4, y: high - y - h, h }
  })
})
function age(v: Schemas['VersionView']): string {
  const months = Math.floor(v.ageDays / 30.44)
  const text = months < 1 ? 'under a month' : months < 24 ? count(months, 'month') : `${Math.floor(months / 12)} years`
  return v.atLeast ? `at least ${text}` : text
}
const old = computed(() => {
  const all = list.value.reduce((n, v) => n + v.devices, 0)
  const ended = list.value.filter((v) => v.phase === 'ended').reduce((n, v) => n + v.devices, 0)
  return { all, ended }
})
</script>

<template>
  <section v-if="list.length" data-version-spread>
    <h2>{{ count(list.length, 'version') }} out there</h2>
    <p v-if="old.ended" class="short">
      {{ count(old.ended, 'device runs', 'devices run') }} a version whose support has ended.
    </p>
    <figure>
      <svg
        :viewBox="`-44 -18 ${wide + 56} ${high + 40}`"
        role="img"
        :aria-label="`versions by age: ${list.map((v) => `${v.version} on ${v.devices}, ${age(v)} old`).join('; ')}`"
      >
        <defs>
          <ShortHatch id="ended" />
        </defs>
        <line x1="0" :x2="wide" :y1="high" :y2="high" class="axis" />
        <g v-for="b in bins + 1" :key="b">
          <line :x1="(b - 1) * step" :x2="(b - 1) * step" :y1="high" :y2="high + (b % 2 ? 5 : 3)" class="axis" />
          <text v-if="b % 2" :x="(b - 1) * step" :y="high + 16" text-anchor="middle">
            {{ b === 1 ? 'new' : (b - 1) / 2 + ' y' }}
          </text>
        </g>
        <g v-for="b in bars" :key="b.v.edition + b.v.version">
          <rect
            :x="b.x"
            :y="b.y"
            :width="step - 8"
            :height="b.h"
            :class="b.v.phase"
            :stroke-dasharray="b.v.atLeast ? '3 2' : undefined"
          >
            <title>
              {{ b.v.version || 'no version' }} {{ b.v.edition }}: {{ count(b.v.devices, 'device') }},
              {{ age(b.v) }} old, {{ phases[b.v.phase] }}
            </title>
          </rect>
          <text v-if="b.h > 13" :x="b.x + (step - 8) / 2" :y="b.y + 11" text-anchor="middle" :class="'on-' + b.v.phase">
            {{ b.v.version || '?' }}: {{ b.v.devices }}
          </text>
        </g>
      </svg>
      <figcaption class="soft">
        Machines by the age of their version; a dashed edge is an age counted from the first scan that had it.
        <span class="key"
          ><i class="general" /> general support <i class="extended" /> extended <i class="ended" /> ended
          <i class="unknown" /> unknown</span
        >
      </figcaption>
    </figure>
    <VersionRows :product="product" />
  </section>
</template>

<style scoped>
figure {
  margin: 0.3rem 0 0.5rem;
}
svg {
  width: 100%;
  max-height: 12rem;
  display: block;
}
text {
  font-size: 10.5px;
  fill: var(--soft);
}
p {
  margin: 0.1rem 0;
}
.axis {
  stroke: var(--ink);
}
rect,
.key i {
  stroke: var(--ink);
  stroke-width: 1;
}
.general {
  fill: var(--owned);
  background: var(--owned);
}
.extended {
  fill: var(--covered);
  background: var(--covered);
}
.ended {
  fill: url(#ended);
  background: repeating-linear-gradient(45deg, var(--short) 0 1px, var(--short-fill) 1px 4px);
}
.unknown,
.before {
  fill: var(--sheet);
  background: var(--sheet);
}
.on-general {
  fill: var(--here-ink);
}
.on-extended,
.on-unknown,
.on-before,
.on-ended {
  fill: var(--ink);
}
.on-ended {
  paint-order: stroke;
  stroke: var(--short-fill);
  stroke-width: 5px;
  font-weight: 600;
}
.key {
  white-space: nowrap;
}
.key i {
  display: inline-block;
  width: 0.8rem;
  height: 0.7rem;
  border: 1px solid var(--ink);
  margin-left: 0.5rem;
}
</style>
