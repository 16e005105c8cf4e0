<script setup lang="ts">
import { computed } from 'vue'
import { whole } from '../lib/format'

/**
 * A picture of steps that lead from one figure to another: each step begins where the one before it ended. What grows
 * a shortfall is hatched, what shrinks it is open.
 */
const props = defineProps<{
  start: number
  end: number
  startLabel: string
  endLabel: string
  steps: { label: string; change: number; learnt?: boolean }[]
  say?: (n: number) => string
  /** growing is bad: a shortfall, an exposure */
  bad?: boolean
}>()
const write = (n: number) => (props.say ? props.say(n) : whole(n))
const bars = computed(() => {
  let at = props.start
  return props.steps.map((s) => {
    const from = at
    at += s.change
    return { ...s, from, to: at }
  })
})
const range = computed(() => {
  const all = [0, props.start, props.end, ...bars.value.flatMap((b) => [b.from, b.to])]
  const low = Math.min(...all)
  return { low, span: Math.max(1e-9, Math.max(...all) - low) }
})
const left = (n: number) => `${(100 * (n - range.value.low)) / range.value.span}%`
const wide = (n: number) => `${(100 * Math.abs(n)) / range.value.span}%`
</script>

<template>
  <table class="steps" data-step-bars>
    <tbody>
      <tr class="end">
        <th scope="row">{{ startLabel }}</th>
        <td class="bar"><i class="whole" :style="{ left: left(Math.min(0, start)), width: wide(start) }" /></td>
        <td class="num">
          <b>{{ write(start) }}</b>
        </td>
      </tr>
      <tr v-for="b in bars" :key="b.label">
        <th scope="row" :class="{ learnt: b.learnt }">{{ b.label }}</th>
        <td class="bar">
          <i
            :class="b.change > 0 === !!bad ? 'more' : 'less'"
            :style="{ left: left(Math.min(b.from, b.to)), width: wide(b.change) }"
          />
        </td>
        <td class="num">{{ b.change > 0 ? '+' : b.change < 0 ? '−' : '' }} {{ write(Math.abs(b.change)) }}</td>
      </tr>
      <tr class="end">
        <th scope="row">{{ endLabel }}</th>
        <td class="bar"><i class="whole" :style="{ left: left(Math.min(0, end)), width: wide(end) }" /></td>
        <td class="num">
          <b>{{ write(end) }}</b>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.steps {
  border-collapse: collapse;
  width: 100%;
}
th {
  font-weight: 400;
  text-align: left;
  width: 34%;
  padding: 0.12rem 0.6rem 0.12rem 0;
}
.learnt {
  font-style: italic;
}
.end th {
  font-weight: 650;
}
.num {
  width: 8rem;
}
.bar {
  position: relative;
  height: 1.4rem;
  border-left: 1px solid var(--line);
}
.bar i {
  position: absolute;
  top: 0.22rem;
  height: 0.95rem;
  min-width: 2px;
  box-sizing: border-box;
}
.whole {
  background: var(--covered);
}
.more {
  background: repeating-linear-gradient(45deg, var(--short) 0 1.5px, var(--short-fill) 1.5px 5px);
  border: 1px solid var(--short);
}
.less {
  border: 1.5px solid var(--spare);
}
tr + tr .bar {
  border-top: 1px dotted var(--line);
}
</style>
