<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { count, whole } from '../lib/format'
import EndingMonths from './EndingMonths.vue'
import PlanForm from './PlanForm.vue'
import TitlesNav from './TitlesNav.vue'

/**
 * How long the releases that are out there are supported: what ends in the next eighteen months, year by year, and
 * what is planned about each.
 */
const route = useRoute()
const router = useRouter()
const filters = computed(() => [route.query.f ?? []].flat().map(String))
const filter = (name: string) => filters.value.find((f) => f.startsWith(name + '='))?.slice(name.length + 1) ?? ''
function put(changes: Record<string, string>) {
  const kept = filters.value.filter((f) => !Object.keys(changes).some((name) => f.startsWith(name + '=')))
  for (const [name, v] of Object.entries(changes)) if (v) kept.push(`${name}=${v}`)
  void router.replace({ query: { ...route.query, f: kept.length ? kept : undefined } })
}
const on = computed(() => filter('on'))
const phase = computed(() => filter('phase'))
const life = useQuery({
  queryKey: ['life-cycle', on],
  queryFn: () => ask(api.GET('/api/life-cycle', { params: { query: { on: on.value, months: 18 } } })),
  placeholderData: keepPreviousData,
})
const l = computed(() => life.data.value)
const words: Record<string, string> = {
  before: 'not out yet',
  general: 'general',
  extended: 'extended',
  ended: 'ended',
  unknown: 'unknown',
}
const soon = computed(() => !!filter('until'))
const list = ref<{ rows: Schemas['ReleaseRow'][] }>()
const chosen = computed(() => Number(route.query.release ?? 0))
const release = computed(() => list.value?.rows.find((r) => r.id === chosen.value))
const open = (id?: number) => void router.replace({ query: { ...route.query, release: id ? String(id) : undefined } })
const columns: ListColumn[] = [
  { key: 'publisher', label: 'publisher', width: '17%' },
  { key: 'product', label: 'product', fixed: true },
  { key: 'edition', label: 'edition', width: '6rem', hidden: true },
  { key: 'version', label: 'version', width: '4.9rem' },
  { key: 'released', label: 'released', width: '7rem', hidden: true },
  { key: 'phase', label: 'support', width: '5.6rem' },
  { key: 'general', label: 'general until', width: '7.2rem', hidden: true },
  { key: 'endOn', label: 'ends', width: '7.6rem' },
  { key: 'next', label: 'next change', width: '7rem', hidden: true },
  { key: 'devices', label: 'devices', num: true, width: '5.2rem' },
  { key: 'stale', label: 'stale', num: true, width: '4.4rem', hidden: true },
  { key: 'yearBefore', label: 'a year ago', num: true, width: '5.9rem' },
  { key: 'plan', label: 'plan', width: '9.5rem' },
]
const nearer = (r: Schemas['ReleaseRow']) =>
  r.target.startsWith(r.product + ' ') ? r.target.slice(r.product.length + 1) : r.target
const plans: Record<string, string> = { move: 'move to', remove: 'remove', extend: 'longer support', keep: 'keep' }
</script>

<template>
  <div class="page fill">
    <TitlesNav />
    <div class="row phases" role="group" aria-label="support">
      <span class="soft">Releases by support:</span>
      <button
        v-for="p in l?.phases ?? []"
        :key="p.phase"
        type="button"
        class="chip"
        :class="{ on: phase === p.phase }"
        :aria-pressed="phase === p.phase"
        :data-phase="p.phase"
        @click="put({ phase: phase === p.phase ? '' : p.phase, devices: '>0', until: '' })"
      >
        {{ words[p.phase] }}
        <b
          :class="{ short: p.phase === 'ended' && p.devices }"
          :title="`${count(p.releases, 'release')} on ${count(p.devices, 'device')}, counted for each release`"
          >{{ whole(p.releases) }}</b
        >
      </button>
      <button
        type="button"
        class="chip"
        :class="{ on: soon }"
        :aria-pressed="soon"
        data-soon
        @click="put({ until: soon ? '' : (l?.until ?? ''), phase: '', devices: '>0' })"
      >
        ends until {{ l?.until.slice(0, 7) }}
      </button>
      <span class="grow" />
      <label class="row"
        >as of
        <InputText
          :model-value="on || l?.on"
          type="date"
          size="small"
          aria-label="as of"
          data-on
          @update:model-value="(d) => put({ on: d ?? '', until: '' })"
      /></label>
    </div>
    <div class="beside">
      <ListTable
        ref="list"
        name="releases"
        :columns="columns"
        sort="next"
        what="releases"
        row-key="id"
        :current="chosen"
        :standing="['devices=>0']"
        empty="No release of the catalogue has a date yet: take in a titles.csv with ends of support, or the open sets with  ensomet catalogue distro-info."
        @open="(r) => open(r.id)"
      >
        <template #cell-product="{ row }"
          ><RouterLink :to="`/titles/${row.productId}`" @click.stop>{{ row.product }}</RouterLink></template
        >
        <template #cell-version="{ row }">{{ row.version || 'every' }}</template>
        <template #cell-phase="{ row }"
          ><span :class="{ short: row.phase === 'ended' && row.devices, soft: row.phase === 'unknown' }">{{
            words[row.phase]
          }}</span></template
        >
        <template #cell-next="{ row }">{{ row.next.startsWith('9999') ? '' : row.next }}</template>
        <template #cell-plan="{ row }">
          <span
            v-if="row.plan"
            :class="{ short: row.planState === 'late' }"
            :title="`${plans[row.plan]} ${row.target}, seen to by ${row.owner}${row.due ? ', until ' + row.due : ''}`"
            >{{ row.plan === 'keep' ? '' : row.done + (row.planState === 'late' ? ', late: ' : ' ')
            }}{{ row.plan === 'move' ? '→ ' + nearer(row) : plans[row.plan] }}</span
          >
          <span v-else-if="row.phase === 'ended' && row.devices" class="soft">nothing planned</span>
        </template>
      </ListTable>
      <PlanForm v-if="release" :release="release" @close="open()" />
      <EndingMonths v-else-if="l" :life="l" />
    </div>
  </div>
</template>
