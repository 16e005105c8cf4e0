<script setup lang="ts" generic="K extends keyof Lists">
import { useQuery } from '@tanstack/vue-query'
import Select from 'primevue/select'
import { computed } from 'vue'
import { splitList, type Lists } from '../api/client'
import { whole, word } from '../lib/format'
import { useListState } from '../lib/listState'

/**
 * Splits the count of a list by a column: one bar whose parts are links that narrow the list; the stale share of each
 * part is hatched. The choice stands in the address bar.
 */
const props = defineProps<{ name: K; ways: { label: string; value: string }[] }>()
const { query, change, setFilter, one } = useListState({ sort: '' })
const by = computed(() => one('split'))
const split = useQuery({
  queryKey: ['list', props.name, 'split', by, query],
  queryFn: () => splitList(props.name, query.value, by.value),
  enabled: computed(() => by.value !== ''),
  placeholderData: (before) => before,
})
const parts = computed(() => split.data.value?.parts ?? [])
const total = computed(() => split.data.value?.total ?? 0)
const share = (n: number) => (total.value ? (100 * n) / total.value : 0)
const label = (v: string) => (v === '' ? 'not known' : word(v))
</script>

<template>
  <div class="split row" data-split>
    <Select
      :model-value="by"
      :options="[{ label: 'not split', value: '' }, ...props.ways]"
      option-label="label"
      option-value="value"
      size="small"
      placeholder="not split"
      aria-label="split the count by"
      @update:model-value="(v: string) => change({ split: v || undefined })"
    />
    <div v-if="by && parts.length" class="bar" role="list" aria-label="the parts of the count">
      <component
        :is="p.value === '…' ? 'span' : 'button'"
        v-for="p in parts"
        :key="p.value"
        type="button"
        class="part"
        role="listitem"
        :style="{ flexGrow: Math.max(share(p.count), 5) }"
        :title="`${label(p.value)}: ${whole(p.count)}, of which ${whole(p.stale)} stale and ${whole(p.never)} never scanned`"
        @click="p.value !== '…' && setFilter(by, p.value)"
      >
        <i v-if="p.stale + p.never" :style="{ width: `${(100 * (p.stale + p.never)) / p.count}%` }" />
        <span class="clip">{{ label(p.value) }}</span>
        <b>{{ whole(p.count) }}</b>
      </component>
    </div>
    <span v-else-if="by && split.isFetching.value" class="soft">counting…</span>
    <p v-if="split.error.value" class="says" role="alert">{{ split.error.value.message }}</p>
  </div>
</template>

<style scoped>
.split {
  flex-wrap: nowrap;
  padding-bottom: 0.35rem;
}
.bar {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
}
.part {
  position: relative;
  flex: 1 1 0;
  min-width: max-content;
  font: inherit;
  color: inherit;
  text-align: left;
  border: 0;
  border-bottom: 3px solid var(--covered);
  background: var(--sheet);
  padding: 0.1rem 0.45rem;
  display: flex;
  gap: 0.4rem;
  justify-content: space-between;
  overflow: hidden;
}
button.part {
  cursor: pointer;
}
button.part:hover {
  background: var(--pick);
}
.part i {
  position: absolute;
  right: 0;
  bottom: -3px;
  height: 3px;
  background: repeating-linear-gradient(135deg, var(--drop) 0 2px, var(--sheet) 2px 4px);
}
.part {
  overflow: visible;
}
</style>
