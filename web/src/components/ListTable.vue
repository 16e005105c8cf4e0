<script setup lang="ts" generic="K extends keyof Lists">
import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import MultiSelect from 'primevue/multiselect'
import { computed, ref, watch } from 'vue'
import ListHaving from './ListHaving.vue'
import ListRows, { type ListColumn } from './ListRows.vue'
import { countList, listFile, readList, type Lists } from '../api/client'
import { whole } from '../lib/format'
import { useListState } from '../lib/listState'
import type { OwnNamed } from '../lib/own'

const props = defineProps<{
  name: K
  columns: ListColumn[]
  sort: string
  desc?: boolean
  what: string
  empty: string
  rowKey: string
  selectable?: boolean
  current?: string | number
  /** what current is compared with, where that is not the row's key */
  currentBy?: string
  /** a row opens in place to what stands in the slot expansion */
  opens?: string
  /** fields of the house's own, which are columns that are shown when they are chosen */
  own?: OwnNamed[]
  /** filters that are always on, and narrow nothing in people's eyes */
  standing?: string[]
}>()
const emit = defineEmits<{ open: [row: Lists[K]] }>()
const selection = defineModel<Lists[K][]>('selection', { default: () => [] })

const { query: asked, columns: chosen, change } = useListState({ sort: props.sort, desc: props.desc })
const all = computed<ListColumn[]>(() => [
  ...props.columns,
  ...(props.own ?? []).map((f) => ({ key: f.name, label: f.label, hidden: true })),
])
const query = computed(() => ({ ...asked.value, own: chosen.value.filter((k) => k.startsWith('own:')) }))
const narrowed = computed(() => !!query.value.q || (query.value.f ?? []).some((f) => !props.standing?.includes(f)))
const typed = ref(query.value.q ?? '')
watch(
  () => query.value.q ?? '',
  (q) => {
    if (q !== typed.value) typed.value = q
  },
)
let waiting: ReturnType<typeof setTimeout> | undefined
watch(typed, (q) => {
  clearTimeout(waiting)
  waiting = setTimeout(() => change({ q: q || undefined }), 200)
})

const list = useInfiniteQuery({
  queryKey: ['list', props.name, query],
  queryFn: ({ pageParam }) => readList(props.name, query.value, pageParam),
  initialPageParam: '',
  getNextPageParam: (last) => last.next || undefined,
  placeholderData: (before) => before,
})
const rows = computed(() => list.data.value?.pages.flatMap((p) => p.rows) ?? [])
// of very many rows so many are counted at once, and all when somebody asks for that
const counting = ref(false)
watch(query, (now, before) => {
  if (JSON.stringify([now.q, now.f]) !== JSON.stringify([before.q, before.f])) counting.value = false
})
const client = useQueryClient()
const countKey = computed(() => ['counted', props.name, query.value.q, query.value.f])
const everyRow = useQuery({
  queryKey: countKey,
  queryFn: ({ signal }) => countList(props.name, { q: query.value.q, f: query.value.f }, signal),
  enabled: counting,
})
const countAll = () => {
  counting.value = !counting.value
  if (!counting.value) void client.cancelQueries({ queryKey: countKey.value })
}
const first = computed(() => list.data.value?.pages[0])
const counted = computed(() => (first.value?.more && counting.value && everyRow.data.value) || first.value)
const beyond = computed(() => !!counted.value?.more)
const total = computed(() => counted.value?.total ?? 0)
const stale = computed(() => counted.value?.stale ?? 0)
const never = computed(() => counted.value?.never ?? 0)
defineExpose({ total, rows })

const shown = computed(() =>
  chosen.value.length
    ? all.value.filter((c) => c.fixed || chosen.value.includes(c.key))
    : all.value.filter((c) => !c.hidden),
)
const picked = computed({
  get: () => shown.value.map((c) => c.key),
  set: (keys: string[]) => change({ cols: keys.join(',') }),
})

const table = ref<{ toTop: () => void }>()
const more = () => list.hasNextPage.value && !list.isFetchingNextPage.value && void list.fetchNextPage()
watch(query, () => table.value?.toTop())
const cell = (row: unknown, key: string) => (row as Record<string, unknown>)[key]

// what is ticked is as it is now, and what is ticked and not shown is named: an act would be about it, too
const keyOf = (row: unknown) => cell(row, props.rowKey)
watch(rows, (now) => {
  if (!selection.value.length) return
  const byKey = new Map(now.map((r) => [keyOf(r), r]))
  selection.value = selection.value.map((r) => byKey.get(keyOf(r)) ?? r)
})
const unseen = computed(() => {
  if (!selection.value.length || list.isPlaceholderData.value || !list.data.value) return []
  const here = new Set(rows.value.map(keyOf))
  return selection.value.filter((r) => !here.has(keyOf(r)))
})
const label = props.columns.find((c) => c.fixed)?.key ?? props.columns[0]!.key
const dropUnseen = () => (selection.value = selection.value.filter((r) => !unseen.value.includes(r)))
</script>

