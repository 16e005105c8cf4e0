<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { count, money, whole, word } from '../lib/format'
import StepBars from './StepBars.vue'
import { asKnown } from './known'

/**
 * What changed of one product between two days: needed, owned and balance in steps, each opening into its machines,
 * people or lines.
 */
const props = defineProps<{ id: number; from: string; to: string; known: string }>()
const emit = defineEmits<{ named: [name: string]; told: [of: { known: string; since: string }] }>()
const steps = useQuery({
  queryKey: ['steps', computed(() => [props.id, props.from, props.to, props.known])],
  queryFn: () =>
    ask(
      api.GET('/api/products/{id}/steps', {
        params: { path: { id: props.id }, query: { from: props.from, to: props.to, known: asKnown(props.known) } },
      }),
    ),
  placeholderData: keepPreviousData,
  retry: false,
})
const s = computed(() => steps.data.value)
watch(
  s,
  (v) => {
    if (!v) return
    emit('named', v.product)
    emit('told', v)
  },
  { immediate: true },
)
type Figure = 'needed' | 'owned' | 'short'
const figures: [Figure, string][] = [
  ['needed', 'Needed'],
  ['owned', 'Owned'],
  ['short', 'Short'],
]
const of = (metric: string) => s.value!.steps.filter((x) => x.metric === metric)
const changed = (m: Schemas['MetricStep'], f: Figure) =>
  of(m.metric).some((x) => x.change[f]) || m.before[f] !== m.after[f]
const open = ref('')
const opens = (x: Schemas['CauseStep']) =>
  x.lines.length
    ? count(x.lines.length, 'line')
    : x.names.length
      ? `${count(
          x.names.reduce((sum, n) => sum + n.count, 0),
          'name',
        )} on ${count(x.count, 'device')}`
      : x.count
        ? count(x.count, 'device')
        : x.users.length
          ? count(x.users.length, 'user')
          : count(x.entered.length, 'entry', 'entries')
const sign = (n: number) => (n > 0 ? `+ ${whole(n)}` : n < 0 ? `− ${whole(-n)}` : '')
</script>

