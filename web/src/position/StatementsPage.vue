<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import { useAct } from '../lib/act'
import { count, day, moment, money, whole, word } from '../lib/format'
import { useKept } from '../lib/kept'
import { useSession } from '../lib/session'
import LongWait from '../components/LongWait.vue'
import { key } from '../lib/watch'
import PositionNav from './PositionNav.vue'

/**
 * Positions as they were handed to somebody: what was said, when, by whom and on which evidence. Later knowledge
 * never changes them; they can be compared with it.
 */
const route = useRoute()
const router = useRouter()
const mayWork = useSession().may('work')
const list = useQuery({ queryKey: ['statements'], queryFn: () => ask(api.GET('/api/statements')) })
const id = computed(() => Number(route.query.id ?? 0))
const today = computed(() => route.query.with === 'today')
const put = (q: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...q } })
const one = useQuery({
  queryKey: ['statement', id, today],
  queryFn: () =>
    ask(api.GET('/api/statements/{id}', { params: { path: { id: id.value }, query: { today: today.value } } })),
  enabled: computed(() => id.value > 0),
})
const s = computed(() => one.data.value)
const { form: draft, hold } = useKept(
  () => 'statement',
  () => ({ handedTo: '', asOf: '', note: '', of: 'house', name: '' }),
)
const { busy, says, act } = useAct()
const make = () =>
  act(async () => {
    const taken = hold()
    const { handedTo, asOf, note, of, name } = draft.value
    const scope = of === 'house' ? {} : { [of]: name }
    const made = await ask(api.POST('/api/statements', { body: { handedTo, asOf, note, ...scope } }))
    taken()
    put({ id: String(made.id) })
  })
const scopes = [
  { value: 'house', label: 'the whole house' },
  { value: 'publisher', label: 'one publisher' },
  { value: 'contract', label: 'one contract' },
  { value: 'unit', label: 'one unit' },
]
// one position of the statement, opened down to what it rested on
const opened = computed(() => String(route.query.open ?? ''))
const units = useQuery({
  queryKey: ['statement-units', id, opened],
  queryFn: () => {
    const [product, metric] = opened.value.split(':')
    const query = { product: Number(product), metric: metric! }
    return ask(api.GET('/api/statements/{id}/units', { params: { path: { id: id.value }, query } }))
  },
  enabled: computed(() => id.value > 0 && !!opened.value),
})
const print = () => window.print()
// the same figures, worked out again from what was known at the moment of the statement
const checking = key()
const checked = useQuery({
  queryKey: ['statement-check', id],
  queryFn: ({ signal }) =>
    ask(
      api.GET('/api/statements/{id}/check', {
        params: { path: { id: id.value }, query: { watch: checking } },
        signal,
      }),
    ),
  enabled: computed(() => id.value > 0 && route.query.check === 'yes'),
  retry: false,
  staleTime: 60_000,
})
const c = computed(() => (route.query.check === 'yes' ? checked.data.value : undefined))
</script>

