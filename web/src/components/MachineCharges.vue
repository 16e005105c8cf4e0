<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import type { MachineCharges } from '../lib/charges'
import { count, whole, word } from '../lib/format'

/**
 * What licences by processor and core depend on of one device: its hardware, its host and its guests, and every
 * licence that they need for it anywhere, with its calculation; in a large house more of it comes bit by bit.
 */
const props = defineProps<{ charges?: MachineCharges; error?: Error | null }>()
const m = computed(() => props.charges)
const factor = computed(() => (m.value ? m.value.factor / 10_000 : 1))
const plain = computed(
  () => !m.value || (!m.value.charges.length && !m.value.guests.length && !m.value.virtual && !m.value.next),
)
const reasons: Record<string, string> = {
  physical: 'by its own processors',
  host: 'all of the host, since what runs on it counts as its host',
  cluster: 'each host of the cluster, since what runs in it may move',
  'virtual cores': 'by virtual cores, up to those of the host',
  'host not known': 'its host is not known',
}
const because = (u: Schemas['UnitView']) => reasons[u.why] ?? u.why
const to = (code: string) => `/evidence/${encodeURIComponent(code)}`
</script>

<template>
  <section v-if="error || !plain" class="sheet" data-charges>
    <h2>Processors and what they need</h2>
    <p v-if="error" class="says" role="alert">{{ error.message }}</p>
    <template v-if="m">
      <p>
        <template v-if="m.processors"
          >{{ count(m.processors, 'processor') }} with {{ count(m.cores, 'core') }}, core factor {{ factor }}</template
        ><template v-else-if="m.virtualCores">{{ count(m.virtualCores, 'virtual core') }}</template
        ><span v-else class="drop">its processors are not known</span>
        <template v-if="m.virtual"
          >;
          <template v-if="m.host.device"
            >runs on <RouterLink :to="to(m.host.device)">{{ m.host.name }}</RouterLink><template v-if="!m.processors"
              >, whose core factor is {{ factor }}</template
            ></template
          ><span v-else class="drop">its host is not known</span>,
          {{ m.pinned ? 'pinned to it' : 'not pinned' }}
        </template>
        <template v-if="m.cluster"
          >; {{ m.virtual && !m.pinned ? 'it may move within' : 'part of' }} the cluster {{ m.cluster }} of
          {{ count(m.clusterHosts, 'host') }}</template
        ><template v-if="m.seenOn.length"
          >; seen lately on
          <template v-for="(h, i) in m.seenOn" :key="h.device"
            ><template v-if="i">, </template><RouterLink :to="to(h.device)">{{ h.name }}</RouterLink></template
          ></template
        >.
      </p>
      <p v-if="m.guests.length" data-guests>
        On it {{ m.guests.length === 1 ? 'runs' : 'run' }}
        <template v-for="(g, i) in m.guests.slice(0, 12)" :key="g.device"
          ><template v-if="i">, </template><RouterLink :to="to(g.device)">{{ g.name }}</RouterLink
          ><span class="soft">{{ g.cores ? ` (${g.cores} virtual cores)` : ' (cores not known)' }}</span></template
        ><span v-if="m.guests.length > 12" class="soft"> and {{ whole(m.guests.length - 12) }} more</span>.
      </p>
      <table v-if="m.charges.length" class="lines">
        <thead>
          <tr>
            <th>title</th>
            <th>counts on</th>
            <th class="num">licences</th>
            <th>calculation</th>
            <th>covered by</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(c, i) in m.charges" :key="i">
            <td>
              <RouterLink :to="`/position/${c.productId}`">{{ c.publisher }} {{ c.product }}</RouterLink>
              <div class="soft">{{ word(c.metric) }}</div>
            </td>
            <td>
              <template v-if="c.here">this device</template>
              <RouterLink v-else :to="to(c.unit.device)">{{ c.unit.deviceName }}</RouterLink>
              <div class="soft">{{ because(c.unit) }}</div>
            </td>
            <td class="num">
              {{ whole(c.unit.count) }}
              <div v-if="c.unit.whole !== c.unit.count" class="soft">of {{ whole(c.unit.whole) }}</div>
            </td>
            <td>
              <div v-for="s in c.unit.calc" :key="s.what">{{ s.what }} = {{ s.result }}</div>
              <div v-if="c.unit.guests.length" class="soft">
                because of
                {{
                  c.unit.guests
                    .map((g) => g.name)
                    .slice(0, 4)
                    .join(', ')
                }}{{ c.unit.guests.length > 4 ? ` and ${c.unit.guests.length - 4} more` : '' }}
              </div>
            </td>
            <td :class="{ drop: !c.unit.line }">
              <template v-if="c.unit.line">{{ c.unit.line }}</template><template v-else>nothing</template>
              <div class="soft">{{ c.unit.reason }}</div>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="m.next && !error" class="soft" role="status" data-charging>
        {{ whole(m.done) }} of {{ count(m.titles, 'title') }} that may need licences for it are worked out; the others
        follow.
      </p>
      <p v-else-if="!m.charges.length" class="soft">
        No title on it, or on what shares its host, is licensed by processor or core.
      </p>
    </template>
  </section>
</template>

<style scoped>
section {
  margin: 1rem 0;
}
td + td,
th + th {
  padding-left: 0.8rem;
}
</style>
