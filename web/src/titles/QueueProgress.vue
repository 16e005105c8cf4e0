<script setup lang="ts">
import KeyHint from '../components/KeyHint.vue'
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import { count, whole } from '../lib/format'

/**
 * How much is left to decide and how fast it shrinks: the installs without a title over the last weeks, and what is
 * left in words.
 */
const props = defineProps<{ queue: Schemas['Queue'] }>()
const share = computed(() => (props.queue.allInstalls ? (100 * props.queue.installs) / props.queue.allInstalls : 0))
const weeks = computed(() => (props.queue.week > 0 ? Math.ceil(props.queue.names / props.queue.week) : 0))
const points = computed(() => {
  const days = props.queue.days
  if (days.length < 2) return ''
  const most = Math.max(1, ...days.map((d) => d.installs))
  const from = Date.parse(days[0]!.on)
  const span = Math.max(1, Date.parse(days[days.length - 1]!.on) - from)
  return days
    .map(
      (d) => `${((100 * (Date.parse(d.on) - from)) / span).toFixed(1)},${(20 - (18 * d.installs) / most).toFixed(1)}`,
    )
    .join(' ')
})
</script>

<template>
  <p class="progress" data-queue>
    <span
      ><b>{{ count(queue.names, 'name') }} left</b>, {{ count(queue.installs, 'install') }} ({{
        share < 0.1 && share > 0 ? 'less than 0.1' : share.toFixed(1)
      }}
      % of all).</span
    >
    <template v-if="queue.week"
      >{{ whole(queue.week) }} decided in seven days<template v-if="weeks && queue.names"
        >: {{ weeks === 1 ? 'done within a week' : `${weeks} weeks` }} at this pace</template
      >.</template
    >
    <RouterLink v-if="queue.later" to="/titles/names?f=state%3Dlater">{{ whole(queue.later) }} set aside</RouterLink>
    <RouterLink v-if="queue.waiting" to="/titles/unsigned">{{ whole(queue.waiting) }} to be signed off</RouterLink>
    <svg
      v-if="points"
      viewBox="0 0 100 20"
      preserveAspectRatio="none"
      role="img"
      aria-label="installs without a title, by day"
    >
      <polyline :points="points" />
    </svg>
    <span class="grow" />
    <span class="soft keys"
      ><KeyHint name="names.next" /> next <KeyHint name="names.first" />–<KeyHint name="names.fifth" /> a title
      <KeyHint name="names.nothing" /> nothing <KeyHint name="names.later" /> later <kbd>↵</kbd> decide</span
    >
  </p>
</template>

<style scoped>
.progress {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0.1rem 0.7em;
  margin: 0 0 0.3rem;
}
svg {
  width: 8rem;
  height: 1.3rem;
}
polyline {
  fill: none;
  stroke: var(--short);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
.keys {
  white-space: nowrap;
}
</style>