<template>
  <div class="page fill">
    <PositionNav />
    <div class="beside">
      <div class="list">
        <h1>Handed over</h1>
        <form v-if="mayWork" class="make" @submit.prevent="make">
          <label
            >to <InputText v-model="draft.handedTo" size="small" name="handedTo" placeholder="who gets it"
          /></label>
          <label
            >of
            <Select
              v-model="draft.of"
              :options="scopes"
              option-label="label"
              option-value="value"
              size="small"
              aria-label="of"
              data-statement-of
          /></label>
          <label v-if="draft.of !== 'house'"
            >{{ draft.of }} <InputText v-model="draft.name" size="small" name="scopeName" placeholder="its name"
          /></label>
          <label>as of <InputText v-model="draft.asOf" size="small" type="date" /></label>
          <label>note <InputText v-model="draft.note" size="small" /></label>
          <Button
            type="submit"
            :label="draft.of === 'house' ? 'Freeze all positions' : 'Freeze these positions'"
            size="small"
            :disabled="!draft.handedTo || (draft.of !== 'house' && !draft.name)"
            :loading="busy"
          />
        </form>
        <p v-if="says" class="says" role="alert">{{ says }}</p>
        <table class="lines">
          <thead>
            <tr>
              <th>handed to</th>
              <th>on</th>
              <th>as of</th>
              <th class="num">positions</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="x in list.data.value ?? []" :key="x.id" :class="{ on: x.id === id }">
              <td>
                <button
                  class="plain"
                  type="button"
                  data-statement
                  @click="put({ id: String(x.id), check: undefined, open: undefined })"
                >
                  {{ x.handedTo }}
                </button>
                <div v-if="x.scope" data-scope>{{ x.scope }}</div>
                <div class="soft">{{ x.author }}{{ x.note ? ': ' + x.note : '' }}</div>
              </td>
              <td class="day">{{ day(x.at) }}</td>
              <td class="day">{{ x.asOf }}</td>
              <td class="num">{{ whole(x.positions) }}</td>
            </tr>
            <tr v-if="list.data.value && !list.data.value.length">
              <td colspan="4" class="soft">
                Nothing has been handed over yet. What is frozen here never changes again.
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <div v-if="id" class="one sheet">
        <p v-if="one.error.value" class="says">{{ one.error.value.message }}</p>
        <p v-else-if="!s" class="soft" role="status">Being compared…</p>
        <template v-else>
          <h2>
            As said to {{ s.handedTo }}<template v-if="s.scope"> of {{ s.scope }}</template
            >, beside {{ today ? 'today' : 'what is known now of ' + s.against }}
          </h2>
          <p class="soft">
            Frozen on {{ day(s.at) }} by {{ s.author }}, as of {{ s.asOf }}, on {{ whole(s.evidence.devices) }} devices
            in service: {{ whole(s.evidence.fresh) }} fresh, {{ whole(s.evidence.stale) }} stale,
            {{ whole(s.evidence.never) }} never scanned; newest scan {{ day(s.evidence.lastScan) }}. Fingerprint
            <code>{{ s.sha256.slice(0, 16) }}</code>, unchanged.
          </p>
          <div class="row">
            <button class="chip" type="button" :class="{ on: !today }" @click="put({ with: undefined })">
              the same day, by what is known now
            </button>
            <button class="chip" type="button" :class="{ on: today }" @click="put({ with: 'today' })">today</button>
            <a v-if="s.opened" :href="`/api/statements/${id}/units.csv`" data-statement-file>as a file</a>
            <button class="plain" type="button" @click="print">print</button>
            <button
              v-if="s.mark"
              class="plain"
              type="button"
              title="work every figure out again from what was known when it was frozen"
              data-check-statement
              @click="put({ check: 'yes' })"
            >
              check it
            </button>
            <b>{{ s.differ ? count(s.differ, 'position differs', 'positions differ') : 'Nothing differs' }}</b>
          </div>
          <template v-if="route.query.check === 'yes'">
            <p v-if="checked.error.value" class="says" role="alert">{{ checked.error.value.message }}</p>
            <LongWait
              v-else-if="!c"
              what="Every figure is being worked out again from what was known then"
              :watch="checking"
              @stop="put({ check: undefined })"
            />
            <p v-else-if="!c.wrong.length" class="holds" role="status" data-checked>
              <b>It holds.</b> Worked out again from what was known on {{ moment(s.at) }}:
              {{ count(c.recomputed, 'position', 'positions') }} and {{ count(c.units, 'unit', 'units') }} of demand
              come out as they were said.
            </p>
            <div v-else class="says" role="alert" data-checked>
              <b>It does not come out again.</b> Keep a copy of the data file and ask who runs the program.
              <ul>
                <li v-for="w in c.wrong" :key="w">{{ w }}</li>
              </ul>
            </div>
          </template>
          <table class="lines">
            <thead>
              <tr>
                <th>product</th>
                <th>counted by</th>
                <th class="num">owned</th>
                <th class="num">needed</th>
                <th class="num">short</th>
                <th class="num">at list price</th>
              </tr>
            </thead>
            <tbody>
              <template v-for="p in s.compared.slice(0, 300)" :key="p.productId + p.metric">
                <tr :class="{ soft: !p.differs }">
                  <td>
                    <button
                      v-if="s.opened"
                      type="button"
                      class="plain"
                      :aria-expanded="opened === `${p.productId}:${p.metric}`"
                      data-open-said
                      @click="
                        put({
                          open: opened === `${p.productId}:${p.metric}` ? undefined : `${p.productId}:${p.metric}`,
                        })
                      "
                    >
                      {{ p.product }}
                    </button>
                    <template v-else>{{ p.product }}</template>
                    <RouterLink class="now" :to="`/position/${p.productId}?on=${s.against}`">as it is</RouterLink>
                  </td>
                  <td>{{ word(p.metric) }}</td>
                  <td v-for="f in ['owned', 'needed', 'short'] as const" :key="f" class="num">
                    {{ whole(p.said[f]) }}<b v-if="p.said[f] !== p.now[f]"> → {{ whole(p.now[f]) }}</b>
                  </td>
                  <td class="num">
                    {{ Number(p.said.exposure) || Number(p.now.exposure) ? money(p.said.exposure) : ''
                    }}<b v-if="Number(p.said.exposure) !== Number(p.now.exposure)"> → {{ money(p.now.exposure) }}</b>
                    {{ Number(p.said.exposure) || Number(p.now.exposure) ? p.currency : '' }}
                  </td>
                </tr>
                <tr v-if="opened === `${p.productId}:${p.metric}`">
                  <td colspan="6" class="machines">
                    <p v-if="!units.data.value" class="soft" role="status">Being opened…</p>
                    <table v-else class="lines" data-said-units>
                      <tbody>
                        <tr v-for="(u, i) in units.data.value.slice(0, 500)" :key="i">
                          <td>
                            {{ u.name || u.userName || u.user }}
                            <div class="soft">{{ u.unit }}</div>
                          </td>
                          <td class="num">{{ whole(u.count) }}</td>
                          <td>
                            <span :class="{ short: !u.line }">{{
                              u.line ? `covered by ${u.line}: ${u.reason}` : `not covered: ${u.reason}`
                            }}</span>
                            <div class="soft">
                              {{ [u.needs, u.why, u.calc].filter(Boolean).join('; ') }}
                              <template v-if="u.lastSeen">, seen {{ day(u.lastSeen) }}</template>
                            </div>
                          </td>
                          <td class="soft">
                            <div v-for="r in u.records" :key="r">{{ r }}</div>
                          </td>
                        </tr>
                      </tbody>
                    </table>
                    <p v-if="(units.data.value?.length ?? 0) > 500" class="soft">
                      The first 500 of {{ whole(units.data.value!.length) }}; the file has all.
                    </p>
                  </td>
                </tr>
              </template>
            </tbody>
          </table>
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
.list {
  flex: 0 0 27rem;
  overflow: auto;
  padding-top: 0.5rem;
}
.one {
  flex: 1;
  min-width: 0;
  overflow: auto;
}
.make {
  display: grid;
  gap: 0.3rem;
  margin: 0.5rem 0 0.8rem;
  justify-items: start;
}
.make label {
  display: grid;
  grid-template-columns: 4rem 16rem;
  align-items: center;
}
tr.on td {
  background: var(--pick);
}
.day {
  white-space: nowrap;
}
.now {
  margin-left: 0.6rem;
  font-size: 0.85em;
}
.holds {
  border-left: 3px solid var(--here);
  padding-left: 0.6rem;
}
.machines {
  padding-left: 1rem;
  border-left: 3px solid var(--here);
}
@media print {
  .list {
    display: none;
  }
  .one {
    overflow: visible;
  }
}
@media (max-width: 900px) {
  .list {
    flex: none;
  }
}
</style>
