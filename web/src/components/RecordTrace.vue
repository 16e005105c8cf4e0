<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { day } from '../lib/format'

/** A raw record as its source wrote it, where it was seen, and every step of its recognition. */
const props = defineProps<{ id: number; device?: number }>()
const record = useQuery({
  queryKey: ['record', computed(() => props.id), computed(() => props.device ?? 0)],
  queryFn: () =>
    ask(api.GET('/api/records/{id}', { params: { path: { id: props.id }, query: { device: props.device ?? 0 } } })),
})
const r = computed(() => record.data.value)
const parts = computed(() => {
  const x = r.value?.record
  if (!x) return []
  return [
    ['name', x.name],
    ['publisher', x.publisher],
    ['version', x.version],
    ['edition', x.edition],
    ['architecture', x.architecture],
    ['language', x.language],
    ['file', x.fileName],
    ['identifiers', x.identifiers],
  ].filter(([, v]) => v)
})
</script>

<template>
  <p v-if="record.error.value" class="says">{{ record.error.value.message }}</p>
  <template v-if="r">
    <p class="soft">As the source wrote it:</p>
    <table class="lines">
      <tbody>
        <tr v-for="[k, v] in parts" :key="k">
          <td class="soft k">{{ k }}</td>
          <td>{{ v }}</td>
        </tr>
      </tbody>
    </table>
    <p class="soft">Seen:</p>
    <table class="lines">
      <tbody>
        <tr v-for="s in r.installs.slice(0, 6)" :key="`${s.deviceId}-${s.since}-${s.source}`">
          <td>{{ s.device }}</td>
          <td class="soft">{{ s.source }}</td>
          <td class="num">{{ day(s.since) }} to {{ s.until ? day(s.until) : 'now' }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="r.installs.length > 6" class="soft">and on {{ r.installs.length - 6 }} more</p>
    <p class="soft">
      Recognised as <b>{{ r.title || 'nothing yet' }}</b><template v-if="r.whyNot">, {{ r.whyNot }}</template
      >:
    </p>
    <ol>
      <li v-for="(s, i) in r.trace" :key="i" :class="{ last: i === r.trace.length - 1 && r.title }">
        <b>{{ s.step }}</b> <span class="soft">{{ s.lookedAt }}</span>
        <div>{{ s.outcome }}</div>
      </li>
    </ol>
  </template>
</template>

<style scoped>
p {
  margin: 0.5rem 0 0.15rem;
}
.k {
  width: 6.2rem;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0 0 0 0.7rem;
  border-left: 1px solid var(--soft);
}
li {
  padding: 0.12rem 0 0.25rem;
  overflow-wrap: anywhere;
}
li.last {
  border-left: 3px solid var(--here);
  margin-left: calc(-0.7rem - 2px);
  padding-left: 0.7rem;
}
</style>
