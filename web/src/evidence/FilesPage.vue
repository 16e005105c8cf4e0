<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, ask, lookAtFile, sendFile, type FileLook, type Mapping, type Schemas } from '../api/client'
import DevicePick from '../components/DevicePick.vue'
import { count, moment, whole } from '../lib/format'
import { useSession } from '../lib/session'
import AsideLines from './AsideLines.vue'
import ColumnMap from './ColumnMap.vue'
import EvidenceNav from './EvidenceNav.vue'

/** Files: look first at what one would do, then take it in; and what was taken in before. */
const client = useQueryClient()
const { may } = useSession()
const mayRun = may('run')
const known = useQuery({
  queryKey: ['import-kinds'],
  queryFn: () => ask(api.GET('/api/import-kinds')),
  staleTime: Infinity,
})
const kinds = computed(() => known.data.value ?? [])

interface Waiting {
  file: File
  kind: string
  state: 'looking' | 'map' | 'device' | 'seen' | 'taking' | 'taken' | 'refused'
  look?: FileLook
  mapping?: Mapping
  device?: string
  result?: Schemas['ImportResult']
  says?: string
  stop?: AbortController
}
const files = ref<Waiting[]>([])
const over = ref(false)

function guess(name: string): string {
  const bare = name.toLowerCase().replace(/\.(csv|xlsx|tsv|txt)$/, '')
  return kinds.value.find((k) => bare === k) ?? kinds.value.find((k) => bare.includes(k)) ?? ''
}
/** Tables build on one another: titles come before the rights to them. */
const inOrder = (a: Waiting, b: Waiting) => kinds.value.indexOf(a.kind) - kinds.value.indexOf(b.kind)
async function add(list: FileList | null) {
  const dropped = [...(list ?? [])]
  await known.suspense() // their order is known only then
  const fresh = dropped.map((file): Waiting => ({ file, kind: guess(file.name), state: 'looking' }))
  fresh.sort(inOrder)
  files.value = [...fresh, ...files.value.filter((f) => f.state !== 'taken')]
  for (const f of files.value.filter((x) => x.state === 'looking')) await inspect(f)
}
/** Tells what a file is, and looks at what it would do once that is clear. */
async function inspect(f: Waiting) {
  f.state = 'looking'
  f.says = undefined
  f.result = undefined
  try {
    f.look = await lookAtFile(f.file, f.kind)
  } catch (e) {
    f.state = 'refused'
    f.says = (e as Error).message
    return
  }
  f.kind = f.look.kind
  f.mapping = undefined
  if (f.look.needs && !f.look.saved) {
    f.state = 'map'
    return
  }
  if (f.look.mapping) f.mapping = f.look.mapping
  await send(f, true)
}
async function send(f: Waiting, dry: boolean) {
  f.state = dry ? 'looking' : 'taking'
  f.says = undefined
  f.stop = new AbortController()
  try {
    f.result = await sendFile(f.file, { kind: f.kind, dry, device: f.device, mapping: f.mapping }, f.stop.signal)
    f.state = dry ? 'seen' : 'taken'
  } catch (e) {
    const text = (e as Error).message
    f.says = f.stop.signal.aborted ? stopped(f, dry) : text
    f.state = f.look?.device && text.includes('choose the device') ? 'device' : 'refused'
  }
  if (!dry) await client.invalidateQueries()
}
// Software is taken in device by device; of every other file all is stored, or nothing.
function stopped(f: Waiting, dry: boolean) {
  if (dry || (f.kind && f.kind !== 'installs')) return 'Stopped; nothing of it was stored.'
  return 'Stopped. If some devices were taken in by then, the list below says how many: take it in again for the others.'
}
function mapped(f: Waiting, m: Mapping) {
  f.mapping = m
  void send(f, true)
}
const takeable = computed(() => files.value.filter((f) => f.state === 'seen').sort(inOrder))
async function takeAll() {
  for (const f of takeable.value) await send(f, false)
}
const broken = useQuery({ queryKey: ['broken'], queryFn: () => ask(api.GET('/api/imports/broken')) })
const forget = useMutation({
  mutationFn: (id: number) => ask(api.POST('/api/imports/broken/{id}/forget', { params: { path: { id } } })),
  onSettled: () => client.invalidateQueries({ queryKey: ['broken'] }),
})
const imports = useQuery({ queryKey: ['imports'], queryFn: () => ask(api.GET('/api/imports')) })
</script>

