<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import LongWait from '../components/LongWait.vue'
import SureButton from '../components/SureButton.vue'
import { useAct } from '../lib/act'
import { count, moment, whole, word } from '../lib/format'
import { useSession } from '../lib/session'
import { key } from '../lib/watch'
import EvidenceNav from './EvidenceNav.vue'

/** Folders and addresses that are looked at on a schedule: what came, what waits, and what did not come. */
const mayRun = useSession().may('run')
const list = useQuery({ queryKey: ['places'], queryFn: () => ask(api.GET('/api/places')) })
const fresh = (): Schemas['PlaceDraft'] => ({
  id: 0,
  name: '',
  place: '',
  pattern: '',
  kind: '',
  calendar: { at: '05:00' },
  paused: false,
  revision: 0,
})
const editing = ref(false)
const form = ref(fresh())
const current = computed(() => (editing.value ? list.data.value?.find((p) => p.draft.id === form.value.id) : undefined))
function open(p?: Schemas['PlaceView']) {
  form.value = p ? { ...p.draft } : fresh()
  editing.value = true
}
const kinds = [
  { label: 'as the files are called', value: 'by name' },
  ...['devices', 'users', 'installs', 'titles', 'entitlements', 'usage', 'process_events', 'pool_events'].map((k) => ({
    label: word(k),
    value: k,
  })),
]
const kind = computed({
  get: () => form.value.kind || 'by name',
  set: (k: string) => (form.value.kind = k === 'by name' ? '' : k),
})
const { busy, says, act } = useAct()
const looking = useAct()
let stop = new AbortController()
const watch = ref('')
const look = (p: Schemas['PlaceView']) =>
  looking.act(
    async () => {
      stop = new AbortController()
      watch.value = key()
      const params = { path: { id: p.draft.id }, query: { watch: watch.value } }
      return ask(api.POST('/api/places/{id}/look', { params, signal: stop.signal }))
    },
    (p) => `${p.draft.name}: ${p.says}.`,
  )
const save = () =>
  act(async () => {
    await ask(api.POST('/api/places', { body: form.value }))
    editing.value = false
  }, 'Kept. It is looked at at its time, or now where you press so.')
const drop = (p: Schemas['PlaceView']) =>
  act(async () => {
    const params = { path: { id: p.draft.id } }
    await ask(api.POST('/api/places/{id}/drop', { params, body: { revision: p.draft.revision } }))
    editing.value = false
  }, 'It is looked at no more. What came from it stays.')
const files = computed(() =>
  (list.data.value ?? [])
    .flatMap((p) => p.files.map((f) => ({ ...f, from: p.draft.name })))
    .sort((a, b) => b.takenAt - a.takenAt || b.id - a.id)
    .slice(0, 100),
)
</script>

<template>
  <div class="page">
    <EvidenceNav />
    <div class="row head">
      <h1>Watched places</h1>
      <span class="soft">folders and addresses from which new files are taken in by themselves</span>
      <span class="grow" />
      <Button v-if="mayRun && !editing" label="Watch a place" size="small" data-add @click="open()" />
    </div>
    <p v-if="list.data.value && !list.data.value.length && !editing">
      No place is watched yet. A folder into which an export is put each night, or an address that gives a file, is
      looked at at its time.
    </p>
    <div v-if="list.data.value?.length" class="scrolls">
      <table class="lines" data-places>
        <thead>
          <tr>
            <th>place</th>
            <th>where</th>
            <th>looked at</th>
            <th>what came</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in list.data.value" :key="p.draft.id" :data-of="p.draft.name">
            <td>
              <b>{{ p.draft.name }}</b>
            </td>
            <td>
              {{ p.draft.place }}
              <div v-if="p.draft.pattern || p.draft.kind" class="soft">
                {{ [p.draft.pattern, p.draft.kind && `as ${word(p.draft.kind)}`].filter(Boolean).join(', ') }}
              </div>
            </td>
            <td>
              {{ p.draft.paused ? 'paused' : p.words }}
              <div v-if="p.next" class="soft">next {{ moment(p.next) }} UTC</div>
            </td>
            <td :class="{ drop: p.state === 'failed' || p.state === 'nothing' }">
              <template v-if="p.triedAt">{{ moment(p.triedAt) }}: {{ p.says }}</template>
              <span v-else class="soft">never looked at</span>
              <div v-if="p.state !== 'came' && p.cameAt" class="soft">
                something came last on {{ moment(p.cameAt) }}
              </div>
            </td>
            <td class="keep">
              <template v-if="mayRun">
                <button class="plain" type="button" :disabled="looking.busy.value" data-look @click="look(p)">
                  look now
                </button>
                <button class="plain" type="button" data-open @click="open(p)">change</button>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <LongWait
      v-if="looking.busy.value"
      what="The place is being looked at"
      :watch="watch"
      @stop="stop.abort(new Error('Stopped. What was taken in before stays.'))"
    />
    <p v-if="looking.says.value" role="status" data-look-says>{{ looking.says.value }}</p>
    <p v-if="says" role="status" data-says>{{ says }}</p>
    <form v-if="editing" class="sheet place" data-form @submit.prevent="save">
      <label>name <InputText v-model="form.name" size="small" data-name /></label>
      <label
        >folder or address
        <InputText v-model="form.place" size="small" placeholder="/srv/exports or https://host/file.csv" data-place
      /></label>
      <label>files <InputText v-model="form.pattern" size="small" placeholder="*.csv" data-pattern /></label>
      <label
        >taken in as
        <Select
          v-model="kind"
          :options="kinds"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="taken in as"
      /></label>
      <label>every day at <input v-model="form.calendar.at" type="time" data-time /></label>
      <label class="row"><ToggleSwitch v-model="form.paused" /> paused</label>
      <div class="row wide">
        <Button label="Keep it" size="small" type="submit" :disabled="busy" data-save />
        <button class="plain" type="button" @click="editing = false">close</button>
        <span class="grow" />
        <SureButton
          v-if="current"
          label="look no more"
          ask="Look at this place no more? What came from it stays."
          sure="look no more"
          @sure="drop(current)"
        />
      </div>
    </form>
    <template v-if="files.length">
      <h2>What was there</h2>
      <div class="scrolls">
        <table class="lines" data-files>
          <thead>
            <tr>
              <th>file</th>
              <th>from</th>
              <th class="num">bytes</th>
              <th>written</th>
              <th>taken in</th>
              <th>what became of it</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="f in files" :key="f.id">
              <td>{{ f.name }}</td>
              <td>{{ f.from }}</td>
              <td class="num">{{ whole(f.size) }}</td>
              <td class="keep">{{ moment(f.modifiedAt) }}</td>
              <td class="keep">{{ moment(f.takenAt) }}</td>
              <td :class="{ drop: f.refused || f.aside }">
                {{ f.says }}
                <RouterLink v-if="f.aside" to="/evidence/files">{{ count(f.aside, 'line') }} put aside</RouterLink>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </div>
</template>

<style scoped>
.place {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(17rem, 1fr));
  gap: 0.6rem 1.2rem;
  margin-top: 0.8rem;
}
.place label:not(.row) {
  display: grid;
  gap: 0.15rem;
  color: var(--soft);
}
.wide {
  grid-column: 1 / -1;
}
</style>
