<script setup lang="ts">
import { computed } from 'vue'
import { money } from '../lib/format'

/** A line of what was spent: in years, altogether, and what it opens. */
export interface SpendLine {
  key: string
  name: string
  sums: Record<number, number>
  all: number
  /** it stands apart */
  soft?: boolean
  open?: () => void
  to?: string
}

/** What was spent, a column for each year, with what it comes to. */
const props = defineProps<{ heading: string; lines: SpendLine[]; years: number[]; empty: string }>()
const total = (year: number) => props.lines.reduce((n, l) => n + (l.sums[year] ?? 0), 0)
const most = computed(() => Math.max(1, ...props.lines.map((l) => l.all)))
const euros = (n: number | undefined) => (n ? money(Math.round(n)) : '')
</script>

<template>
  <div class="scrolls">
    <table class="lines" data-spend>
      <thead>
        <tr>
          <th>{{ heading }}</th>
          <th class="share" />
          <th class="num">altogether</th>
          <th v-for="y in years" :key="y" class="num">{{ y }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in lines.slice(0, 500)" :key="l.key" :class="{ soft: l.soft }">
          <td>
            <button v-if="l.open" class="plain" type="button" @click="l.open">{{ l.name }}</button>
            <RouterLink v-else-if="l.to" :to="l.to">{{ l.name }}</RouterLink>
            <template v-else>{{ l.name }}</template>
          </td>
          <td class="share"><i :style="{ width: `${(100 * l.all) / most}%` }" /></td>
          <td class="num">
            <b>{{ euros(l.all) }}</b>
          </td>
          <td v-for="y in years" :key="y" class="num">{{ euros(l.sums[y]) }}</td>
        </tr>
        <tr v-if="!lines.length">
          <td colspan="4" class="soft">{{ empty }}</td>
        </tr>
      </tbody>
      <tfoot v-if="lines.length">
        <tr>
          <td>together</td>
          <td />
          <td class="num">{{ euros(years.reduce((n, y) => n + total(y), 0)) }}</td>
          <td v-for="y in years" :key="y" class="num">{{ euros(total(y)) }}</td>
        </tr>
      </tfoot>
    </table>
  </div>
</template>

<style scoped>
.share {
  width: 12rem;
}
.share i {
  display: block;
  height: 0.8rem;
  margin-top: 0.2rem;
  background: var(--covered);
}
tr.soft .share i {
  background: var(--soft);
}
tfoot td {
  font-weight: 650;
  border-bottom: 0;
}
</style>
