<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import BalanceBar from '../components/BalanceBar.vue'
import StationsBand from '../components/StationsBand.vue'
import { count, day, money, whole, word } from '../lib/format'
import { kinds } from '../worklist/cases'

/**
 * The first page answers in this order: what can be trusted, what is new, what waits for a decision, where money and
 * risk are.
 */
const overview = useQuery({ queryKey: ['overview'], queryFn: () => ask(api.GET('/api/overview')) })
const c = computed(() => overview.data.value)
const life = useQuery({
  queryKey: ['life-cycle', ''],
  queryFn: () => ask(api.GET('/api/life-cycle', { params: { query: { on: '', months: 18 } } })),
})
const counts = useQuery({ queryKey: ['case-counts'], queryFn: () => ask(api.GET('/api/cases/counts')) })
const waits = computed(() =>
  Object.keys(kinds)
    .map((kind) => {
      const of = (counts.data.value ?? []).filter((x) => x.kind === kind)
      const sum = (...states: string[]) => of.filter((x) => states.includes(x.state)).reduce((n, x) => n + x.count, 0)
      return {
        kind,
        waits: sum('open', 'answered', 'silent', 'failed'),
        way: sum('asked', 'agreed', 'approved', 'waiting', 'sent'),
        gone: sum('gone'),
        back: of.reduce((n, x) => n + x.back, 0),
      }
    })
    .filter((k) => k.waits + k.way + k.gone > 0),
)
const ended = computed(() => life.data.value?.phases.find((p) => p.phase === 'ended'))
const share = computed(() => (c.value?.inService ? (100 * c.value.fresh) / c.value.inService : 0))
const bring = [
  {
    name: 'Evidence',
    text: 'devices.csv, users.csv and installs.csv: what machines there are, who uses them, and what was found on them',
  },
  { name: 'Titles', text: 'titles.csv: what the names mean, what it costs, and which parts belong to which suite' },
  { name: 'Entitlements', text: 'entitlements.csv: what was bought, by which metric, with which rights' },
  {
    name: 'Use',
    text: 'usage.csv or process_events.csv: when programs ran; pools.csv and pool_events.csv of licence servers',
  },
  { name: 'Position', text: 'comes by itself from the four before' },
  { name: 'Worklist', text: 'comes by itself: what is restricted, missing, short or idle' },
]
</script>

