<script setup lang="ts">
import InputText from 'primevue/inputtext'
import { computed } from 'vue'
import { useKeys } from '../lib/keys'
import { useRoute } from 'vue-router'
import BalanceBar from '../components/BalanceBar.vue'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OwnLine from '../components/OwnLine.vue'
import { useOwnFields } from '../lib/own'
import { money, whole, word } from '../lib/format'
import { useListState } from '../lib/listState'
import KnownWhen from './KnownWhen.vue'
import PositionNav from './PositionNav.vue'
import TrailPane from './TrailPane.vue'

/** Owned against needed, product by product. A figure opens the trail at the right. */
const route = useRoute()
const { change, filter, query } = useListState({ sort: 'money' })
// the day that the list is of, and whether as it was known then: both are filters of the list
const on = computed(() => filter('on'))
const known = computed(() => filter('known'))
function put(day: string, then: boolean) {
  const rest = (query.value.f ?? []).filter((f) => !/^(on|known)=/.test(f))
  change({ f: [...rest, ...(day ? [`on=${day}`] : []), ...(day && then ? [`known=${day}`] : [])] })
}
const trail = computed(() =>
  String(route.query.trail ?? '')
    .split('/')
    .filter(Boolean),
)
const columns = computed<ListColumn[]>(() => [
  { key: 'publisher', label: 'publisher', width: '13%', hidden: trail.value.length > 0 },
  { key: 'product', label: 'product', fixed: true, width: '16%' },
  { key: 'metric', label: 'counted by', width: '6.4rem' },
  { key: 'owned', label: 'owned', num: true, width: '4.4rem' },
  { key: 'covered', label: 'owned over needed' },
  { key: 'needed', label: 'needed', num: true, width: '4.8rem' },
  { key: 'balance', label: 'balance', num: true, width: '5.8rem' },
  { key: 'high', label: 'may be', num: true, width: '7.2rem' },
  { key: 'money', label: 'worth', num: true, width: '8.6rem' },
])
const open = (steps: string[]) => change({ trail: steps.join('/') || undefined })
const standing = computed(() => [`on=${on.value}`, `known=${known.value}`])
// titles have fields of the house's own, and so have their positions
const own = useOwnFields(() => 'title')
const splits = ['state', 'metric', 'publisher'].map((value) => ({ label: `split by ${value}`, value }))
const current = computed(() => trail.value[0]?.slice(1))
useKeys(() => [
  { name: 'trail.back', key: 'Escape', says: 'close the last step', press: () => open(trail.value.slice(0, -1)) },
])
</script>

<template>
  <div class="page two">
    <div class="left">
      <PositionNav />
      <ListTable
        name="positions"
        :columns="columns"
        sort="money"
        what="positions"
        row-key="id"
        current-by="productId"
        :current="Number(current)"
        :standing="standing"
        :own="own"
        empty="No position yet: it takes installs, titles and entitlements."
        @open="(p) => open([`p${p.productId}`])"
      >
        <template #title><h1>Position</h1></template>
        <template #filters>
          <label class="row"
            >as of
            <InputText
              :model-value="on"
              type="date"
              size="small"
              data-as-of
              @change="(e: Event) => put((e.target as HTMLInputElement).value, !!known)"
          /></label>
          <KnownWhen :on="on" :then="!!known" @known="(k) => put(on, k === 'then')" @today="put('', false)" />
          <ListFilter
            column="state"
            label="state"
            any="all"
            :options="['short', 'even', 'spare', { label: 'not measured', value: 'unknown' }]"
          />
        </template>
        <template v-if="own.length" #above><OwnLine name="positions" :own="own" :by="splits" /></template>
        <template #cell-product="{ row }"
          ><b>{{ row.product }}</b></template
        >
        <template #cell-metric="{ row }">{{ word(row.metric) }}</template>
        <template #cell-covered="{ row }"
          ><BalanceBar
            v-if="row.counted"
            :owned="row.owned"
            :needed="row.needed"
            :covered="row.covered"
            :free="row.free"
            :low="row.low"
            :high="row.high"
          /><span v-else class="soft">its use is not measured, so nobody knows what is needed</span></template
        >
        <template #cell-needed="{ row }"
          ><button v-if="row.counted" class="plain" type="button" @click.stop="open([`p${row.productId}`])">
            {{ whole(row.needed) }}
          </button></template
        >
        <template #cell-balance="{ row }">
          <span v-if="row.state === 'short'" class="short">{{ whole(row.short) }} short</span
          ><span v-else-if="row.state === 'spare'" class="spare">{{ whole(row.surplus) }} spare</span
          ><span v-else class="soft">{{ row.state === 'even' ? 'even' : '' }}</span>
        </template>
        <template #cell-high="{ row }"
          ><span v-if="row.counted" class="doubt">{{
            row.low === row.high ? whole(row.low) : `${whole(row.low)}–${whole(row.high)}`
          }}</span></template
        >
        <template #cell-money="{ row }">
          <span v-if="row.state === 'short'" class="short">− {{ money(row.exposure) }} {{ row.currency }}</span
          ><span v-else-if="Number(row.spare) > 0" class="spare">+ {{ money(row.spare) }} {{ row.currency }}</span
          ><span v-else class="soft">–</span>
        </template>
      </ListTable>
    </div>
    <TrailPane v-if="trail.length" :steps="trail" :as-of="on" :known="known" @go="open" />
  </div>
</template>
