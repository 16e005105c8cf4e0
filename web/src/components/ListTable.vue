<script setup lang="ts" generic="K extends keyof Lists">
import { useInfiniteQuery } from '@tanstack/vue-query'
import Column from 'primevue/column'
import DataTable from 'primevue/datatable'
import InputText from 'primevue/inputtext'
import MultiSelect from 'primevue/multiselect'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import ListHaving from './ListHaving.vue'
import { listFile, readList, type Lists } from '../api/client'
import { whole } from '../lib/format'
import { useListState } from '../lib/listState'
import type { OwnNamed } from '../lib/own'

/** A column: its name in the list, its heading, and how it stands. */
export interface ListColumn {
  key: string
  label: string
  num?: boolean
  width?: string
  hidden?: boolean
  fixed?: boolean
}

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

const opened = ref<Record<string, boolean>>({})
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
const total = computed(() => list.data.value?.pages[0]?.total ?? 0)
const stale = computed(() => list.data.value?.pages[0]?.stale ?? 0)
const never = computed(() => list.data.value?.pages[0]?.never ?? 0)
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

function sorted(e: { sortField?: unknown; sortOrder?: number | null }) {
  change({ sort: String(e.sortField ?? props.sort), desc: e.sortOrder === -1 ? 'true' : undefined })
}

const frame = ref<HTMLElement>()
let scroller: HTMLElement | null = null
function scrolled() {
  if (
    scroller &&
    list.hasNextPage.value &&
    !list.isFetchingNextPage.value &&
    scroller.scrollTop + scroller.clientHeight > scroller.scrollHeight - 600
  ) {
    void list.fetchNextPage()
  }
}
onMounted(async () => {
  await nextTick()
  scroller = frame.value?.querySelector('.p-datatable-table-container') ?? null
  scroller?.addEventListener('scroll', scrolled)
})
onBeforeUnmount(() => scroller?.removeEventListener('scroll', scrolled))
watch(query, () => scroller?.scrollTo({ top: 0 }))
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
          >{{ whole(total) }} {{ total === 1 ? what.replace(/^(\w+?)s\b/, '$1') : what
          }}<span v-if="stale" class="drop" title="their evidence is older than its limit"
            >, {{ whole(stale) }} stale</span
          ><span v-if="never" class="drop">, {{ whole(never) }} never scanned</span
          ><template v-if="list.isFetching.value"> …</template></template
        ></span
      >
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
    <div ref="frame" class="frame">
      <DataTable
        v-model:selection="selection"
        v-model:expanded-rows="opened"
        :value="rows"
        :data-key="rowKey"
        lazy
        scrollable
        scroll-height="flex"
        size="small"
        row-hover
        :sort-field="query.sort"
        :sort-order="query.desc ? -1 : 1"
        :meta-key-selection="false"
        :row-class="(r: Lists[K]) => (cell(r, currentBy ?? rowKey) === current ? 'current' : '')"
        :pt="{ bodyRow: { tabindex: 0 } }"
        @sort="sorted"
        @row-click="(e) => emit('open', e.data as Lists[K])"
        @keydown.enter="
          (e: KeyboardEvent) => (e.target as HTMLElement).tagName === 'TR' && (e.target as HTMLElement).click()
        "
        @keydown.down="(e: KeyboardEvent) => step(e, 'nextElementSibling')"
        @keydown.up="(e: KeyboardEvent) => step(e, 'previousElementSibling')"
      >
        <Column v-if="selectable" selection-mode="multiple" header-style="width: 2.2rem" />
        <Column v-if="opens" expander header-style="width: 2.2rem" :pt="{ bodyCell: { title: opens } }" />
        <Column
          v-for="c in shown"
          :key="c.key"
          :field="c.key"
          :header="c.label"
          sortable
          :header-style="c.width ? `width: ${c.width}` : ''"
          :class="c.num ? 'num' : 'clip'"
        >
          <template #body="{ data }">
            <slot :name="`cell-${c.key}`" :row="data as Lists[K]">
              <template v-if="c.num">{{ whole(Number(cell(data, c.key))) }}</template>
              <span v-else :title="String(cell(data, c.key) ?? '')">{{ cell(data, c.key) }}</span>
            </slot>
          </template>
        </Column>
        <template #expansion="{ data }"><slot name="expansion" :row="data as Lists[K]" /></template>
        <template #empty>
          <p class="soft">
            {{ list.isLoading.value ? 'Reading…' : narrowed ? `None of the ${what} fit this filter.` : empty }}
          </p>
        </template>
      </DataTable>
    </div>
  </section>
</template>

<script lang="ts">
/** Moves the focus from row to row. */
function step(e: KeyboardEvent, to: 'nextElementSibling' | 'previousElementSibling') {
  const row = e.target as HTMLElement
  if (row.tagName !== 'TR') return
  const next = row[to] as HTMLElement | null
  if (next) {
    e.preventDefault()
    next.focus()
  }
}
</script>

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
.frame {
  flex: 1;
  min-height: 12rem;
}
.frame :deep(.p-datatable-table) {
  table-layout: fixed;
  width: 100%;
}
.frame :deep(thead) {
  background: var(--paper);
}
.frame :deep(th) {
  border-bottom: 1px solid var(--ink) !important;
  color: var(--soft);
  white-space: nowrap;
  overflow: hidden;
}
.frame :deep(th.num .p-datatable-column-header-content) {
  justify-content: flex-end;
}
.frame :deep(.p-datatable-sort-icon) {
  width: 0.75rem;
  height: 0.75rem;
}
.frame :deep(th:not([aria-sort='ascending']):not([aria-sort='descending']) .p-datatable-sort-icon) {
  display: none;
}
.frame :deep(td.num) {
  text-align: right;
}
.frame :deep(td) {
  border-color: var(--line) !important;
  height: 1.82rem;
  padding-block: 0.05rem !important;
}
.frame :deep(tbody tr) {
  cursor: pointer;
}
.frame :deep(.p-datatable-row-toggle-button) {
  width: 1.5rem;
  height: 1.5rem;
}
.frame :deep(tr.current) {
  background: var(--pick) !important;
  box-shadow: inset 3px 0 var(--here);
}
</style>
