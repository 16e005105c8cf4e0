<script lang="ts">
/** A column: its name in the list, its heading, and how it stands. */
export interface ListColumn {
  key: string
  label: string
  num?: boolean
  width?: string
  hidden?: boolean
  fixed?: boolean
}
</script>

<script setup lang="ts" generic="T">
import { computed, ref } from 'vue'
import { whole } from '../lib/format'

/**
 * The rows of a list as a plain table: a hundred of them are drawn at once. A row is opened by a press or by Enter, the
 * arrows go from row to row, and Shift ticks all from the row that was ticked last.
 */
const props = defineProps<{
  rows: T[]
  columns: ListColumn[]
  sort: string
  desc: boolean
  rowKey: string
  current?: string | number
  currentBy?: string
  selectable?: boolean
  /** a row opens in place to what stands in the slot expansion */
  opens?: string
}>()
const emit = defineEmits<{ open: [row: T]; sort: [column: string, desc: boolean]; end: [] }>()
const selection = defineModel<T[]>('selection', { required: true })

const cell = (row: T, key: string) => (row as Record<string, unknown>)[key]
const keyOf = (row: T) => cell(row, props.rowKey) as string | number
const isCurrent = (row: T) =>
  props.current !== undefined && cell(row, props.currentBy ?? props.rowKey) === props.current

const ticked = computed(() => new Set(selection.value.map(keyOf)))
const allTicked = computed(() => props.rows.length > 0 && props.rows.every((r) => ticked.value.has(keyOf(r))))
let last = -1
function tick(at: number, e: MouseEvent) {
  const on = (e.target as HTMLInputElement).checked
  const from = e.shiftKey && last >= 0 && last < props.rows.length ? Math.min(last, at) : at
  const some = props.rows.slice(from, (e.shiftKey && last > at ? last : at) + 1)
  put(some, on)
  last = at
}
function put(some: T[], on: boolean) {
  const keys = new Set(some.map(keyOf))
  const others = selection.value.filter((r) => !keys.has(keyOf(r)))
  selection.value = on ? [...others, ...some] : others
}

const opened = ref(new Set<string | number>())
function toggle(row: T) {
  if (!opened.value.delete(keyOf(row))) opened.value.add(keyOf(row))
}

/** Opens a row, where nothing in it was pressed that does something by itself. */
function press(row: T, e: MouseEvent) {
  if (!(e.target as HTMLElement).closest('a, button, input, select, label, [role=combobox]')) emit('open', row)
}
/** Moves the focus from row to row. */
function step(e: KeyboardEvent, to: 'nextElementSibling' | 'previousElementSibling') {
  const row = e.target as HTMLElement
  const next = row.tagName === 'TR' && (row[to] as HTMLElement | null)
  if (!next) return
  e.preventDefault()
  next.focus()
}
function enter(e: KeyboardEvent) {
  if ((e.target as HTMLElement).tagName === 'TR') (e.target as HTMLElement).click()
}
const order = (c: ListColumn) => (c.key !== props.sort ? undefined : props.desc ? 'descending' : 'ascending')
const sortBy = (c: ListColumn) => emit('sort', c.key, c.key === props.sort && !props.desc)

const frame = ref<HTMLElement>()
/** how near its end the last rows are when more are wanted, in pixels */
const near = 600
function scrolled() {
  const f = frame.value!
  if (f.scrollTop + f.clientHeight > f.scrollHeight - near) emit('end')
}
defineExpose({ toTop: () => frame.value?.scrollTo({ top: 0 }) })
</script>

