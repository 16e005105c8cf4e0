// Draws docs/growth.svg, what a change and a full computation cost in a house of each size, from docs/growth.csv.
import { readFileSync, writeFileSync } from 'node:fs'
import { init, use } from 'echarts/core'
import { LineChart } from 'echarts/charts'
import { GridComponent, LegendComponent, TitleComponent } from 'echarts/components'
import { SVGRenderer } from 'echarts/renderers'

use([LineChart, GridComponent, LegendComponent, TitleComponent, SVGRenderer])

const docs = new URL('../../docs/', import.meta.url)
const [head, ...rows] = readFileSync(new URL('growth.csv', docs), 'utf8')
  .trim()
  .split('\n')
  .map((line) => line.split(','))

const colours = ['#0b6e4f', '#c4581a', '#2f4b8f', '#8a2f6b', '#555555']
const chart = init(null, null, { renderer: 'svg', ssr: true, width: 960, height: 560 })
chart.setOption({
  animation: false,
  color: colours,
  backgroundColor: '#ffffff',
  title: { text: 'Seconds of a processor, by the number of devices (80 installs on each)', left: 12, top: 8 },
  legend: { top: 40, left: 12, itemGap: 60 },
  grid: { left: 70, right: 40, top: 90, bottom: 50 },
  xAxis: { type: 'log', name: 'devices', nameLocation: 'middle', nameGap: 32, min: 1000, max: 1000000 },
  yAxis: { type: 'log', axisLabel: { formatter: (v) => `${v} s` }, min: 0.01, max: 1000 },
  series: head.slice(1).map((name, i) => ({
    type: 'line',
    name,
    symbolSize: 8,
    data: rows.filter((row) => row[i + 1]).map((row) => [Number(row[0]), Number(row[i + 1])]),
    label: { show: true, position: i ? 'top' : 'bottom', formatter: (p) => String(p.value[1]) },
  })),
})
writeFileSync(new URL('growth.svg', docs), chart.renderToSVGString() + '\n')
chart.dispose()
