<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, readList } from '../api/client'
import MachineCharges from '../components/MachineCharges.vue'
import RecordTrace from '../components/RecordTrace.vue'
import RemarkList from '../components/RemarkList.vue'
import { useCharges } from '../lib/charges'
import { count, day, moment, money, whole, word } from '../lib/format'
import { useSession } from '../lib/session'
import DeviceFacts from './DeviceFacts.vue'
import EvidenceNav from './EvidenceNav.vue'
import KnownAs from './KnownAs.vue'
import LeaveOut from './LeaveOut.vue'

/**
 * One device: what it is, what is on it and why each counts or not, when it was scanned, and what was found against
 * it.
 */
const props = defineProps<{ code: string }>()
const device = useQuery({
  queryKey: ['device', computed(() => props.code)],
  queryFn: () => ask(api.GET('/api/devices/{code}', { params: { path: { code: props.code } } })),
})
const d = computed(() => device.data.value)
const router = useRouter()
// a device that counts as another one, or another name of it, leads to that
watch(d, (is) => {
  if (is && is.code !== props.code) void router.replace(`/evidence/${encodeURIComponent(is.code)}`)
})
const trust = useQuery({
  queryKey: ['device', computed(() => props.code), 'evidence'],
  queryFn: () => ask(api.GET('/api/devices/{code}/evidence', { params: { path: { code: props.code } } })),
})
const e = computed(() => trust.data.value)
const differing = computed(() => (e.value?.facts ?? []).filter((f) => f.differ))
const changes = useQuery({
  queryKey: ['list', 'changes', 'of', computed(() => props.code)],
  queryFn: () => readList('changes', { f: [`code=${props.code}`], sort: 'at', desc: true }, '', 12),
})
const files = useQuery({
  queryKey: ['device', computed(() => props.code), 'files'],
  queryFn: () =>
    ask(api.GET('/api/devices/{code}/files', { params: { path: { code: props.code }, query: { record: 0 } } })),
})
// what its processors need stands below its software: the way there is said above
const machine = useCharges(() => props.code)
const charged = computed(() => new Set((machine.charges.value?.charges ?? []).map((c) => c.productId)).size)
const showCharges = () => document.querySelector('[data-charges]')?.scrollIntoView({ behavior: 'smooth' })
const showFiles = ref(false)
const mark: Record<string, string> = { never: '◌', fresh: '●', stale: '◑' }
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const says = ref('')
async function scan() {
  try {
    await ask(api.POST('/api/scan-orders', { body: { devices: [props.code] } }))
    await client.invalidateQueries()
  } catch (x) {
    says.value = (x as Error).message
  }
}
const text = ref('')
const gone = ref(false)
const record = ref(0)
const noted = (product: number) =>
  (product ? (d.value?.remarks ?? []) : [])
    .filter((m) => m.product === product)
    .map((m) => m.text)
    .join('\n')
const opened = computed(() => d.value?.software.find((s) => s.record === record.value && !s.until))
// of a machine with very many installs the first are drawn, and more when asked for
const drawn = ref(500)
watch([() => props.code, text], () => (drawn.value = 500))
const software = computed(() =>
  (d.value?.software ?? []).filter(
    (s) =>
      (gone.value || !s.until) &&
      (s.name + ' ' + s.publisher + ' ' + s.title).toLowerCase().includes(text.value.toLowerCase()),
  ),
)
</script>

