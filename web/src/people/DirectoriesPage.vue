<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Textarea from 'primevue/textarea'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import LongWait from '../components/LongWait.vue'
import SureButton from '../components/SureButton.vue'
import { useAct } from '../lib/act'
import { count, day, moment } from '../lib/format'
import { key } from '../lib/watch'
import { useSession } from '../lib/session'
import { pageOf, states } from './people'
import PeopleNav from './PeopleNav.vue'

/** Directories that are read over LDAP: how, when, and what became of it. */
const mayRun = useSession().may('run')
const list = useQuery({ queryKey: ['directories'], queryFn: () => ask(api.GET('/api/directories')) })
const editing = ref(false)
/** attributes of the house's own, a line each: theirs = what it is read as */
const attributes = ref('')
const fresh = (): Schemas['DirectoryDraft'] => ({
  id: 0,
  name: '',
  address: 'ldaps://',
  startTls: false,
  ca: '',
  user: '',
  password: '',
  base: '',
  filter: '',
  attributes: {},
  calendar: { at: '03:00' },
  paused: false,
  revision: 0,
})
const form = ref(fresh())
const current = computed(() => (editing.value ? list.data.value?.find((d) => d.draft.id === form.value.id) : undefined))
function open(d?: Schemas['DirectoryView']) {
  form.value = d ? { ...d.draft, password: '' } : fresh()
  attributes.value = Object.entries(form.value.attributes)
    .map(([theirs, ours]) => `${theirs} = ${ours}`)
    .join('\n')
  seen.value = undefined
  editing.value = true
}
const draft = computed(() => {
  const pairs = attributes.value
    .split('\n')
    .map((l) => l.split('=').map((x) => x.trim()))
    .filter(([theirs]) => theirs)
  return { ...form.value, attributes: Object.fromEntries(pairs.map(([theirs, ours]) => [theirs!, ours ?? ''])) }
})
const seen = ref<Schemas['DirectoryReading']>()
const { busy, says, act } = useAct()
const looking = useAct()
let stop = new AbortController()
const watch = ref('')
const begin = () => {
  stop = new AbortController()
  watch.value = key()
  return { query: { watch: watch.value }, signal: stop.signal }
}
const look = () =>
  looking.act(async () => {
    seen.value = undefined
    const { query, signal } = begin()
    seen.value = await ask(api.POST('/api/directories/look', { params: { query }, body: draft.value, signal }))
  })
const save = () =>
  act(async () => {
    await ask(api.POST('/api/directories', { body: draft.value }))
    editing.value = false
  }, 'Kept. It is read at its time, or now where you press so.')
const read = (d: Schemas['DirectoryView']) =>
  looking.act(
    async () => {
      const { query, signal } = begin()
      return ask(api.POST('/api/directories/{id}/read', { params: { path: { id: d.draft.id }, query }, signal }))
    },
    (r) => r.says,
  )
const drop = (d: Schemas['DirectoryView']) =>
  act(async () => {
    const params = { path: { id: d.draft.id } }
    await ask(api.POST('/api/directories/{id}/drop', { params, body: { revision: d.draft.revision } }))
    editing.value = false
  }, 'It is read no more. The people and machines that came from it stay.')
</script>

