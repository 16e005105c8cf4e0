<script setup lang="ts" generic="K extends keyof Lists">
import { computed } from 'vue'
import type { Lists } from '../api/client'
import type { OwnNamed } from '../lib/own'
import ListFilter from './ListFilter.vue'
import SplitLine from './SplitLine.vue'

/** The line above a list: filters by fields of the house's own, and what splits its count. */
const props = defineProps<{ name: K; own: OwnNamed[]; by: { label: string; value: string }[] }>()
const ways = computed(() => [...props.by, ...props.own.map((f) => ({ label: `split by ${f.label}`, value: f.name }))])
</script>

<template>
  <div class="row narrow">
    <ListFilter
      v-for="f in own.filter((x) => x.values.length)"
      :key="f.name"
      :column="f.name"
      :label="f.label"
      :any="`any ${f.label}`"
      :options="f.values.map((value) => ({ label: value, value }))"
    />
    <SplitLine v-if="ways.length" class="grow" :name="name" :ways="ways" />
  </div>
</template>

<style scoped>
.narrow {
  align-items: flex-start;
}
</style>
