<script setup lang="ts">
import { BarChart } from 'echarts/charts'
import { AriaComponent, GridComponent, LegendComponent, TooltipComponent } from 'echarts/components'
import { use } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { computed, onBeforeUnmount, ref } from 'vue'
import VChart from 'vue-echarts'

use([AriaComponent, BarChart, GridComponent, LegendComponent, TooltipComponent, SVGRenderer])

/**
 * How many changes of each kind there were, by week; a click narrows to that week. The colours are those of the page,
 * and each kind has its pattern too.
 */
const props = defineProps<{ tally: { day: string; kind: string; count: number }[] }>()
const emit = defineEmits<{ pick: [from: string, until: string] }>()
const kinds = ['installed', 'upgraded', 'removed', 'hardware']

// the beginning of the week that a day lies in, Mondays first
function week(day: string): string {
  const d = new Date(day + 'T00:00:00Z')
  d.setUTCDate(d.getUTCDate() - ((d.getUTCDay() + 6) % 7))
  return d.toISOString().slice(0, 10)
}
const weeks = computed(() => {
  const days = props.tally.map((t) => week(t.day)).sort()
  const out: string[] = []
  if (!days.length) return out
  for (let d = new Date(days[0]! + 'T00:00:00Z'); d.toISOString().slice(0, 10) <= days[days.length - 1]!;) {
    out.push(d.toISOString().slice(0, 10))
    d = new Date(d.getTime() + 7 * 86_400_000)
  }
  return out
})
const color = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim()
const dark = ref(0)
const watcher = new MutationObserver(() => dark.value++)
watcher.observe(document.documentElement, { attributes: true, attributeFilter: ['class'] })
onBeforeUnmount(() => watcher.disconnect())

const option = computed(() => {
  void dark.value
  const fill: Record<string, string> = {
    installed: color('--owned'),
    upgraded: color('--covered'),
    removed: color('--short'),
    hardware: color('--doubt'),
  }
  const sums = new Map<string, number>()
  for (const t of props.tally) sums.set(week(t.day) + t.kind, (sums.get(week(t.day) + t.kind) ?? 0) + t.count)
  return {
    animation: false,
    aria: { enabled: true, decal: { show: true } },
    textStyle: { fontFamily: 'inherit', color: color('--soft') },
    grid: { left: 58, right: 8, top: 26, bottom: 22 },
    legend: { top: 0, left: 0, itemHeight: 9, itemWidth: 14, textStyle: { color: color('--ink') } },
    tooltip: { trigger: 'axis', axisPointer: { type: 'shadow' }, confine: true },
    xAxis: { type: 'category', data: weeks.value, axisLine: { lineStyle: { color: color('--ink') } } },
    yAxis: { type: 'value', minInterval: 1, splitLine: { lineStyle: { color: color('--line') } } },
    series: kinds.map((k) => ({
      name: k,
      type: 'bar',
      stack: 'all',
      itemStyle: { color: fill[k] },
      data: weeks.value.map((w) => sums.get(w + k) ?? 0),
    })),
  }
})
const chart = ref<InstanceType<typeof VChart>>()
/** A click anywhere above a week chooses it: many a bar is too low to be hit. */
function picked(e: { offsetX: number; offsetY: number }) {
  const at = [e.offsetX, e.offsetY]
  if (!chart.value?.containPixel('grid', at)) return
  const week = weeks.value[chart.value.convertFromPixel({ seriesIndex: 0 }, at)[0] as number]
  if (!week) return
  const until = new Date(new Date(week + 'T00:00:00Z').getTime() + 7 * 86_400_000)
  emit('pick', week, until.toISOString().slice(0, 10))
}
</script>

<template>
  <VChart ref="chart" class="picture" :option="option" autoresize aria-label="changes by week" @zr:click="picked" />
</template>

<style scoped>
/* the drawing follows the window a moment later; until then it is cut, and the page does not grow wider for it */
.picture {
  height: 10.5rem;
  width: 100%;
  min-width: 0;
  overflow: hidden;
}
</style>
