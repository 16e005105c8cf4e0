<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { count, day } from '../lib/format'

/** The machines or users of one group of demand, each with what it needs a right for, and the way to its records. */
const props = defineProps<{ product: number; group: string }>()
const emit = defineEmits<{ record: [record: number, device: number] }>()
const units = useQuery({
  queryKey: ['units', computed(() => props.product), computed(() => props.group)],
  queryFn: () =>
    ask(
      api.GET('/api/products/{id}/units', {
        params: { path: { id: props.product }, query: { group: props.group, limit: 300 } },
      }),
    ),
})
const list = computed(() => units.data.value ?? [])
const title = computed(() => {
  const [, line, reason] = props.group.split(':')
  return line ? `covered by ${line}: ${reason}` : `not covered: ${reason}`
})
</script>

<template>
  <h3>{{ count(list.length, 'unit') }}<template v-if="list.length === 300"> and perhaps more</template> {{ title }}</h3>
  <p v-if="units.error.value" class="says">{{ units.error.value.message }}</p>
  <table class="lines">
    <thead>
      <tr>
        <th>where</th>
        <th>needs</th>
        <th>seen</th>
        <th>records</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(u, i) in list" :key="i" data-unit>
        <td>
          <RouterLink v-if="u.device" :to="`/evidence/${encodeURIComponent(u.device)}`">{{ u.deviceName }}</RouterLink>
          <div v-if="u.user">
            {{ u.userName }}
            <span class="soft"
              >{{ u.user }}<template v-if="u.why">, {{ u.why }}</template></span
            >
          </div>
          <div v-else-if="u.why" class="soft">{{ u.why }}</div>
          <div class="soft unit">{{ u.unit }}</div>
        </td>
        <td>{{ u.needs || 'any version' }}</td>
        <td :class="{ drop: !u.fresh }">{{ u.device ? day(u.lastSeen) : '' }}</td>
        <td>
          <button
            v-for="r in u.records.slice(0, 3)"
            :key="r"
            class="plain rec"
            type="button"
            :data-record="r"
            @click="emit('record', r, 0)"
          >
            {{ r }}
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.unit {
  font-size: 0.88rem;
}
.rec {
  margin-right: 0.4em;
}
</style>
