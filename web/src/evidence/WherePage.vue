<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import RecordTrace from '../components/RecordTrace.vue'
import { count, day, whole } from '../lib/format'
import EvidenceNav from './EvidenceNav.vue'

/**
 * The way down from publishers to products, versions, devices, the record and its files, and back to the same row.
 * Every step stands in the address bar.
 */
const route = useRoute()
const router = useRouter()
const q = (name: string) => String(route.query[name] ?? '')
const publisher = computed(() => q('publisher'))
const product = computed(() => Number(q('product') || 0))
const down = computed(() => route.query.version !== undefined)
const version = computed(() => q('version'))
const device = computed(() => q('device'))
const record = computed(() => Number(q('record') || 0))
const came = computed(() => q('from'))
const text = ref('')

const level = useQuery({
  queryKey: ['drill', publisher, product, version, down],
  queryFn: () =>
    ask(
      api.GET('/api/drill', {
        params: {
          query: { publisher: publisher.value, product: product.value, version: version.value, down: down.value },
        },
      }),
    ),
  placeholderData: keepPreviousData,
})
const l = computed(() => level.data.value)
const has = (s: string) => s.toLowerCase().includes(text.value.toLowerCase())
const rows = computed(() => (l.value?.levels ?? []).filter((r) => has(r.label)))
const holders = computed(() => (l.value?.holders ?? []).filter((h) => has(`${h.device} ${h.unit} ${h.name}`)))
const files = useQuery({
  queryKey: ['record-files', device, record],
  queryFn: () =>
    ask(
      api.GET('/api/devices/{code}/files', {
        params: { path: { code: device.value }, query: { record: record.value } },
      }),
    ),
  enabled: computed(() => !!device.value && record.value > 0),
})
const holder = computed(() => l.value?.holders.find((h) => h.code === device.value && h.record === record.value))
const deviceNumber = useQuery({
  queryKey: ['device', device],
  queryFn: () => ask(api.GET('/api/devices/{code}', { params: { path: { code: device.value } } })),
  enabled: computed(() => !!device.value),
})

const steps = computed(() => {
  const out: { text: string; query: Record<string, string> }[] = [
    { text: 'All publishers', query: { from: l.value?.publisher || publisher.value } },
  ]
  const p = publisher.value || l.value?.publisher || ''
  if (p) out.push({ text: p, query: { publisher: p, from: String(product.value || '') } })
  if (product.value)
    out.push({
      text: l.value?.product ?? '…',
      query: { publisher: p, product: String(product.value), from: version.value },
    })
  if (down.value)
    out.push({
      text: version.value || 'version not known',
      query: { publisher: p, product: String(product.value), version: version.value },
    })
  return out
})
function into(r: Schemas['Level']) {
  text.value = ''
  const p = publisher.value || l.value?.publisher || ''
  if (product.value) void router.push({ query: { publisher: p, product: String(product.value), version: r.key } })
  else if (publisher.value) void router.push({ query: { publisher: p, product: r.key } })
  else void router.push({ query: { publisher: r.key } })
}
function show(h: Schemas['HolderRow']) {
  void router.replace({ query: { ...route.query, device: h.code, record: String(h.record) } })
}
const devicesWith = (r: Schemas['Level']) => {
  const f = product.value
    ? `hasVersion=${product.value}:${r.key}`
    : publisher.value
      ? `hasProduct=${r.key}`
      : `hasPublisher=${r.key}`
  return `/evidence?${new URLSearchParams({ f })}`
}
// back at a level, the row that one came from is in view
watch([rows, came], async () => {
  await nextTick()
  document.querySelector('tr.came')?.scrollIntoView({ block: 'center' })
})
const what = computed(() => (product.value ? 'version' : publisher.value ? 'title' : 'publisher'))
</script>