<template>
  <p v-if="steps.error.value" class="says" role="alert">{{ steps.error.value.message }}</p>
  <p v-else-if="!s" class="soft" role="status">Being worked out…</p>
  <template v-else>
    <h2 class="row">
      <RouterLink :to="`/position/${s.productId}`">{{ s.product }}</RouterLink>
      <span class="soft gap">{{ s.publisher }}</span>
    </h2>
    <p v-if="!s.metrics.length" class="soft">Neither owned nor needed on either day.</p>
    <section v-for="m in s.metrics" :key="m.metric">
      <h3>By {{ word(m.metric) }}</h3>
      <div v-for="[f, label] in figures" :key="f" class="picture">
        <StepBars
          v-if="changed(m, f)"
          :bad="f !== 'owned'"
          :start="m.before[f]"
          :end="m.after[f]"
          :start-label="`${label} on ${s.from}`"
          :end-label="`${label} on ${s.to}`"
          :steps="
            of(m.metric)
              .filter((x) => x.change[f])
              .map((x) => ({ label: x.cause, change: x.change[f], learnt: x.learnt }))
          "
        />
        <p v-else class="soft">
          {{ label }}: {{ whole(m.after[f]) }} on both days<template v-if="f === 'short' && !m.after.short"
            >, {{ whole(m.after.surplus) }} spare</template
          >.
        </p>
      </div>
      <div class="scrolls">
        <table v-if="of(m.metric).length" class="lines" data-steps>
          <thead>
            <tr>
              <th>because of</th>
              <th class="num">needed</th>
              <th class="num">owned</th>
              <th class="num">covered</th>
              <th class="num">short</th>
              <th class="num">spare</th>
              <th class="num">at list price, {{ s.currency }}</th>
              <th />
            </tr>
          </thead>
          <tbody>
            <template v-for="x in of(m.metric)" :key="x.cause">
              <tr>
                <td :class="{ learnt: x.learnt }">{{ x.cause }}</td>
                <td class="num">{{ sign(x.change.needed) }}</td>
                <td class="num">{{ sign(x.change.owned) }}</td>
                <td class="num">{{ sign(x.change.covered) }}</td>
                <td class="num">{{ sign(x.change.short) }}</td>
                <td class="num">{{ sign(x.change.surplus) }}</td>
                <td class="num">
                  {{ Number(x.change.exposure) > 0 ? '+ ' : ''
                  }}{{ Number(x.change.exposure) ? money(x.change.exposure) : '' }}
                </td>
                <td>
                  <button
                    v-if="x.count + x.lines.length + x.users.length + x.names.length + x.entered.length"
                    class="plain"
                    type="button"
                    data-open-step
                    @click="open = open === m.metric + x.cause ? '' : m.metric + x.cause"
                  >
                    {{ opens(x) }}
                  </button>
                </td>
              </tr>
              <tr v-if="open === m.metric + x.cause" data-step-lines>
                <td colspan="8">
                  <div v-for="n in x.names" :key="n.was + n.is + n.by" class="names" data-names-moved>
                    {{ count(n.count, 'name') }} on {{ count(n.devices, 'device') }}: was <b>{{ n.was }}</b>, is
                    <b>{{ n.is }}</b><template v-if="n.by">, {{ n.by }}</template>
                    <div class="soft">
                      {{ n.names.join('; ')
                      }}<template v-if="n.count > n.names.length">
                        and {{ whole(n.count - n.names.length) }} more</template
                      >
                    </div>
                  </div>
                  <p v-for="e in x.entered" :key="e">{{ e }}</p>
                  <ul>
                    <li v-for="l in x.lines" :key="l.code">
                      <RouterLink :to="`/entitlements/line/${encodeURIComponent(l.code)}`">{{ l.code }}</RouterLink>:
                      counted {{ whole(l.before) }}, counts {{ whole(l.after)
                      }}<template v-if="l.why">, {{ l.why }}</template>
                    </li>
                    <li v-for="d in x.devices" :key="d.code">
                      <RouterLink :to="`/evidence/${encodeURIComponent(d.code)}`">{{ d.name }}</RouterLink>
                      <span class="soft gap">{{ d.code }}, {{ d.what }}</span>
                    </li>
                    <li v-for="u in x.users" :key="u.code">
                      <RouterLink :to="`/entitlements/held/${encodeURIComponent(u.code)}`">{{ u.name }}</RouterLink>
                      <span class="soft gap">{{ u.code }}</span>
                    </li>
                    <li v-if="x.count > x.devices.length" class="soft">
                      and {{ whole(x.count - x.devices.length) }} more
                    </li>
                  </ul>
                </td>
              </tr>
            </template>
          </tbody>
          <tfoot>
            <tr>
              <td>together</td>
              <td class="num">{{ sign(m.after.needed - m.before.needed) }}</td>
              <td class="num">{{ sign(m.after.owned - m.before.owned) }}</td>
              <td class="num">{{ sign(m.after.covered - m.before.covered) }}</td>
              <td class="num">{{ sign(m.after.short - m.before.short) }}</td>
              <td class="num">{{ sign(m.after.surplus - m.before.surplus) }}</td>
              <td class="num">{{ money(Number(m.after.exposure) - Number(m.before.exposure)) }}</td>
              <td />
            </tr>
          </tfoot>
        </table>
      </div>
    </section>
  </template>
</template>

<style scoped>
.picture {
  max-width: 56rem;
  margin-bottom: 0.6rem;
}
section {
  max-width: 74rem;
}
tfoot td {
  font-weight: 650;
  border-bottom: 0;
}
.learnt {
  font-style: italic;
}
.names {
  margin: 0.2rem 0 0.5rem;
  max-width: 60rem;
}
ul {
  columns: 3;
  margin: 0;
  padding-left: 1.1rem;
}
</style>