<template>
  <div class="page">
    <template v-if="c">
      <StationsBand :overview="c" tall class="band" />
      <section v-if="!c.devices && !c.entitlements" class="sheet first">
        <h2>Nothing is here yet</h2>
        <p>
          Bring the files of each station. A folder of them goes in at once on the command line:
          <code>ensomet import FOLDER</code>
        </p>
        <table class="lines">
          <tbody>
            <tr v-for="b in bring" :key="b.name">
              <th scope="row">{{ b.name }}</th>
              <td>{{ b.text }}</td>
            </tr>
          </tbody>
        </table>
        <p>
          <RouterLink to="/evidence/files">Take in files here</RouterLink>, or begin the catalogue with
          <RouterLink to="/titles/newer">the starter catalogue</RouterLink>, which is made from open data.
        </p>
      </section>
      <div v-else class="four">
        <section>
          <h2>Can it be trusted?</h2>
          <p>
            <b>{{ share.toFixed(1) }} %</b> of {{ count(c.inService, 'device') }} in service were scanned in the last
            {{ c.freshFor }} days.
            <template v-if="c.stale"
              ><RouterLink to="/evidence?f=age%3Dstale&f=status%3Din_service" class="drop"
                >{{ whole(c.stale) }} are stale</RouterLink
              >,
            </template>
            <RouterLink v-if="c.never" to="/evidence?f=age%3Dnever&f=status%3Din_service" class="drop"
              >{{ whole(c.never) }} were never scanned</RouterLink
            >.
          </p>
          <table class="lines">
            <thead>
              <tr>
                <th>silent longest</th>
                <th>unit</th>
                <th>last scan</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="d in c.silent" :key="d.id">
                <td>
                  <RouterLink :to="`/evidence/${d.code}`">{{ d.name }}</RouterLink>
                </td>
                <td>{{ d.unit }}</td>
                <td>{{ day(d.lastSeen) || 'never' }}</td>
              </tr>
            </tbody>
          </table>
        </section>
        <section>
          <h2>What is new?</h2>
          <p>
            <RouterLink to="/titles/names" class="drop">{{ count(c.names, 'name') }}</RouterLink> on
            {{ count(c.unrecognised, 'install') }} {{ c.names === 1 ? 'is' : 'are' }} not recognised yet.
          </p>
          <table class="lines">
            <thead>
              <tr>
                <th>name</th>
                <th>publisher</th>
                <th class="num">installs</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="n in c.topNames" :key="n.key">
                <td>
                  <RouterLink :to="`/titles/names?key=${encodeURIComponent(n.key)}`">{{ n.name }}</RouterLink>
                </td>
                <td>{{ n.publisher }}</td>
                <td class="num">{{ whole(n.installs) }}</td>
              </tr>
            </tbody>
          </table>
          <p class="soft">
            Last taken in:
            <template v-for="(i, k) in c.imports.slice(0, 3)" :key="i.id"
              ><template v-if="k">, </template>{{ i.kind }} ({{ count(i.lines, 'line') }}, {{ day(i.at) }},
              {{ i.author }})</template
            >
          </p>
        </section>
        <section>
          <h2>What waits for a decision?</h2>
          <p>
            <RouterLink to="/worklist?f=state%3Dopen%7Canswered%7Csilent%7Cfailed" class="drop">{{
              count(c.openCases, 'case')
            }}</RouterLink>
            {{ c.openCases === 1 ? 'waits' : 'wait' }}; <RouterLink to="/worklist/together">together</RouterLink> it is
            fewer decisions.
          </p>
          <table class="lines" data-waits>
            <thead>
              <tr>
                <th>why</th>
                <th class="num">wait</th>
                <th class="num">under way</th>
                <th class="num">done by evidence</th>
                <th class="num">came back</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="k in waits" :key="k.kind">
                <td>
                  <RouterLink :to="`/worklist?f=kind%3D${k.kind}`">{{ kinds[k.kind] }}</RouterLink>
                </td>
                <td class="num">
                  <RouterLink
                    v-if="k.waits"
                    :to="`/worklist?f=kind%3D${k.kind}&f=state%3Dopen%7Canswered%7Csilent%7Cfailed`"
                    >{{ whole(k.waits) }}</RouterLink><template v-else>0</template>
                </td>
                <td class="num">{{ whole(k.way) }}</td>
                <td class="num">{{ whole(k.gone) }}</td>
                <td class="num">{{ whole(k.back) }}</td>
              </tr>
            </tbody>
          </table>
        </section>
        <section>
          <h2>Where are money and risk?</h2>
          <p>
            <template v-for="(m, k) in c.money" :key="m.currency"
              ><template v-if="k">; without a rate: </template
              ><span class="short">{{ money(m.exposure) }} {{ m.currency }} short</span
              ><template v-if="Number(m.spare)"
                >, <span class="spare">{{ money(m.spare) }} {{ m.currency }} spare</span></template
              ></template
            >
          </p>
          <p v-if="ended?.releases">
            <RouterLink to="/titles/life?f=devices%3D%3E0&f=phase%3Dended" class="drop">{{
              count(ended.releases, 'release')
            }}</RouterLink>
            in use {{ ended.releases === 1 ? 'has' : 'have' }} lost all support.
          </p>
          <table class="lines">
            <thead>
              <tr>
                <th>product</th>
                <th>by</th>
                <th class="bar">owned over needed</th>
                <th class="num">short</th>
                <th class="num">at list price</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="p in c.shortest" :key="p.id">
                <td>
                  <RouterLink :to="`/position?trail=p${p.productId}`">{{ p.product }}</RouterLink>
                </td>
                <td>{{ word(p.metric) }}</td>
                <td>
                  <BalanceBar :owned="p.owned" :needed="p.needed" :covered="p.covered" :low="p.low" :high="p.high" />
                </td>
                <td class="num short">{{ whole(p.short) }} short</td>
                <td class="num">{{ money(p.exposure) }} {{ p.currency }}</td>
              </tr>
            </tbody>
          </table>
        </section>
      </div>
    </template>
    <p v-else-if="overview.error.value" class="says">{{ overview.error.value.message }}</p>
    <p v-else class="soft">Reading…</p>
  </div>
</template>

<style scoped>
.band {
  margin: 0 -1.4rem 0.8rem;
}
.four {
  display: grid;
  grid-template-columns: 1fr 1.15fr;
  gap: 1rem 2.4rem;
}
.four section {
  min-width: 0;
}
.four p {
  margin: 0.3rem 0 0.4rem;
}
.bar {
  width: 26%;
}
.first code {
  background: var(--paper);
  padding: 0.1em 0.4em;
}
@media (max-width: 900px) {
  .four {
    grid-template-columns: 1fr;
  }
}
</style>
