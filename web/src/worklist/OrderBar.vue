<script setup lang="ts">
import { computed } from 'vue'
import { whole } from '../lib/format'

/** How far orders are: done by the tool's word, failed, out, waiting. */
const props = defineProps<{ orders: { done: number; failed: number; out: number; waiting: number } }>()
const parts = computed(() =>
  [
    { key: 'done', n: props.orders.done, word: 'done by its word' },
    { key: 'failed', n: props.orders.failed, word: 'failed' },
    { key: 'out', n: props.orders.out, word: 'out' },
    { key: 'waiting', n: props.orders.waiting, word: 'waiting' },
  ].filter((p) => p.n),
)
const all = computed(() => parts.value.reduce((sum, p) => sum + p.n, 0))
</script>

<template>
  <span v-if="!parts.length" class="soft">no order yet</span>
  <template v-else>
    <div class="bar" role="img" :aria-label="parts.map((p) => `${p.n} ${p.word}`).join(', ')">
      <i v-for="p in parts" :key="p.key" :class="p.key" :style="{ flexGrow: p.n / all }" />
    </div>
    <span v-for="p in parts" :key="p.key" class="gap" :class="{ drop: p.key === 'failed' }"
      >{{ whole(p.n) }} {{ p.word }}</span
    >
  </template>
</template>

<style scoped>
.bar {
  display: flex;
  height: 0.7rem;
  border: 1px solid var(--ink);
  margin: 0.15rem 0;
}
.done {
  background: var(--owned);
}
.failed {
  background: repeating-linear-gradient(45deg, var(--short) 0 1px, var(--short-fill) 1px 4px);
}
.out {
  background: var(--covered);
}
.waiting {
  background: var(--sheet);
}
</style>