<template>
  <section class="list" :aria-label="what">
    <div class="row tools">
      <slot name="title" :total="total" />
      <InputText
        v-model="typed"
        size="small"
        type="search"
        :placeholder="`Find in ${what}`"
        :aria-label="`Find in ${what}`"
        data-list-search
      />
      <slot name="filters" />
      <ListHaving />
      <span class="soft" data-total
        ><template v-if="!list.data.value">{{ list.error.value ? 'not known: ' : '… ' }}{{ what }}</template
        ><template v-else
          >{{ beyond ? 'more than ' : '' }}{{ whole(total) }} {{ total === 1 ? what.replace(/^(\w+?)s\b/, '$1') : what
          }}<span v-if="stale" class="drop" title="their evidence is older than its limit"
            >, {{ whole(stale) }} stale</span
          ><span v-if="never" class="drop">, {{ whole(never) }} never scanned</span
          ><template v-if="list.isFetching.value"> …</template></template
        ></span
      >
      <button v-if="beyond" class="plain" type="button" data-count-all @click="countAll">
        {{ counting ? 'stop counting' : 'count all' }}
      </button>
      <span class="grow" />
      <slot name="actions" />
      <span class="ways"
        ><MultiSelect
          v-model="picked"
          :options="all.filter((c) => !c.fixed)"
          option-label="label"
          option-value="key"
          size="small"
          :max-selected-labels="0"
          selected-items-label="Columns"
          placeholder="Columns"
          aria-label="Columns"
          class="cols"
        />
        <a :href="listFile(name, query, 'csv')" download>CSV</a>
        <a :href="listFile(name, query, 'xlsx')" download>XLSX</a></span
      >
    </div>
    <p v-if="list.error.value" class="says" role="alert">{{ list.error.value.message }}</p>
    <p v-else-if="counting && everyRow.error.value" class="says" role="alert">{{ everyRow.error.value.message }}</p>
    <p v-if="unseen.length" class="unseen" role="status" data-unseen>
      {{ unseen.length === 1 ? 'One row is' : `${whole(unseen.length)} rows are` }} ticked and not shown:
      {{
        unseen
          .slice(0, 5)
          .map((r) => cell(r, label))
          .join(', ')
      }}<template v-if="unseen.length > 5"> and {{ whole(unseen.length - 5) }} more</template>.
      {{ unseen.length === 1 ? 'It goes' : 'They go' }} along with what you do.
      <button class="plain" type="button" data-drop-unseen @click="dropUnseen">
        untick {{ unseen.length === 1 ? 'it' : 'them' }}
      </button>
    </p>
    <slot name="above" :total="total" />
    <ListRows
      ref="table"
      v-model:selection="selection"
      :rows="rows"
      :columns="shown"
      :sort="query.sort ?? sort"
      :desc="!!query.desc"
      :row-key="rowKey"
      :current="current"
      :current-by="currentBy"
      :selectable="selectable"
      :opens="opens"
      @open="(row) => emit('open', row)"
      @sort="(column, descending) => change({ sort: column, desc: descending ? 'true' : undefined })"
      @end="more"
    >
      <template v-for="c in shown.filter((x) => $slots[`cell-${x.key}`])" :key="c.key" #[`cell-${c.key}`]="{ row }">
        <slot :name="`cell-${c.key}`" :row="row" />
      </template>
      <template #expansion="{ row }"><slot name="expansion" :row="row" /></template>
      <template #empty>
        <p class="soft">
          {{ list.isLoading.value ? 'Reading…' : narrowed ? `None of the ${what} fit this filter.` : empty }}
        </p>
      </template>
    </ListRows>
  </section>
</template>

<style scoped>
.unseen {
  border-left: 3px solid var(--doubt);
  padding-left: 0.6rem;
  margin: 0.2rem 0;
}
.list {
  flex: 1;
  min-height: 0;
  min-width: 0;
  display: flex;
  flex-direction: column;
  container-type: inline-size;
}
.tools {
  padding: 0.45rem 0 0.35rem;
}
.tools :deep(input[type='search']) {
  width: 11rem;
}
.cols {
  width: 7.9rem;
}
.ways {
  display: inline-flex;
  align-items: center;
  gap: 0.6rem;
  font-size: 0.93rem;
}
@container (max-width: 64rem) {
  .tools :deep(input[type='search']) {
    width: 9rem;
  }
}
</style>
