<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import Select from 'primevue/select'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import { count, whole, word } from '../lib/format'
import { ownOr } from '../lib/own'
import TitlePick from './TitlePick.vue'

/**
 * A count of one station, split by what is said of devices: as bars and as a table. A row leads to the list that has
 * what it counts. What is chosen stands in the address bar.
 */
const props = defineProps<{
  of: 'installs' | 'titles' | 'use' | 'cases'
  /** what is counted, one and several */
  what: string
  whats: string
  /** what parts are called, where that is not their name */
  words?: Record<string, string>
  /** where the rows of a value are listed: the address of a list, and its column for what splits */
  list?: (by: string, value: string, product: number) => string
}>()
const route = useRoute()
const router = useRouter()
const q = (name: string) => String(route.query[name] ?? '')
const by = computed(() => q('by') || 'kind')
const product = computed(() => Number(q('product') || 0))
const put = (to: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...to } })
const split = useQuery({
  queryKey: ['split', computed(() => props.of), by, product],
  queryFn: ({ signal }) =>
    ask(
      api.GET('/api/splits/{of}', {
        params: { path: { of: props.of }, query: { by: by.value, product: product.value } },
        signal,
      }),
    ),
  placeholderData: keepPreviousData,
})
const s = computed(() => split.data.value)
const rows = computed(() => s.value?.rows ?? [])
// the largest parts stand by themselves, the others together
const mostParts = 5
const order = computed(() => {
  const all = (s.value?.parts ?? []).map((_, i) => i)
  const sums = s.value?.total.parts ?? []
  return all.sort((a, b) => (sums[b] ?? 0) - (sums[a] ?? 0))
})
const gathered = computed(() => (order.value.length > mostParts + 1 ? order.value.slice(mostParts) : []))
const alone = computed(() => order.value.filter((i) => !gathered.value.includes(i)))
const parts = computed(() => [
  ...alone.value.map((i) => s.value!.parts[i]!),
  ...(gathered.value.length ? ['others'] : []),
])
const partsOf = (r: { parts: number[] }) => [
  ...alone.value.map((i) => r.parts[i] ?? 0),
  ...(gathered.value.length ? [gathered.value.reduce((n, i) => n + (r.parts[i] ?? 0), 0)] : []),
]
const partWord = (part: string) => props.words?.[part] ?? word(part)
const labels: Record<string, string> = { os: 'system', age: 'age of evidence', source: 'sources that report it' }
const label = (b: string) => labels[b] ?? ownOr(b)
const ways = computed(() => (s.value?.by ?? ['kind']).map((value) => ({ label: `by ${label(value)}`, value })))
const nameOf = (r: Schemas['SplitRow']) => (r.value ? word(r.value) : 'not known')
const most = computed(() => Math.max(1, ...rows.value.map((r) => r.count)))
// what is used is dark, what is not stands out, and what nobody knows is pale
const toneOf: Record<string, string> = {
  regular: 'one',
  light: 'two',
  unused: 'three',
  'never used': 'four',
  'not measured': 'six',
}
const tones = ['one', 'two', 'three', 'four', 'five', 'six']
const tone = (i: number) => toneOf[parts.value[i] ?? ''] ?? tones[i % tones.length]
const to = (r: Schemas['SplitRow']) => (r.value ? props.list?.(by.value, r.value, product.value) : undefined)
function share(n: number): string {
  const all = s.value?.total.count
  if (!all) return ''
  const part = (100 * n) / all
  return part < 0.05 ? '< 0.1 %' : `${part.toFixed(1)} %`
}
const file = (format: string) => {
  const asked = new URLSearchParams({ by: by.value, product: String(product.value) })
  return `/api/splits/${props.of}.${format}?${asked}`
}
</script>