<template>
  <div class="page fill">
    <EvidenceNav />
    <div class="row head">
      <h1>What is where</h1>
      <nav class="row steps" aria-label="the way down">
        <template v-for="(s, i) in steps" :key="i">
          <span v-if="i" class="soft" aria-hidden="true">›</span>
          <b v-if="i === steps.length - 1" aria-current="step">{{ s.text }}</b>
          <RouterLink v-else :to="{ query: s.query }">{{ s.text }}</RouterLink>
        </template>
      </nav>
      <span class="grow" />
      <InputText v-model="text" size="small" type="search" placeholder="Find here" aria-label="Find here" />
    </div>
    <p v-if="level.error.value" class="says" role="alert">{{ level.error.value.message }}</p>
    <div class="parts">
      <div class="frame">
        <table v-if="!down" class="lines" data-levels>
          <thead>
            <tr>
              <th>{{ what }}</th>
              <th></th>
              <th class="num">{{ what === 'publisher' ? 'devices, title by title' : 'devices' }}</th>
              <th class="num">of them stale</th>
              <th class="num">installs</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="r in rows"
              :key="r.key"
              tabindex="0"
              :class="{ came: r.key === came }"
              class="go"
              @click="into(r)"
              @keydown.enter="into(r)"
            >
              <td>
                <button class="plain" type="button" @click.stop="into(r)">{{ r.label }}</button>
              </td>
              <td class="soft">{{ r.detail }}</td>
              <td class="num">
                <RouterLink :to="devicesWith(r)" @click.stop>{{ whole(r.devices) }}</RouterLink>
              </td>
              <td class="num" :class="{ drop: r.stale }">{{ r.stale ? whole(r.stale) : '' }}</td>
              <td class="num">{{ whole(r.installs) }}</td>
            </tr>
          </tbody>
        </table>
        <table v-else class="lines" data-holders>
          <thead>
            <tr>
              <th>device</th>
              <th>unit</th>
              <th>as the source wrote it</th>
              <th>version</th>
              <th>source</th>
              <th class="num">since</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="h in holders"
              :key="`${h.code}-${h.record}-${h.source}`"
              tabindex="0"
              class="go"
              :class="{ here: h.code === device && h.record === record }"
              @click="show(h)"
              @keydown.enter="show(h)"
            >
              <td>
                <RouterLink :to="`/evidence/${encodeURIComponent(h.code)}`" @click.stop>{{ h.device }}</RouterLink>
                <span v-if="h.age !== 'fresh'" class="drop"> ◑ {{ h.age }}</span>
              </td>
              <td class="soft">{{ h.unit }}</td>
              <td>{{ h.name }}</td>
              <td>{{ h.raw }}</td>
              <td class="soft">{{ h.source }}</td>
              <td class="num">{{ day(h.since) }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="l && !rows.length && !holders.length" class="soft">
          {{ text ? 'Nothing here has this in its name.' : 'Nothing is installed here yet.' }}
        </p>
      </div>
      <aside v-if="record && holder" class="sheet" data-record>
        <div class="row">
          <h2>{{ holder.name }} on {{ holder.device }}</h2>
          <span class="grow" />
          <RouterLink :to="{ query: { ...route.query, device: undefined, record: undefined } }" replace
            >close</RouterLink
          >
        </div>
        <RecordTrace v-if="deviceNumber.data.value" :id="record" :device="deviceNumber.data.value.id" />
        <h3>{{ count(files.data.value?.length ?? 0, 'file') }} of it</h3>
        <p v-if="files.data.value && !files.data.value.length" class="soft">
          The source reported no files for this record.
        </p>
        <table v-else class="lines">
          <tbody>
            <tr v-for="x in files.data.value" :key="x.folder + x.name">
              <td>
                {{ x.name }}
                <div class="soft">{{ x.folder }}</div>
              </td>
              <td class="num">{{ x.version }}</td>
            </tr>
          </tbody>
        </table>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.steps {
  gap: 0.45rem;
}
.parts {
  flex: 1;
  min-height: 0;
  display: flex;
  gap: 1.2rem;
}
.frame {
  flex: 1;
  min-width: 0;
  overflow: auto;
}
aside {
  width: 23rem;
  overflow: auto;
}
.go {
  cursor: pointer;
}
.go:hover td {
  background: var(--pick);
}
tr.came td,
tr.here td {
  background: var(--pick);
}
thead th {
  position: sticky;
  top: 0;
  background: var(--paper);
}
</style>