<template>
  <div ref="frame" class="frame" @scroll.passive="scrolled">
    <table
      @keydown.enter="enter"
      @keydown.down="step($event, 'nextElementSibling')"
      @keydown.up="step($event, 'previousElementSibling')"
    >
      <thead>
        <tr>
          <th v-if="selectable" class="narrow">
            <input
              type="checkbox"
              aria-label="tick all rows"
              :checked="allTicked"
              :indeterminate="!allTicked && ticked.size > 0"
              @change="put(rows, ($event.target as HTMLInputElement).checked)"
            />
          </th>
          <th v-if="opens" class="narrow" />
          <th
            v-for="c in columns"
            :key="c.key"
            :class="c.num ? 'num' : 'clip'"
            :style="c.width ? { width: c.width } : undefined"
            :aria-sort="order(c)"
            tabindex="0"
            @click="sortBy(c)"
            @keydown.enter.stop="sortBy(c)"
            @keydown.space.prevent="sortBy(c)"
          >
            <span>{{ c.label }}</span>
            <i v-if="c.key === sort" class="pi" :class="desc ? 'pi-sort-amount-down' : 'pi-sort-amount-up-alt'" />
          </th>
        </tr>
      </thead>
      <tbody>
        <template v-for="(row, i) in rows" :key="keyOf(row)">
          <tr
            tabindex="0"
            :class="{ current: isCurrent(row), ticked: ticked.has(keyOf(row)) }"
            @click="press(row, $event)"
          >
            <td v-if="selectable" class="narrow" @click.stop>
              <input
                type="checkbox"
                aria-label="tick this row"
                :checked="ticked.has(keyOf(row))"
                @click="tick(i, $event)"
              />
            </td>
            <td v-if="opens" class="narrow" :title="opens">
              <button
                class="plain"
                type="button"
                :aria-label="opens"
                :aria-expanded="opened.has(keyOf(row))"
                data-opens
                @click="toggle(row)"
              >
                <i class="pi" :class="opened.has(keyOf(row)) ? 'pi-chevron-down' : 'pi-chevron-right'" />
              </button>
            </td>
            <td v-for="c in columns" :key="c.key" :class="c.num ? 'num' : 'clip'">
              <slot :name="`cell-${c.key}`" :row="row">
                <template v-if="c.num">{{ whole(Number(cell(row, c.key))) }}</template>
                <span v-else :title="String(cell(row, c.key) ?? '')">{{ cell(row, c.key) }}</span>
              </slot>
            </td>
          </tr>
          <tr v-if="opened.has(keyOf(row))" class="expansion">
            <td :colspan="columns.length + 2"><slot name="expansion" :row="row" /></td>
          </tr>
        </template>
        <tr v-if="!rows.length" class="empty">
          <td :colspan="columns.length + 2"><slot name="empty" /></td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.frame {
  flex: 1;
  min-height: 12rem;
  overflow: auto;
}
table {
  table-layout: fixed;
  width: 100%;
  border-collapse: separate;
  border-spacing: 0;
}
th {
  position: sticky;
  top: 0;
  z-index: 1;
  background: var(--paper);
  border-bottom: 1px solid var(--ink);
  padding: 0.3rem 0.5rem;
  color: var(--soft);
  font-weight: 600;
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
  cursor: pointer;
}
th .pi {
  font-size: 0.75rem;
  margin-left: 0.35rem;
}
th[aria-sort] {
  background: color-mix(in srgb, var(--stream) 45%, var(--paper));
  color: var(--ink);
}
td {
  border-bottom: 1px solid var(--line);
  height: 1.82rem;
  padding: 0.05rem 0.5rem;
}
th.num,
td.num {
  text-align: right;
}
.narrow {
  width: 2.2rem;
  text-align: center;
  cursor: default;
}
input[type='checkbox'] {
  width: 1.05rem;
  height: 1.05rem;
  margin: 0;
  vertical-align: middle;
  accent-color: var(--here);
  cursor: pointer;
}
tbody tr:not(.expansion, .empty) {
  cursor: pointer;
}
tbody tr:not(.expansion, .empty):hover {
  background: color-mix(in srgb, var(--stream) 30%, transparent);
}
tbody tr.ticked {
  background: color-mix(in srgb, var(--stream) 40%, transparent);
}
tbody tr.current {
  background: var(--pick);
  box-shadow: inset 3px 0 var(--here);
}
tbody tr:focus-visible {
  outline-offset: -2px;
}
[data-opens] {
  padding: 0.2rem 0.4rem;
  text-decoration: none;
}
[data-opens] .pi {
  font-size: 0.8rem;
}
</style>
