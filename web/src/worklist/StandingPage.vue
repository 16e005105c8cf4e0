<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import EffectLine from '../components/EffectLine.vue'
import OtherChange from '../components/OtherChange.vue'
import { refusal } from '../lib/act'
import { count, day, moment, whole } from '../lib/format'
import { useRuleDesk } from '../lib/ruleDesk'
import { useSession } from '../lib/session'
import OrderBar from './OrderBar.vue'
import WorkNav from './WorkNav.vue'

/**
 * Standing decisions: the cases of a stance, of a rule for reclaim or of a plan are agreed and sent by themselves, a few
 * a day, and can be called back until they leave.
 */
const client = useQueryClient()
const { may, me } = useSession()
const mayWork = may('work')
const list = useQuery({
  queryKey: ['standing'],
  queryFn: () => ask(api.GET('/api/standing')),
  refetchInterval: 30_000,
})
const waves = useQuery({ queryKey: ['waves'], queryFn: () => ask(api.GET('/api/waves')), refetchInterval: 30_000 })
const rules = useQuery({ queryKey: ['case-rules'], queryFn: () => ask(api.GET('/api/case-rules')) })
type View = Schemas['StandingView']
interface Draft {
  id: number
  revision: number
  ground: string // its kind and its number
  group: string
  perDay: number
  maxFails: number
  hold: number // hours
  until: string
  note: string
}
const blank = (): Draft => ({
  id: 0,
  revision: 0,
  ground: '',
  group: '',
  perDay: 20,
  maxFails: 20,
  hold: 24,
  until: '',
  note: '',
})
const draftOf = ({ says }: View): Draft => ({
  id: says.id,
  revision: says.revision,
  ground: `${says.kind} ${says.ground}`,
  group: says.group ?? '',
  perDay: says.perDay,
  maxFails: says.maxFails,
  hold: says.holdMinutes / 60,
  until: says.until ?? '',
  note: says.note ?? '',
})
function sent({ ground, hold, ...rest }: Draft): Schemas['StandingDraft'] | undefined {
  const [kind, id] = ground.split(' ')
  if (!kind || rest.perDay < 1) return undefined
  return {
    ...rest,
    kind: kind as Schemas['StandingDraft']['kind'],
    ground: Number(id),
    holdMinutes: Math.round(hold * 60),
  }
}
const words = (e: Schemas['StandingEffect']) =>
  [
    e.ready
      ? `${count(e.ready, 'case')} now: ${whole(e.today)} on the first day, all of them within ${count(e.days, 'day')}`
      : 'No case now; it waits for those that come',
    ...(e.outside ? [`${whole(e.outside)} outside of the group stay for people`] : []),
    ...e.samples,
    ...(e.waits ? [e.waits] : []),
  ].join('; ')
const ends = (v: View) =>
  `${v.waiting ? `${count(v.waiting, 'order')} that ${v.waiting === 1 ? 'has' : 'have'} not left ${v.waiting === 1 ? 'is' : 'are'} called back, the cases stay agreed` : 'No order of it waits'}; ${count(v.ready, 'open case')} ${v.ready === 1 ? 'stays' : 'stay'} for people.`
const desk = useRuleDesk<Draft, Schemas['StandingDraft'], string>('standing', {
  open: () => mayWork.value && !!list.data.value?.connected,
  stored: () => list.data.value?.decisions.map(draftOf),
  blank,
  body: sent,
  preview: async (body) => words(await ask(api.POST('/api/standing/preview', { body }))),
  previewEnd: async (id) => {
    const v = (await ask(api.GET('/api/standing'))).decisions.find((d) => d.says.id === id)
    return v ? ends(v) : 'It has ended.'
  },
  save: (body) => ask(api.POST('/api/standing', { body })),
  end: (id, revision) =>
    ask(api.POST('/api/standing/{id}/steer', { params: { path: { id } }, body: { revision, to: 'end' } })),
})
const { draft, effect, failed, ending, endEffect, endFailed, endSays, askEnd, says, end } = desk
const grounds = computed(() =>
  (list.data.value?.grounds ?? []).map((g) => ({
    l: `${g.what} (${count(g.cases, 'open case')})`,
    v: `${g.kind} ${g.ground}`,
  })),
)
const groups = computed(() => [
  { l: 'all devices', v: '' },
  ...(list.data.value?.groups ?? []).map((v) => ({ l: v, v })),
])
const told = ref('')
async function act(work: () => Promise<unknown>) {
  told.value = ''
  try {
    await work()
  } catch (e) {
    told.value = refusal(e)
  }
  await client.invalidateQueries()
}
const steer = ({ says: { id, revision } }: View, to: 'pause' | 'go on' | 'approve') =>
  act(() => ask(api.POST('/api/standing/{id}/steer', { params: { path: { id } }, body: { revision, to } })))
