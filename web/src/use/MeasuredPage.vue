<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { api, ask } from '../api/client'
import ScopePick, { noScope, scopeBody, scopeReady, type Scope } from '../components/ScopePick.vue'
import { count, day, whole } from '../lib/format'
import { useSession } from '../lib/session'
import UseNav from './UseNav.vue'

/** What is measured, on which devices, how long it is kept, and how much of it was lost on the way. */
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const mayRun = may('run')
const measured = useQuery({ queryKey: ['metering'], queryFn: () => ask(api.GET('/api/metering')) })
const m = computed(() => measured.data.value)
const scope = ref<Scope>(noScope())
const on = ref(true)
const note = ref('')
const keeping = [
  { of: 'events', days: 'eventDays', word: 'raw events of processes' },
  { of: 'sessions', days: 'sessionDays', word: 'runs of programs' },
  { of: 'days', days: 'dayDays', word: 'days of use' },
] as const
const kept = ref({ eventDays: 14, sessionDays: 90, dayDays: 800 })
watch(m, (v) => v && (kept.value = { eventDays: v.eventDays, sessionDays: v.sessionDays, dayDays: v.dayDays }), {
  immediate: true,
})
const says = ref('')
async function run(call: () => Promise<unknown>, done = '') {
  says.value = ''
  try {
    await call()
    says.value = done
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
const save = () =>
  run(async () => {
    await ask(
      api.POST('/api/metering', {
        body: {
          product: 0,
          category: '',
          publisher: '',
          group: '',
          ...scopeBody(scope.value),
          on: on.value,
          note: note.value,
        },
      }),
    )
    scope.value = noScope()
    note.value = ''
  })
const end = (id: number) => run(() => ask(api.POST('/api/metering/{id}/end', { params: { path: { id } } })))
const keep = () => run(() => ask(api.PUT('/api/metering/kept', { body: kept.value })), 'Kept so long from now on.')
</script>

<template>
  <div class="page">
    <UseNav />
    <div class="row head">
      <h1>What is measured</h1>
      <span v-if="m" class="soft"
        >{{ whole(m.devices) }} of {{ whole(m.inService) }} devices in service have ever reported use<template
          v-if="m.firstDay"
          >, the first on {{ m.firstDay }}</template
        >.</span
      >
    </div>
    <p v-if="m && !m.choices.length">
      Every title is measured on every device that reports use. Choose some, and only those are: what nobody asked for
      is then not kept.
    </p>
    <div v-else-if="m" class="scrolls">
      <table class="lines" data-choices>
        <thead>
          <tr>
            <th>measured</th>
            <th>of</th>
            <th>on</th>
            <th>from</th>
            <th>note</th>
            <th>by</th>
            <th>since</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in m.choices" :key="c.id">
            <td>
              <b>{{ c.on ? 'yes' : 'no' }}</b>
            </td>
            <td>{{ c.what }}</td>
            <td>{{ c.group }}</td>
            <td>{{ c.from || 'the beginning' }}</td>
            <td>{{ c.note }}</td>
            <td>{{ c.author }}</td>
            <td>{{ day(c.at) }}</td>
            <td><button v-if="mayWork" class="plain" type="button" @click="end(c.id)">end it</button></td>
          </tr>
        </tbody>
      </table>
    </div>
    <form v-if="mayWork" class="sheet row form" data-meter-form @submit.prevent="save">
      <Select
        v-model="on"
        :options="[
          { l: 'Measure', v: true },
          { l: 'Do not measure', v: false },
        ]"
        option-label="l"
        option-value="v"
        size="small"
        aria-label="measure or not"
      />
      <span>the</span>
      <ScopePick v-model="scope" />
      <InputText v-model="note" size="small" class="grow" placeholder="why, if you like" aria-label="note" />
      <Button type="submit" label="Choose it" size="small" :disabled="!scopeReady(scope)" />
    </form>
    <div v-if="m" class="two">
      <form class="sheet" @submit.prevent="keep">
        <h2>How long it is kept</h2>
        <table class="lines">
          <tbody>
            <tr v-for="k in keeping" :key="k.of">
              <td>{{ k.word }}</td>
              <td class="num">{{ whole(m[k.of]) }}</td>
              <td>
                <InputNumber
                  v-model="kept[k.days]"
                  :min="1"
                  :max="4000"
                  size="small"
                  input-class="few"
                  :disabled="!mayRun"
                  :aria-label="`days to keep ${k.word}`"
                  :data-kept="k.of"
                />
                days
              </td>
            </tr>
          </tbody>
        </table>
        <p class="soft">
          Events are rolled up into runs, and runs into days, before they go. No window may look back further than days
          are kept: then “no data” would be read as “not used”.
        </p>
        <Button v-if="mayRun" type="submit" label="Keep it so long" size="small" data-keep />
      </form>
      <section class="sheet">
        <h2>What was lost on the way</h2>
        <template v-if="m.starts">
          <p>
            Raw events spoke of {{ count(m.starts, 'run') }}; <b :class="{ drop: m.lost }">{{ whole(m.lost) }}</b> of
            them ({{ ((m.lost / m.starts) * 100).toFixed(1) }}
            %) were not seen whole: a start without a stop, or a stop without a start.
          </p>
          <p class="soft">
            Such a run counts as use on the day of its start alone, so nothing is invented.
            <template v-if="m.future"
              >{{ count(m.future, 'event') }} came from clocks that are ahead and wait for their time.</template
            >
          </p>
        </template>
        <p v-else class="soft">No raw events of processes were taken in yet; sessions came ready-made.</p>
      </section>
    </div>
    <p v-if="says" role="status" data-says>{{ says }}</p>
  </div>
</template>

<style scoped>
.head {
  padding: 0.4rem 0 0.3rem;
}
.form {
  margin: 0.8rem 0;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 1rem;
  align-items: start;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
:deep(.few) {
  width: 5rem;
}
</style>