<template>
  <div class="page">
    <PeopleNav />
    <div class="row head">
      <h1>Directories</h1>
      <span class="soft">read over LDAP, never written to</span>
      <span class="grow" />
      <Button v-if="mayRun && !editing" label="Add a directory" size="small" data-add @click="open()" />
    </div>
    <p v-if="list.data.value && !list.data.value.length && !editing">
      No directory is read yet. Add one, or take in an LDIF export under Files taken in.
    </p>
    <div v-if="list.data.value?.length" class="scrolls">
      <table class="lines" data-directories>
        <thead>
          <tr>
            <th>directory</th>
            <th>below</th>
            <th>read</th>
            <th class="num">people</th>
            <th class="num">gone</th>
            <th>what became of it</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in list.data.value" :key="d.draft.id" :data-of="d.draft.name">
            <td>
              <b>{{ d.draft.name }}</b>
              <div class="soft">{{ d.draft.address }}{{ d.draft.startTls ? ', StartTLS' : '' }}</div>
            </td>
            <td>{{ d.draft.base }}</td>
            <td>
              {{ d.draft.paused ? 'paused' : d.words }}
              <div v-if="d.next" class="soft">next {{ moment(d.next) }} UTC</div>
            </td>
            <td class="num">{{ d.people }}</td>
            <td class="num">{{ d.goneCount }}</td>
            <td :class="{ drop: d.failed }">
              <template v-if="d.triedAt">{{ moment(d.triedAt) }}: {{ d.says }}</template>
              <span v-else class="soft">never read</span>
              <div v-if="d.failed && d.readAt" class="soft">last read whole on {{ day(d.readAt) }}</div>
            </td>
            <td class="keep">
              <template v-if="mayRun">
                <button class="plain" type="button" :disabled="looking.busy.value" data-read @click="read(d)">
                  read now
                </button>
                <button class="plain" type="button" data-open @click="open(d)">change</button>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <LongWait
      v-if="looking.busy.value"
      what="The directory is being read"
      :watch="watch"
      @stop="stop.abort(new Error('Stopped; nothing of it was kept.'))"
    />
    <p v-if="looking.says.value" role="status" data-read-says>{{ looking.says.value }}</p>
    <p v-if="says" role="status" data-says>{{ says }}</p>

    <form v-if="editing" class="sheet directory" data-form @submit.prevent="save">
      <label>name <InputText v-model="form.name" size="small" data-name /></label>
      <label
        >address <InputText v-model="form.address" size="small" placeholder="ldaps://dir.house.example" data-address
      /></label>
      <label class="row"><ToggleSwitch v-model="form.startTls" data-start-tls /> StartTLS (of ldap://)</label>
      <label
        >below <InputText v-model="form.base" size="small" placeholder="ou=people,dc=house,dc=example" data-base
      /></label>
      <label
        >filter <InputText v-model="form.filter" size="small" placeholder="people and machines" data-filter
      /></label>
      <label
        >asked as <InputText v-model="form.user" size="small" placeholder="cn=reader,dc=house,dc=example" data-user
      /></label>
      <label
        >password
        <input
          v-model="form.password"
          type="password"
          autocomplete="new-password"
          :placeholder="current?.hasPassword ? 'the one that is kept' : ''"
          data-password
      /></label>
      <label>every day at <input v-model="form.calendar.at" type="time" data-time /></label>
      <label class="row"><ToggleSwitch v-model="form.paused" /> paused</label>
      <label class="wide"
        >attributes of your own, a line each: theirs = what it is read as
        <Textarea v-model="attributes" rows="3" placeholder="houseCentre = departmentNumber" data-attributes
      /></label>
      <label class="wide"
        >certificate of your authority (PEM), where the machine does not know it
        <Textarea v-model="form.ca" rows="3" placeholder="-----BEGIN CERTIFICATE-----" data-ca
      /></label>
      <div class="row wide">
        <Button
          label="Look at what it has"
          size="small"
          severity="secondary"
          type="button"
          :disabled="looking.busy.value"
          data-look
          @click="look"
        />
        <Button label="Keep it" size="small" type="submit" :disabled="busy" data-save />
        <button class="plain" type="button" @click="editing = false">close</button>
        <span class="grow" />
        <SureButton
          v-if="current"
          label="read it no more"
          ask="Read this directory no more? The people and machines that came from it stay."
          sure="read it no more"
          @sure="drop(current)"
        />
      </div>
      <template v-if="seen">
        <p class="wide" data-seen>
          It has {{ count(seen.entries, 'entry', 'entries') }}: {{ seen.says }}. Nothing is kept yet.
        </p>
        <div class="scrolls wide">
          <table class="lines" data-samples>
            <thead>
              <tr>
                <th>entry</th>
                <th>user_id</th>
                <th>name</th>
                <th>mail</th>
                <th>unit</th>
                <th>state</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="s in seen.samples" :key="s.dn">
                <td class="soft">{{ s.dn }}</td>
                <td>{{ s.userId }}</td>
                <td>{{ s.name }}</td>
                <td>{{ s.mail }}</td>
                <td>{{ s.unit }}</td>
                <td>{{ states[s.status] }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
    </form>
    <template v-if="current?.gone.length">
      <h2>No more in {{ current.draft.name }}</h2>
      <p data-gone>
        <template v-for="(g, i) in current.gone" :key="g.key"
          ><template v-if="i">, </template><RouterLink :to="pageOf(g.key)">{{ g.name || g.key }}</RouterLink> since
          {{ day(g.at) }}</template
        >
      </p>
    </template>
  </div>
</template>

<style scoped>
.directory {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(17rem, 1fr));
  gap: 0.6rem 1.2rem;
  margin-top: 0.8rem;
}
.directory label:not(.row) {
  display: grid;
  gap: 0.15rem;
  color: var(--soft);
}
.wide {
  grid-column: 1 / -1;
}
</style>
