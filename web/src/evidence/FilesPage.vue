<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import Select from 'primevue/select'
import Textarea from 'primevue/textarea'
import { computed, ref } from 'vue'
import { api, ask, sendFile, type Lists, type Schemas } from '../api/client'
import ListFilter from '../components/ListFilter.vue'
import ListTable, { type ListColumn } from '../components/ListTable.vue'
import { count, moment, whole } from '../lib/format'
import { useSession } from '../lib/session'

/** Files: look first at what one would do, then take it in; and the lines that were put aside, mended in place. */
const client = useQueryClient()
const { may } = useSession()
const mayRun = may('run')
const kinds = [
  'titles',
  'rates',
  'users',
  'devices',
  'entitlements',
  'transactions',
  'assignments',
  'policies',
  'installs',
  'usage',
]

interface Waiting {
  file: File
  kind: string
  state: 'looking' | 'seen' | 'taking' | 'taken' | 'refused'
  result?: Schemas['ImportResult']
  says?: string
  stop?: AbortController
}
const files = ref<Waiting[]>([])
const over = ref(false)

function guess(name: string): string {
  const bare = name.toLowerCase().replace(/\.csv$/, '')
  return kinds.find((k) => bare === k) ?? kinds.find((k) => bare.includes(k)) ?? 'installs'
}
async function add(list: FileList | null) {
  const fresh = [...(list ?? [])].map((file): Waiting => ({ file, kind: guess(file.name), state: 'looking' }))
  fresh.sort((a, b) => kinds.indexOf(a.kind) - kinds.indexOf(b.kind))
  files.value = [...fresh, ...files.value.filter((f) => f.state !== 'taken')]
  for (const f of files.value.filter((x) => x.state === 'looking')) await send(f, true)
}
async function send(f: Waiting, dry: boolean) {
  f.state = dry ? 'looking' : 'taking'
  f.says = undefined
  f.stop = new AbortController()
  try {
    f.result = await sendFile(f.kind, f.file, dry, f.stop.signal)
    f.state = dry ? 'seen' : 'taken'
  } catch (e) {
    f.state = 'refused'
    f.says = f.stop.signal.aborted ? 'Stopped; nothing of it was stored.' : (e as Error).message
  }
  if (!dry) await client.invalidateQueries()
}
const takeable = computed(() => files.value.filter((f) => f.state === 'seen'))
async function takeAll() {
  for (const f of takeable.value) await send(f, false)
}
const imports = useQuery({ queryKey: ['imports'], queryFn: () => ask(api.GET('/api/imports')) })