<template>
  <div class="page">
    <EvidenceNav />
    <p v-if="device.error.value" class="says">
      {{ device.error.value.message }} <RouterLink to="/evidence">Back to the devices</RouterLink>
    </p>
    <template v-if="d">
      <div class="row head">
        <h1>{{ d.name }}</h1>
        <span v-if="d.age === 'never'" class="drop">◌ never scanned: nothing is known of its software</span>
        <span v-else-if="d.age === 'stale'" class="drop"
          >◑ stale: last scanned on {{ day(d.lastSeen) }}, more than {{ d.freshFor }} days ago</span
        >
        <span v-else>● scanned on {{ moment(d.lastSeen) }} UTC</span>
        <span class="grow" />
        <RouterLink :to="{ path: '/evidence/compare', query: { left: code } }">Set beside another</RouterLink>
        <span v-if="e?.order" class="soft">a scan is {{ e.order }}</span>
        <button v-else-if="mayWork && e" class="plain" type="button" data-ask-scan @click="scan">Ask for a scan</button>
        <span class="soft"
          >software as <a :href="`/api/devices/${encodeURIComponent(code)}/software.cyclonedx`" download>CycloneDX</a>,
          <a :href="`/api/devices/${encodeURIComponent(code)}/software.spdx`" download>SPDX</a>,
          <a :href="`/api/devices/${encodeURIComponent(code)}/software.swid`" download>SWID</a></span
        >
      </div>
      <p v-if="says" class="says" role="alert">{{ says }}</p>
      <div v-if="e" class="row ages" data-ages>
        <span
          v-for="a in e.ages"
          :key="a.kind"
          :class="{ drop: a.age !== 'fresh' }"
          :title="`stale after ${a.limit} days`"
          >{{ mark[a.age] }} {{ a.kind }}
          <span :class="{ soft: a.age === 'fresh' }">{{ a.at ? day(a.at) : 'never' }}</span></span
        >
        <span v-if="e.sameName.length" class="drop" data-same
          >another device has this name:
          <template v-for="(c, i) in e.sameName" :key="c"
            ><template v-if="i">, </template
            ><RouterLink :to="`/evidence/${encodeURIComponent(c)}`">{{ c }}</RouterLink></template
          ></span
        >
        <span v-if="e.groups.length" class="soft">in {{ e.groups.join(', ') }}</span>
        <button v-if="charged" class="plain" type="button" data-to-charges @click="showCharges">
          {{ count(charged, 'title') }} by its processors
        </button>
      </div>
      <div class="parts">
        <section class="main">
          <div class="row tools">
            <h2>Software</h2>
            <InputText
              v-model="text"
              size="small"
              type="search"
              placeholder="Find on this device"
              aria-label="Find on this device"
            />
            <label class="row soft"><ToggleSwitch v-model="gone" /> also what is gone</label>
            <span class="soft">{{ count(software.length, 'install') }}</span>
          </div>
          <table class="lines">
            <thead>
              <tr>
                <th>raw name</th>
                <th>version</th>
                <th>recognised as</th>
                <th>counts?</th>
                <th class="use">use</th>
                <th class="num">since</th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="s in software.slice(0, drawn)"
                :key="`${s.record}-${s.since}-${s.source}-${s.path}`"
                :class="{ gone: s.until, here: s.record === record }"
              >
                <td>
                  <button class="plain" type="button" @click="record = s.record">{{ s.name }}</button>
                  <span v-if="noted(s.productId)" :title="noted(s.productId)"> ✎</span>
                  <div class="soft small">
                    <template v-if="s.publisher">{{ s.publisher }}, </template>from {{ s.source
                    }}<template v-if="s.licenceKey">, key …{{ s.licenceKey }}</template>
                  </div>
                </td>
                <td>{{ s.version }}</td>
                <td>
                  <RouterLink v-if="s.productId" :to="`/titles/${s.productId}`">{{ s.title }}</RouterLink>
                  <RouterLink
                    v-else-if="s.whyNot === 'not recognised'"
                    :to="`/titles/names?key=${encodeURIComponent(s.key)}`"
                    class="drop"
                    >not recognised</RouterLink
                  >
                </td>
                <td>
                  <RouterLink v-if="!s.whyNot && s.productId && !s.until" :to="`/position?trail=p${s.productId}`"
                    >counts</RouterLink
                  ><span v-else class="soft">{{ s.until ? s.ended || 'gone' : s.whyNot }}</span>
                </td>
                <td :class="{ drop: s.use === 'unused' || s.use === 'never used', soft: s.use === 'not measured' }">
                  {{ s.until ? '' : s.use }}
                </td>
                <td class="num">
                  {{ day(s.since) }}<template v-if="s.until"> to {{ day(s.until) }}</template>
                </td>
              </tr>
            </tbody>
          </table>
          <p v-if="software.length > drawn" class="soft">
            {{ whole(software.length - drawn) }} more:
            <button class="plain" type="button" @click="drawn += 1000">show a thousand of them</button>, or find one
            above.
          </p>
          <p v-if="d.age === 'never' && !text && software.every((s) => s.system)" class="drop">
            That no {{ software.length ? 'other ' : '' }}software stands here means that nobody has looked, not that the
            device is clean. Once a scan of it comes in, its software stands here.
          </p>
          <p v-else-if="!software.length" class="soft">
            {{ text ? 'No install here has this in its name.' : 'The scan found no software.' }}
          </p>
          <KnownAs :code="d.code" />
          <MachineCharges :charges="machine.charges.value" :error="machine.error.value" />
        </section>
        <aside>
          <div v-if="record" class="sheet">
            <div class="row">
              <h2>Record {{ record }}</h2>
              <span class="grow" /><button class="plain" type="button" @click="record = 0">close</button>
            </div>
            <LeaveOut
              v-if="mayWork && opened?.productId && !opened.until"
              :device="d.code"
              :product="opened.productId"
              :title="opened.title"
              :why-not="opened.whyNot"
              :exclusion="opened.exclusion"
              :suites="opened.suites"
            />
            <RemarkList
              v-if="opened?.productId"
              :remarks="d.remarks.filter((m) => m.product === opened?.productId)"
              :product="opened.productId"
              :device="d.code"
              about="a note on this install"
            />
            <RecordTrace :id="record" :device="d.id" />
          </div>
          <DeviceFacts :key="d.code" :device="d" />
          <section v-if="e && (differing.length || e.differ.length)" class="sheet" data-differ>
            <h2>Sources disagree</h2>
            <table class="lines facts">
              <tbody>
                <tr v-for="f in differing" :key="f.fact">
                  <th scope="row">{{ word(f.fact) }}</th>
                  <td>
                    <div v-for="x in f.said" :key="x.source">
                      <b v-if="x.value === f.holds">{{ x.value }}</b><template v-else>{{ x.value }}</template>
                      <span class="soft from">{{ x.source }}, {{ day(x.at) }}</span>
                    </div>
                  </td>
                </tr>
                <tr v-for="s in e.differ" :key="s.name">
                  <th scope="row">{{ s.name }}</th>
                  <td>
                    <div v-for="(at, source) in e.sources" :key="source">
                      {{ s.versions[source] ?? 'does not see it' }}
                      <span class="soft from">{{ source }}, {{ day(at) }}</span>
                    </div>
                  </td>
                </tr>
              </tbody>
            </table>
            <p class="soft">The newest report of each fact holds; an install that any source sees counts once.</p>
          </section>
          <section class="sheet">
            <div class="row">
              <h2>Changed lately</h2>
              <span class="grow" />
              <RouterLink :to="`/evidence/changes?f=code%3D${encodeURIComponent(code)}`">all</RouterLink>
            </div>
            <p v-if="changes.data.value && !changes.data.value.rows.length" class="soft">Nothing between two scans.</p>
            <table v-else class="lines">
              <tbody>
                <tr v-for="c in changes.data.value?.rows.slice(0, 8)" :key="c.id">
                  <td class="num">{{ day(c.at) }}</td>
                  <td>
                    {{ c.kind }} {{ c.name }} <span class="soft">{{ [c.was, c.now].filter(Boolean).join(' → ') }}</span>
                  </td>
                </tr>
              </tbody>
            </table>
          </section>
          <section class="sheet">
            <h2>Found against it</h2>
            <p v-if="!d.findings.length" class="soft">Nothing.</p>
            <table v-else class="lines">
              <tbody>
                <tr v-for="f in d.findings" :key="f.id">
                  <td>
                    <RouterLink :to="`/worklist?case=${f.id}`">{{ f.product }}</RouterLink>
                  </td>
                  <td>{{ f.kind }}</td>
                  <td>{{ f.state }}</td>
                  <td class="num">{{ Number(f.amount) ? money(f.amount) + ' ' + f.currency : '' }}</td>
                </tr>
              </tbody>
            </table>
          </section>
          <section class="sheet">
            <h2>{{ count(d.scans.length, 'scan') }}</h2>
            <p v-if="!d.scans.length" class="drop">It was never scanned.</p>
            <table v-else class="lines">
              <tbody>
                <tr v-for="s in d.scans.slice(0, 8)" :key="s.source + s.at">
                  <td>{{ moment(s.at) }}</td>
                  <td class="soft">{{ s.source }}</td>
                </tr>
              </tbody>
            </table>
            <p v-if="d.scans.length > 8" class="soft">and {{ whole(d.scans.length - 8) }} before</p>
            <template v-if="e?.missing.length">
              <p class="drop">What the collector could not see:</p>
              <p v-for="m in e.missing" :key="m.source + m.part" class="soft">{{ m.part }}: {{ m.reason }}</p>
            </template>
          </section>
          <section v-if="files.data.value?.length" class="sheet">
            <button class="plain" type="button" @click="showFiles = !showFiles">
              {{ count(files.data.value.length, 'file') }} reported
            </button>
            <table v-if="showFiles" class="lines">
              <tbody>
                <tr v-for="x in files.data.value.slice(0, 200)" :key="x.folder + x.name + x.since">
                  <td :class="{ soft: x.until }">
                    {{ x.name }}
                    <div class="soft small">{{ x.folder }}</div>
                  </td>
                  <td class="num">{{ x.version }}</td>
                </tr>
              </tbody>
            </table>
          </section>
        </aside>
      </div>
    </template>
  </div>
</template>

<style scoped>
.parts {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 21rem;
  gap: 1.4rem;
  align-items: start;
}
.ages {
  gap: 1.2rem;
  padding-bottom: 0.6rem;
}
.from {
  margin-left: 0.4rem;
  white-space: nowrap;
}
.tools {
  padding-bottom: 0.3rem;
}
aside {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.8rem;
}
aside td {
  overflow-wrap: anywhere;
}
.small {
  font-size: 0.88rem;
}
.gone td {
  color: var(--soft);
}
tr.here td {
  background: var(--pick);
}
.use {
  width: 7.5rem;
}
.facts th {
  font-weight: 400;
  width: 6.5rem;
  border-bottom: 1px solid var(--line);
}
@media (max-width: 900px) {
  .parts {
    grid-template-columns: 1fr;
  }
}
</style>