<template>
  <div class="row head">
    <slot />
    <Select
      :model-value="by"
      :options="ways"
      option-label="label"
      option-value="value"
      size="small"
      aria-label="split by"
      data-split-by
      @update:model-value="(v: string) => put({ by: v })"
    />
    <TitlePick
      :model-value="product"
      :name="q('name')"
      class="title"
      @update:model-value="(id, name) => put({ product: String(id), name })"
    />
    <button v-if="product" class="plain" type="button" @click="put({ product: undefined, name: undefined })">
      all titles
    </button>
    <span v-if="s" class="soft" data-split-total
      >{{ count(s.total.count, what, whats) }} on {{ count(s.total.devices, 'device') }} of {{ whole(s.estate)
      }}<template v-if="split.isFetching.value">, counting…</template></span
    >
    <span class="grow" />
    <a :href="file('csv')" download>CSV</a>
    <a :href="file('xlsx')" download>XLSX</a>
  </div>
  <p v-if="split.error.value" class="says" role="alert">{{ split.error.value.message }}</p>
  <p v-else-if="!s" class="soft" role="status">Counting…</p>
  <p v-else-if="!rows.length" class="soft">There is nothing of this yet.</p>
  <div v-else class="scrolls">
    <p v-if="parts.length" class="row soft legend">
      <span v-for="(p, i) in parts" :key="p"><i :class="tone(i)" />{{ partWord(p) }}</span>
    </p>
    <table class="lines" data-split-table>
      <thead>
        <tr>
          <th>{{ label(by) }}</th>
          <th class="bar" aria-hidden="true" />
          <th class="num">{{ whats }}</th>
          <th class="num">share</th>
          <th v-for="p in parts" :key="p" class="num">{{ partWord(p) }}</th>
          <th class="num">devices</th>
          <th class="num">stale</th>
          <th class="num">never scanned</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in rows.slice(0, 1000)" :key="r.value" :data-value="r.value">
          <td>
            <RouterLink v-if="to(r)" :to="to(r)!">{{ nameOf(r) }}</RouterLink><span
              v-else
              :class="{ soft: !r.value }"
              >{{ nameOf(r) }}</span
            >
          </td>
          <td class="bar" aria-hidden="true">
            <span :style="{ width: `${(100 * r.count) / most}%` }"
              ><template v-if="parts.length"
                ><i v-for="(n, i) in partsOf(r)" :key="i" :class="tone(i)" :style="{ flexGrow: n }" /></template
              ><i v-else class="two" style="flex-grow: 1" />
            </span>
          </td>
          <td class="num">
            <b>{{ whole(r.count) }}</b>
          </td>
          <td class="num soft">{{ of === 'titles' ? '' : share(r.count) }}</td>
          <td v-for="(n, i) in partsOf(r)" :key="i" class="num">{{ n ? whole(n) : '' }}</td>
          <td class="num">{{ whole(r.devices) }}</td>
          <td class="num" :class="{ drop: r.stale }">{{ r.stale ? whole(r.stale) : '' }}</td>
          <td class="num" :class="{ drop: r.never }">{{ r.never ? whole(r.never) : '' }}</td>
        </tr>
      </tbody>
      <tfoot>
        <tr>
          <td>together</td>
          <td class="bar" />
          <td class="num">{{ whole(s.total.count) }}</td>
          <td />
          <td v-for="(n, i) in partsOf(s.total)" :key="i" class="num">{{ whole(n) }}</td>
          <td class="num">{{ whole(s.total.devices) }}</td>
          <td class="num">{{ s.total.stale ? whole(s.total.stale) : '' }}</td>
          <td class="num">{{ s.total.never ? whole(s.total.never) : '' }}</td>
        </tr>
      </tfoot>
    </table>
    <p v-if="by === 'source'" class="soft">
      What several sources report falls to them together, so that nothing counts twice; a device can have some of each.
    </p>
    <p v-else-if="of === 'titles'" class="soft">
      A title that is on devices of several values stands with each of them; together it counts once.
    </p>
  </div>
</template>

<style scoped>
.title {
  width: 15rem;
}
.bar {
  width: 30%;
}
td.bar > span {
  display: flex;
  height: 0.8rem;
  min-width: 2px;
}
td.bar i {
  min-width: 0;
}
.legend i {
  display: inline-block;
  width: 0.7rem;
  height: 0.7rem;
  margin-right: 0.3rem;
}
.one {
  background: var(--owned);
}
.two {
  background: var(--covered);
}
.three {
  background: var(--drop);
}
.four {
  background: var(--short);
}
.five {
  background: var(--doubt);
}
.six {
  background: var(--line);
}
</style>