const columns: ListColumn[] = [
  { key: 'file', label: 'file', width: '10rem', fixed: true },
  { key: 'line', label: 'line', num: true, width: '4.5rem' },
  { key: 'reason', label: 'why it was put aside' },
  { key: 'content', label: 'the line', width: '34%' },
  { key: 'state', label: 'state', width: '5.4rem' },
  { key: 'author', label: 'by', width: '6rem', hidden: true },
]
const open = ref<Lists['asides']>()
const text = ref('')
const says = ref('')
function look(a: Lists['asides']) {
  open.value = a
  text.value = a.content
  says.value = ''
}
async function act(what: () => Promise<unknown>, done: string) {
  says.value = ''
  try {
    await what()
    says.value = done
    open.value = undefined
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
</script>

<template>
  <div class="page files">
    <div class="row">
      <h1>Files</h1>
      <RouterLink to="/evidence">Devices</RouterLink>
      <span class="grow" />
      <Button
        v-if="takeable.length"
        :label="`Take in ${count(takeable.length, 'file')}`"
        size="small"
        data-take
        @click="takeAll"
      />
    </div>
    <label
      v-if="mayRun"
      class="drop-here"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="((over = false), add($event.dataTransfer?.files ?? null))"
    >
      Drop CSV files here, or <u>choose them</u>. Nothing is stored before you have seen what they would do.
      <input
        type="file"
        accept=".csv,text/csv"
        multiple
        class="visually-hidden"
        @change="add(($event.target as HTMLInputElement).files)"
      />
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
              <Select
                v-model="f.kind"
                :options="kinds"
                size="small"
                aria-label="kind of file"
                :disabled="f.state === 'taken' || f.state === 'taking'"
                @change="send(f, true)"
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
            <td v-else colspan="6" class="soft">{{ f.state === 'refused' ? '' : 'being read…' }}</td>
            <td class="row">
              <span v-if="f.state === 'taken'" class="spare">taken in</span>
              <span v-else-if="f.state === 'seen'" class="soft">not stored yet</span>
              <button v-else-if="f.state !== 'refused'" class="plain" type="button" @click="f.stop?.abort()">
                stop
              </button>
            </td>
          </tr>
          <tr v-if="f.says">
            <td colspan="9" class="says" role="alert">{{ f.says }}</td>
          </tr>
          <tr v-if="f.result?.aside.length">
            <td colspan="9" class="drop">
              <div v-for="a in f.result.aside.slice(0, 5)" :key="a.line">line {{ a.line }}: {{ a.reason }}</div>
              <div v-if="f.result.aside.length > 5">and {{ f.result.aside.length - 5 }} more</div>
            </td>
          </tr>
          <tr v-if="f.result?.columns.length">
            <td colspan="9" class="soft">kept as custom fields: {{ f.result.columns.join(', ') }}</td>
          </tr>
        </template>
      </tbody>
    </table>
    <div v-if="open" class="sheet mend">
      <h2>{{ open.file }}, line {{ open.line }}</h2>
      <p class="drop">{{ open.reason }}</p>
      <Textarea
        v-model="text"
        rows="3"
        fluid
        aria-label="the line"
        :readonly="!mayRun || open.state !== 'waiting'"
        data-mend-text
      />
      <div v-if="mayRun && open.state === 'waiting'" class="row">
        <Button
          label="Take in the mended line"
          size="small"
          data-mend
          @click="
            act(
              () =>
                ask(api.POST('/api/asides/{id}/mend', { params: { path: { id: open!.id } }, body: { content: text } })),
              'The line went in.',
            )
          "
        />
        <Button
          label="Give this line up"
          size="small"
          severity="secondary"
          variant="outlined"
          @click="
            act(
              () => ask(api.POST('/api/asides/{id}/drop', { params: { path: { id: open!.id } } })),
              'The line was given up; it stays on record.',
            )
          "
        />
        <button class="plain" type="button" @click="open = undefined">close</button>
      </div>
    </div>
    <p v-if="says" role="status" class="mend-says" data-says>{{ says }}</p>
    <div class="aside">
      <ListTable
        name="asides"
        :columns="columns"
        sort="id"
        what="lines put aside"
        row-key="id"
        :current="open?.id"
        empty="No line was ever put aside."
        @open="look"
      >
        <template #title><h2>Put aside</h2></template>
        <template #filters>
          <ListFilter column="state" label="state" any="any state" :options="['waiting', 'mended', 'dropped']" />
        </template>
        <template #actions>
          <Button
            v-if="mayRun"
            label="Try all that wait again"
            size="small"
            severity="secondary"
            variant="outlined"
            @click="act(() => ask(api.POST('/api/asides/retry')), 'Tried again: what still waits stands below.')"
          />
        </template>
      </ListTable>
    </div>
    <h2>Taken in before</h2>
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
          <td class="num">{{ whole(i.lines) }}</td>
          <td class="num">{{ whole(i.added) }}</td>
          <td class="num">{{ whole(i.changed) }}</td>
          <td class="num">{{ whole(i.gone) }}</td>
          <td class="num">{{ whole(i.setAside) }}</td>
        </tr>
      </tbody>
    </table>
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
.aside {
  display: flex;
  min-height: 15rem;
  max-height: 26rem;
}
.mend {
  display: grid;
  gap: 0.4rem;
}
.mend p {
  margin: 0;
}
.mend-says {
  margin: 0;
}
</style>