<template>
  <div class="page files">
    <EvidenceNav />
    <div class="row">
      <h1>Files taken in</h1>
      <RouterLink to="/evidence/places" data-to-places>watched places</RouterLink>
      <span class="grow" />
      <Button
        v-if="takeable.length"
        :label="`Take in ${count(takeable.length, 'file')}`"
        size="small"
        data-take
        @click="takeAll"
      />
    </div>
    <p v-for="b in broken.data.value" :key="b.id" class="row" role="status" data-broken>
      <span
        ><b>{{ b.file }}</b
        >, which {{ b.author }} sent on {{ moment(b.beganAt) }}, was broken off when Ensomet ended. What stands of it in
        the list below is stored, and nothing else: send it again.</span
      >
      <Button
        v-if="mayRun"
        label="I know"
        size="small"
        severity="secondary"
        :loading="forget.isPending.value"
        @click="forget.mutate(b.id)"
      />
    </p>
    <label
      v-if="mayRun"
      class="drop-here"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="((over = false), add($event.dataTransfer?.files ?? null))"
    >
      Drop files here, or <u>choose them</u>: CSV and XLSX tables under any headers, SWID tags (one, or many in a zip),
      CycloneDX, SPDX, scans, and LDIF directories. Nothing is stored before you have seen what they would do.
      <input type="file" multiple class="visually-hidden" @change="add(($event.target as HTMLInputElement).files)" />
    </label>
    <p v-else class="soft">Files are taken in by the role “run”; you can see what came in and what was put aside.</p>
    <table v-if="files.length" class="lines seen">
      <thead>
        <tr>
          <th>file</th>
          <th>kind</th>
          <th class="num">lines</th>
          <th class="num">new</th>
          <th class="num">changed</th>
          <th class="num">as before</th>
          <th class="num">gone</th>
          <th class="num">put aside</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <template v-for="f in files" :key="f.file.name">
          <tr :data-file="f.file.name" :data-state="f.state">
            <td>{{ f.file.name }}</td>
            <td>
              <span v-if="f.kind === 'scan' || f.kind === 'directory'">{{ f.look?.form ?? f.kind }}</span>
              <Select
                v-else
                v-model="f.kind"
                :options="kinds"
                size="small"
                aria-label="kind of file"
                :disabled="f.state === 'taken' || f.state === 'taking'"
                @change="inspect(f)"
              />
            </td>
            <template v-if="f.result">
              <td class="num">{{ whole(f.result.lines) }}</td>
              <td class="num">{{ whole(f.result.added) }}</td>
              <td class="num">{{ whole(f.result.changed) }}</td>
              <td class="num">{{ whole(f.result.same) }}</td>
              <td class="num">{{ whole(f.result.gone) }}</td>
              <td class="num" :class="{ drop: f.result.aside.length }">{{ whole(f.result.aside.length) }}</td>
            </template>
            <td v-else colspan="6" class="soft">
              {{
                f.state === 'refused'
                  ? ''
                  : f.state === 'map'
                    ? 'its columns are not called as ours: see below what they mean'
                    : f.state === 'device'
                      ? 'it does not say whose software it is'
                      : 'being read…'
              }}
            </td>
            <td class="row">
              <span v-if="f.state === 'taken'" class="spare">taken in</span>
              <span v-else-if="f.state === 'seen'" class="soft">not stored yet</span>
              <button
                v-if="f.mapping && f.state === 'seen'"
                class="plain"
                type="button"
                data-remap
                @click="f.state = 'map'"
              >
                columns
              </button>
              <button
                v-if="f.state === 'looking' || f.state === 'taking'"
                class="plain"
                type="button"
                @click="f.stop?.abort()"
              >
                stop
              </button>
            </td>
          </tr>
          <tr v-if="f.says && f.state !== 'device'">
            <td colspan="9" class="says" role="alert">{{ f.says }}</td>
          </tr>
          <tr v-if="f.state === 'device'">
            <td colspan="9">
              <div class="row">
                <span>It is the software of</span>
                <DevicePick
                  :model-value="f.device ?? ''"
                  label="the device"
                  @update:model-value="(c) => ((f.device = c), send(f, true))"
                />
              </div>
            </td>
          </tr>
          <tr v-if="f.state === 'map' && f.look">
            <td colspan="9"><ColumnMap :look="f.look" :saved="f.mapping" @mapped="(m) => mapped(f, m)" /></td>
          </tr>
          <tr v-if="f.result?.aside.length">
            <td colspan="9" class="drop">
              <div v-for="a in f.result.aside.slice(0, 5)" :key="a.line">line {{ a.line }}: {{ a.reason }}</div>
              <div v-if="f.result.aside.length > 5">and {{ f.result.aside.length - 5 }} more</div>
            </td>
          </tr>
          <tr v-if="f.state === 'seen' && f.result?.samples.length">
            <td colspan="9">
              <details>
                <summary class="soft">what would come, change and go, for example</summary>
                <div v-for="(x, k) in f.result.samples" :key="k" class="sample">
                  <b>{{ x.what }}</b> {{ x.text }}
                </div>
              </details>
            </td>
          </tr>
          <tr v-if="f.result?.columns.length">
            <td colspan="9" class="soft">kept as custom fields: {{ f.result.columns.join(', ') }}</td>
          </tr>
        </template>
      </tbody>
    </table>
    <AsideLines />
    <h2>Taken in before</h2>
    <div class="scrolls">
      <table class="lines">
        <thead>
          <tr>
            <th>when</th>
            <th>file</th>
            <th>kind</th>
            <th>by</th>
            <th class="num">lines</th>
            <th class="num">new</th>
            <th class="num">changed</th>
            <th class="num">gone</th>
            <th class="num">put aside</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="i in imports.data.value" :key="i.id">
            <td>{{ moment(i.at) }}</td>
            <td>{{ i.file }}</td>
            <td>{{ i.kind }}</td>
            <td>{{ i.author }}</td>
            <td class="num">
              {{ whole(i.lines) }}
              <div
                v-if="i.state !== 'done'"
                :class="i.state === 'stopped' ? 'warn' : 'soft'"
                :data-import-state="i.state"
              >
                {{ i.state === 'stopped' ? 'stopped after' : 'at' }} {{ whole(i.devicesTaken) }} of
                {{ count(i.devices, 'device') }}
              </div>
            </td>
            <td class="num">{{ whole(i.added) }}</td>
            <td class="num">{{ whole(i.changed) }}</td>
            <td class="num">{{ whole(i.gone) }}</td>
            <td class="num">{{ whole(i.setAside) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.files {
  display: flex;
  flex-direction: column;
  gap: 0.6rem;
}
.drop-here {
  border: 1.5px dashed var(--soft);
  padding: 0.9rem 1rem;
  background: var(--sheet);
  cursor: pointer;
}
.drop-here:focus-within,
.drop-here.over {
  border-color: var(--here);
  background: var(--pick);
}
.sample {
  overflow-wrap: anywhere;
}
.sample b {
  display: inline-block;
  width: 5rem;
}
summary {
  cursor: pointer;
}
</style>
