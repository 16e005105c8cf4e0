<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import OwnLine from '../components/OwnLine.vue'
import { useOwnFields } from '../lib/own'
import { whole, word } from '../lib/format'
import TitlesNav from './TitlesNav.vue'
import VersionRows from './VersionRows.vue'

/** The catalogue, one line for each product. */
const router = useRouter()
const known = useQuery({ queryKey: ['tags'], queryFn: () => ask(api.GET('/api/tags')) })
const tags = computed(() => (known.data.value ?? []).map((t) => t.tag))
const own = useOwnFields(() => 'title')
const splits = ['model', 'category', 'publisher'].map((value) => ({
  label: `split by ${value === 'model' ? 'licence model' : value}`,
  value,
}))
const columns: ListColumn[] = [
  { key: 'publisher', label: 'publisher', width: '15%' },
  { key: 'product', label: 'product', fixed: true },
  { key: 'category', label: 'category', width: '7.5rem' },
  { key: 'model', label: 'licence model', width: '8rem' },
  { key: 'versions', label: 'versions found', num: true, width: '7.6rem' },
  { key: 'devices', label: 'devices', num: true, width: '5.4rem' },
  { key: 'stale', label: 'stale', num: true, width: '4.6rem' },
  { key: 'installs', label: 'installs', num: true, width: '5.4rem' },
  { key: 'counted', label: 'need a right', num: true, width: '6.6rem' },
  { key: 'folded', label: 'in suites', num: true, width: '5.4rem' },
  { key: 'tags', label: 'tags', width: '9rem', hidden: true },
  { key: 'leftOut', label: 'left out', num: true, width: '5rem', hidden: true },
  { key: 'rights', label: 'entitlements', num: true, width: '7.2rem' },
]
</script>

<template>
  <div class="page fill">
    <TitlesNav />
    <ListTable
      name="products"
      :columns="columns"
      sort="devices"
      desc
      what="products"
      row-key="id"
      :own="own"
      opens="its versions"
      empty="No titles yet: take in a titles.csv, or look at the starter catalogue under Newer catalogue."
      @open="(p) => router.push(`/titles/${p.id}`)"
    >
      <template #filters>
        <ListFilter
          column="model"
          label="licence model"
          any="any licence model"
          :options="['commercial', 'free', 'open_source', 'in_house', 'trial']"
        />
        <ListFilter
          column="watched"
          label="watch list"
          any="watched or not"
          :options="[{ label: 'on the watch list', value: '1' }]"
        />
        <ListFilter v-if="tags.length" column="tag" label="tag" any="any tag" :options="tags" />
      </template>
      <template #above><OwnLine name="products" :own="own" :by="splits" /></template>
      <template #cell-product="{ row }"
        ><RouterLink :to="`/titles/${row.id}`" @click.stop>{{ row.product }}</RouterLink
        ><span v-if="row.watched" title="on the watch list"> ◉</span></template
      >
      <template #cell-model="{ row }">{{ word(row.model) || 'unknown' }}</template>
      <template #cell-counted="{ row }"
        ><RouterLink v-if="row.counted" :to="`/position?trail=p${row.id}`" @click.stop>{{
          whole(row.counted)
        }}</RouterLink
        ><span v-else class="soft">0</span></template
      >
      <template #expansion="{ row }"><VersionRows :product="row.id" class="versions" /></template>
    </ListTable>
  </div>
</template>

<style scoped>
.versions {
  width: auto;
  min-width: 60%;
  margin: 0.2rem 0 0.4rem 2.2rem;
}
</style>
