<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { count, whole } from '../lib/format'

/** The versions of a product that were found, newest first: age, support, devices. */
const props = defineProps<{ product: number }>()
const versions = useQuery({
  queryKey: ['versions', computed(() => props.product)],
  queryFn: () => ask(api.GET('/api/products/{id}/versions', { params: { path: { id: props.product } } })),
})
const list = computed(() => versions.data.value ?? [])
const editions = computed(() => list.value.some((v) => v.edition))
function age(v: Schemas['VersionView']): string {
  const months = Math.floor(v.ageDays / 30.44)
  const text = months < 1 ? 'under a month' : months < 24 ? count(months, 'month') : `${Math.floor(months / 12)} years`
  return v.atLeast ? `at least ${text}` : text
}
</script>

<template>
  <p v-if="versions.data.value && !list.length" class="soft">Nothing of it was found.</p>
  <table v-else class="lines" data-version-rows>
    <thead>
      <tr>
        <th>version</th>
        <th v-if="editions">edition</th>
        <th>age</th>
        <th>released</th>
        <th>first seen</th>
        <th>support</th>
        <th class="num">devices</th>
        <th class="num">stale</th>
        <th class="num">installs</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="v in list" :key="v.edition + '|' + v.version">
        <td>
          <RouterLink :to="`/evidence/where?product=${product}&version=${encodeURIComponent(v.version)}`">{{
            v.version || 'not known'
          }}</RouterLink>
        </td>
        <td v-if="editions">{{ v.edition || '–' }}</td>
        <td>{{ age(v) }}</td>
        <td>{{ v.released || 'unknown' }}</td>
        <td>{{ v.firstSeen }}</td>
        <td :class="{ short: v.phase === 'ended' }">
          {{ v.phase === 'ended' ? 'ended' : v.endOn ? 'until' : 'unknown' }} {{ v.endOn }}
        </td>
        <td class="num">{{ whole(v.devices) }}</td>
        <td class="num" :class="{ drop: v.stale }">{{ whole(v.stale) }}</td>
        <td class="num">{{ whole(v.installs) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
td {
  white-space: nowrap;
}
p {
  margin: 0.2rem 0;
}
</style>
