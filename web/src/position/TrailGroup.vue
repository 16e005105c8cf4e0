<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { count, day, moment, whole } from '../lib/format'

/**
 * The machines or users of one group of demand, each with what it needs a right for, how its count came about, and
 * the way to its records.
 */
const props = defineProps<{ product: number; group: string; asOf: string; known: string }>()
const emit = defineEmits<{ record: [record: number, device: number] }>()
const units = useQuery({
  queryKey: [
    'units',
    computed(() => props.product),
    computed(() => props.group),
    computed(() => props.asOf),
    computed(() => props.known),
  ],
  queryFn: () =>
    ask(
      api.GET('/api/products/{id}/units', {
        params: {
          path: { id: props.product },
          query: { group: props.group, asOf: props.asOf, known: props.known, limit: 300 },
        },
      }),
    ),
})
const list = computed(() => units.data.value ?? [])
const counted = computed(() => list.value.some((u) => u.whole > 1 || u.calc.length))
const title = computed(() => {
  const [, line, reason] = props.group.split(':')
  return line ? `covered by ${line}: ${reason}` : `not covered: ${reason}`
})
</script>

<template>
  <h3>
    {{ count(list.length, counted ? 'machine' : 'unit')
    }}<template v-if="list.length === 300"> and perhaps more</template> {{ title }}
  </h3>
  <p v-if="units.error.value" class="says">{{ units.error.value.message }}</p>
  <table class="lines">
    <thead>
      <tr>
        <th>where</th>
        <th>needs</th>
        <th v-if="counted" class="num">count</th>
        <th>seen</th>
        <th>records</th>
      </tr>
    </thead>
    <tbody>
      <template v-for="(u, i) in list" :key="i">
        <tr data-unit>
          <td>
            <RouterLink v-if="u.device" :to="`/evidence/${encodeURIComponent(u.device)}`">{{
              u.deviceName
            }}</RouterLink>
            <div v-if="u.user">
              {{ u.userName }}
              <span class="soft"
                >{{ u.user }}<template v-if="u.why">, {{ u.why }}</template></span
              >
            </div>
            <div v-else-if="u.why" class="soft">{{ u.why }}</div>
            <div v-if="u.with && u.with !== u.device" class="soft">
              with the right of
              <RouterLink :to="`/evidence/${encodeURIComponent(u.with)}`">{{ u.with }}</RouterLink>
            </div>
            <div v-if="u.to" class="soft unit">{{ moment(u.from) }} to {{ moment(u.to) }} UTC</div>
            <div class="soft unit">{{ u.unit }}</div>
          </td>
          <td>{{ u.needs || 'any version' }}</td>
          <td v-if="counted" class="num">
            {{ whole(u.count) }}<span v-if="u.count !== u.whole" class="soft"> of {{ whole(u.whole) }}</span>
          </td>
          <td class="seen" :class="{ drop: !u.fresh }">{{ u.device ? day(u.lastSeen) : '' }}</td>
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
        <tr v-if="u.calc.length" class="calc" data-calc>
          <td colspan="5">
            <table>
              <tbody>
                <tr v-for="(l, k) in u.calc" :key="k">
                  <td>{{ l.what }}</td>
                  <td class="num">{{ l.result }}</td>
                </tr>
                <tr v-for="g in u.guests.slice(0, 12)" :key="g.device">
                  <td class="soft">
                    because of
                    <RouterLink :to="`/evidence/${encodeURIComponent(g.device)}`">{{ g.name }}</RouterLink><template
                      v-if="g.cores"
                      >, {{ count(g.cores, 'virtual core') }}</template
                    >
                  </td>
                  <td />
                </tr>
                <tr v-if="u.guests.length > 12">
                  <td class="soft">and {{ u.guests.length - 12 }} more virtual machines</td>
                  <td />
                </tr>
              </tbody>
            </table>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
</template>

<style scoped>
.unit {
  font-size: 0.88rem;
}
.seen {
  white-space: nowrap;
}
.rec {
  margin-right: 0.4em;
}
.calc > td {
  padding: 0 0 0.4rem 0.8rem;
}
.calc table {
  border-collapse: collapse;
  border-left: 2px solid var(--covered);
  margin-left: 0.2rem;
  font-size: 0.93rem;
}
.calc table td {
  border: 0;
  padding: 0.05rem 0.6rem;
}
</style>
