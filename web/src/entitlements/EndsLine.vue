<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import { money } from '../lib/format'

/**
 * A time line of what ends: a mark for each end as wide as what it costs to keep, months as ticks, and the days on
 * which notice must be given below the line.
 */
const props = defineProps<{ list: Schemas['Renewal'][]; today: string; days: number }>()
const W = 1200
const start = computed(() => Date.parse(props.today))
const x = (d: string) => ((Date.parse(d) - start.value) / 86400_000 / props.days) * W
const months = computed(() => {
  const out: { x: number; label: string }[] = []
  const d = new Date(props.today)
  d.setUTCDate(1)
  const every = props.days > 500 ? 3 : 1
  for (let i = 0; i < 40; i++) {
    d.setUTCMonth(d.getUTCMonth() + 1)
    const day = d.toISOString().slice(0, 10)
    if (x(day) > W) break
    if (d.getUTCMonth() % every === 0) out.push({ x: x(day), label: day.slice(0, 7) })
  }
  return out
})
const most = computed(() => Math.max(1, ...props.list.map((r) => Number(r.keep) || 0)))
const marks = computed(() =>
  props.list
    .filter((r) => r.what !== 'maintenance')
    .map((r) => ({
      r,
      x: x(r.on),
      h: r.what === 'contract' ? 50 : 6 + 40 * Math.sqrt((Number(r.keep) || 0) / most.value),
      says: `${r.on}: ${r.product} ${r.line || r.contract}${r.keep ? ', ' + money(r.keep) + ' ' + r.currency : ''}${r.advice ? ', ' + r.advice : ''}`,
    })),
)
const notices = computed(() =>
  props.list.filter((r) => r.notice && r.notice >= props.today).map((r) => ({ r, x: x(r.notice) })),
)
</script>

<template>
  <svg
    class="line"
    :viewBox="`-6 0 ${W + 12} 92`"
    role="img"
    :aria-label="`${list.length} ends; the table below lists them`"
  >
    <line x1="0" :x2="W" y1="58" y2="58" stroke="var(--ink)" />
    <g v-for="m in months" :key="m.label">
      <line :x1="m.x" :x2="m.x" y1="58" y2="69" stroke="var(--soft)" />
      <text :x="m.x + 2" y="81" font-size="11" fill="var(--soft)">{{ m.label }}</text>
    </g>
    <g v-for="(k, i) in marks" :key="i">
      <title>{{ k.says }}</title>
      <rect
        v-if="k.r.what === 'right'"
        :x="k.x - 3"
        :y="58 - k.h"
        width="6"
        :height="k.h"
        :fill="k.r.advice === 'let go' ? 'var(--sheet)' : 'var(--owned)'"
        :stroke="k.r.advice === 'let go' ? 'var(--spare)' : 'var(--owned)'"
        stroke-width="1.4"
      />
      <path v-else :d="`M${k.x} 58 V8 h9 l-3 4 3 4 h-9`" fill="none" stroke="var(--here)" stroke-width="1.6" />
    </g>
    <g v-for="(n, i) in notices" :key="'n' + i">
      <title>{{ n.r.notice }}: last day to give notice, {{ n.r.product }} {{ n.r.line || n.r.contract }}</title>
      <path :d="`M${n.x} 60 l-4.5 7 h9 z`" fill="var(--drop)" />
    </g>
  </svg>
  <p class="soft">
    <i class="key keep" /> a right, as high as what keeping it costs · <i class="key go" /> one that may go ·
    <span class="flag">⚑</span> a contract · <span class="tri">▲</span> last day to give notice
  </p>
</template>

<style scoped>
.line {
  display: block;
  width: 100%;
  max-height: 9rem;
}
p {
  margin: 0 0 0.6rem;
}
.key {
  display: inline-block;
  width: 0.45rem;
  height: 0.8rem;
  border: 1.4px solid var(--owned);
  vertical-align: -0.1rem;
}
.keep {
  background: var(--owned);
}
.go {
  border-color: var(--spare);
}
.flag {
  color: var(--here);
}
.tri {
  color: var(--drop);
}
</style>