const wavesOf = (v: View) => waves.data.value?.filter((w) => w.standing === v.says.id && w.waiting) ?? []
const callBack = (v: View) =>
  act(async () => {
    for (const { id } of wavesOf(v))
      await ask(api.POST('/api/waves/{id}/steer', { params: { path: { id } }, body: { to: 'call off' } }))
  })
/** When the first of its orders may leave; 0 while that is not known. */
const leaves = (v: View) => wavesOf(v).reduce((first, w) => (first ? Math.min(first, w.next) : w.next), 0)
const kinds = { stance: 'restricted|missing', reclaim: 'idle', plan: 'ended' }
const hours = (minutes: number) =>
  minutes < 60 ? count(minutes, 'minute') : count(Math.round(minutes / 6) / 10, 'hour')
const mine = (v: View) => v.author === me.value?.name
const labels = { ground: 'cases of', perDay: 'a day', maxFails: 'pauses over, %', hold: 'can be called back, hours' }
const say = (field: string, v: unknown) =>
  field === 'ground' ? grounds.value.find((g) => g.v === v)?.l : field === 'group' && !v ? 'all devices' : undefined
</script>

<template>
  <div class="page">
    <WorkNav />
    <div class="row head">
      <h1>Standing decisions</h1>
      <span class="soft"
        >The cases of a stance, a rule or a plan are agreed and sent without anybody’s looking at each, a few a day.
        Until they leave they can be called back; a scan ends them, as ever.</span
      >
    </div>
    <p v-if="list.data.value && !list.data.value.connected" role="status">
      No deployment tool is connected, so nothing can be sent by itself.
    </p>
    <div class="scrolls">
      <table class="lines" data-standing>
        <thead>
          <tr>
            <th>cases of</th>
            <th>on</th>
            <th class="num">a day</th>
            <th class="num">still open</th>
            <th class="wide">its orders</th>
            <th>answers for it</th>
            <th>state</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="v in list.data.value?.decisions"
            :key="v.says.id"
            :class="{ chosen: desk.chosen.value === String(v.says.id) }"
          >
            <td>
              <b>{{ v.what }}</b>
              <div v-if="v.says.note" class="soft">{{ v.says.note }}</div>
            </td>
            <td>{{ v.says.group || 'all devices' }}</td>
            <td class="num">
              {{ whole(v.says.perDay) }}
              <div class="soft">{{ whole(v.today) }} today</div>
            </td>
            <td class="num">{{ whole(v.ready) }}</td>
            <td class="wide">
              <OrderBar :orders="v" />
              <div v-if="v.waiting" class="row" data-leaving>
                <b v-if="v.running && leaves(v)"
                  >{{ v.waiting === 1 ? 'leaves' : 'leave' }} from {{ moment(leaves(v)) }}</b
                >
                <span v-else-if="!v.running">held</span>
                <RouterLink :to="`/worklist?f=state%3Dwaiting&f=kind%3D${kinds[v.says.kind]}`">see them</RouterLink>
                <button v-if="mayWork" class="plain" type="button" data-call-back @click="callBack(v)">
                  call {{ v.waiting === 1 ? 'it' : `all ${whole(v.waiting)}` }} back
                </button>
              </div>
            </td>
            <td>
              {{ v.author }}<template v-if="v.approvedBy">, with {{ v.approvedBy }}</template>
              <div class="soft">
                <span class="day">since {{ day(v.at) }}</span
                ><template v-if="v.says.until"
                  >, <span class="day">until {{ v.says.until }}</span></template
                >
              </div>
            </td>
            <td>
              <b :class="{ drop: !v.running }" data-state>{{ v.running ? 'runs' : 'stands still' }}</b>
              <div v-if="v.why" class="soft">{{ v.why }}</div>
            </td>
            <td class="keep">
              <template v-if="mayWork">
                <button v-if="v.running" class="plain" type="button" @click="steer(v, 'pause')">pause</button>
                <button v-else class="plain" type="button" data-go-on @click="steer(v, 'go on')">go on</button>
                <button
                  v-if="rules.data.value?.twoPersons && !v.approvedBy && !mine(v)"
                  class="plain"
                  type="button"
                  @click="steer(v, 'approve')"
                >
                  approve
                </button>
                <button class="plain" type="button" data-edit @click="desk.edit(v.says.id)">change</button>
                <button class="plain" type="button" data-end @click="askEnd(v.says.id)">end it</button>
              </template>
            </td>
          </tr>
          <tr v-if="list.data.value && !list.data.value.decisions.length">
            <td colspan="8" class="soft">None yet: every case waits for somebody.</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="told" class="says" role="alert">{{ told }}</p>
    <EffectLine
      v-if="ending"
      press="End this decision"
      :ready="!!endEffect"
      :says="endEffect ?? ''"
      :failed="endFailed"
      data-end-standing
      @press="end"
    />
    <p v-if="endSays" class="says" role="alert">{{ endSays }}</p>
    <form
      v-if="draft"
      class="sheet form"
      data-standing-form
      :data-editing="draft.id || undefined"
      @submit.prevent="desk.save"
    >
      <p v-if="draft.id" class="row">
        <b>This decision is being changed.</b>
        <button class="plain" type="button" data-leave @click="desk.leave">leave it as it is</button>
      </p>
      <DraftKept :kept="desk.kept.value" :dirty="desk.dirty.value" :others="desk.others.value" @discard="desk.leave" />
      <div class="row">
        <span>Send the cases of</span>
        <Select
          v-model="draft.ground"
          :options="grounds"
          option-label="l"
          option-value="v"
          size="small"
          filter
          placeholder="a stance, a rule for reclaim or a plan"
          aria-label="cases of"
          class="grow"
        />
        <span>on</span>
        <Select
          v-model="draft.group"
          :options="groups"
          option-label="l"
          option-value="v"
          size="small"
          filter
          placeholder="all devices"
          aria-label="on"
        />
      </div>
      <div class="row">
        <label
          >at most
          <InputNumber v-model="draft.perDay" data-a-day :min="1" :max="5000" size="small" input-class="few" /> a
          day;</label
        >
        <label
          >each waits
          <InputNumber
            v-model="draft.hold"
            :min="0"
            :max="168"
            :max-fraction-digits="1"
            size="small"
            input-class="few"
          />
          hours, so that it can be called back;</label
        >
        <label
          >it stands still once over
          <InputNumber v-model="draft.maxFails" :min="0" :max="100" suffix=" %" size="small" input-class="few" /> of the
          answers are failures</label
        >
        <span v-if="list.data.value && draft.hold * 60 < list.data.value.house" class="soft"
          >The house holds all orders for {{ hours(list.data.value.house) }}, and so this one.</span
        >
      </div>
      <div class="row">
        <label>until <input v-model="draft.until" type="date" class="p-inputtext p-inputtext-sm" /></label>
        <InputText v-model="draft.note" size="small" class="grow" placeholder="why, if you like" aria-label="note" />
      </div>
      <OtherChange
        v-if="desk.other.value"
        :conflict="desk.other.value"
        :mine="draft"
        :base="desk.base.value"
        :theirs="desk.stored()"
        :labels="labels"
        :say="say"
        @save="(theirs) => desk.keep(theirs)"
      />
      <EffectLine
        v-else-if="desk.body.value"
        :press="draft.id ? 'Change it: you answer for it' : 'Decide it: you answer for it'"
        :ready="effect !== undefined"
        :says="effect ?? ''"
        :failed="failed"
        @press="desk.save"
      />
      <p v-else class="soft">Say whose cases; what it would take is shown here before it is decided.</p>
    </form>
    <p v-if="says" class="says" role="status">{{ says }}</p>
  </div>
</template>

<style scoped>
.day {
  white-space: nowrap;
}
.wide {
  min-width: 14rem;
}
</style>
