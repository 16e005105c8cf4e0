<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import { count, whole } from '../lib/format'

/** How many devices lose support in each of the coming months, and in each year against a year ago. */
const props = defineProps<{ life: Schemas['LifeCycle'] }>()
const most = computed(() => Math.max(1, ...props.life.months.map((m) => m.general + m.last)))
const share = (n: number) => `${(100 * n) / most.value}%`
const says = (m: Schemas['MonthEnding']) =>
  `${m.month}: ${count(m.last, 'device loses', 'devices lose')} the last support, ${whole(m.general)} the general support, of ${count(m.releases, 'release')}`
const today = computed(() => Number(props.life.on.slice(0, 4)))
const years = computed(() => props.life.years.filter((y) => y.year >= today.value - 2).slice(0, 7))
</script>

<template>
  <div class="ending" data-ending-months>
    <h2>Loses support, in devices</h2>
    <table class="lines months">
      <tbody>
        <tr v-for="m in life.months" :key="m.month" :title="says(m)">
          <th scope="row">{{ m.month }}</th>
          <td class="bar">
            <i class="last" :style="{ width: share(m.last) }" /><i
              class="general"
              :style="{ width: share(m.general) }"
            />
          </td>
          <td class="num">{{ m.last + m.general ? whole(m.last + m.general) : '' }}</td>
        </tr>
      </tbody>
    </table>
    <p class="soft">
      <i class="key last" /> the last support ends <i class="key general" /> general support ends, extended goes on
    </p>
    <table class="lines" data-years>
      <thead>
        <tr>
          <th>ends in</th>
          <th class="num">releases</th>
          <th class="num">devices</th>
          <th class="num">a year ago</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="y in years" :key="y.year">
          <td>{{ y.year }}</td>
          <td class="num">{{ whole(y.releases) }}</td>
          <td class="num">{{ whole(y.devices) }}</td>
          <td class="num soft">{{ whole(y.yearBefore) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.ending {
  flex: 0 0 23rem;
  min-width: 0;
  overflow: auto;
  display: grid;
  gap: 0.4rem;
  align-content: start;
  padding-top: 0.5rem;
}
.months th,
.months td {
  border: 0;
  padding-block: 0.05rem;
  font-weight: 400;
}
.months th {
  width: 4.6rem;
  white-space: nowrap;
}
.months .num {
  width: 3.6rem;
}
.bar {
  font-size: 0;
  white-space: nowrap;
}
.bar i {
  display: inline-block;
  height: 0.85rem;
}
.bar i:not([style='width: 0%;']) {
  border: 1px solid var(--ink);
}
.last {
  background: repeating-linear-gradient(45deg, var(--short) 0 1px, var(--short-fill) 1px 4px);
}
.general {
  background: var(--covered);
}
.key {
  display: inline-block;
  width: 0.8rem;
  height: 0.7rem;
  border: 1px solid var(--ink);
}
p {
  margin: 0;
}
@media (max-width: 900px) {
  .ending {
    flex: none;
  }
}
</style>
