<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { api, ask } from '../api/client'
import DecidedList from '../components/DecidedList.vue'
import OwnFields from '../components/OwnFields.vue'
import EffectLine from '../components/EffectLine.vue'
import PositionMoves from '../components/PositionMoves.vue'
import { useAct } from '../lib/act'
import { count, whole, word } from '../lib/format'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import { decided, states, takeBackAlike, told } from './people'
import PeopleNav from './PeopleNav.vue'

/** All that is known of one person: by which names, what he has and uses, and who is behind the account. */
const props = defineProps<{ code: string }>()
const { may } = useSession()
const mayWork = may('work')
const person = useQuery({
  queryKey: ['person', computed(() => props.code)],
  queryFn: () => ask(api.GET('/api/people/{code}', { params: { path: { code: props.code } } })),
})
const p = computed(() => person.data.value)
const picked = ref<string[]>([])
const other = ref('')
const reason = ref('')
watch(
  () => props.code,
  () => {
    picked.value = []
    other.value = reason.value = ''
  },
)
// either some names go, or another one comes
const draft = computed(() => {
  const them = p.value
  if (!them) return undefined
  const why = reason.value
  if (picked.value.length && picked.value.length < them.named.length)
    return { pairs: [], together: false, person: them.row.key, names: picked.value, reason: why }
  if (other.value.trim() && !picked.value.length)
    return { pairs: [[them.row.key, other.value.trim()]], together: true, person: '', names: [], reason: why }
  return undefined
})
// why it is so changes nothing of what it does
const asked = computed(() => draft.value && { ...draft.value, reason: '' })
const { effect, failed } = usePreview('person', asked, (b, signal) =>
  ask(api.POST('/api/alike/preview', { body: b, signal })),
)
const { busy, says, act } = useAct()
const decide = () =>
  act(
    async () => {
      const done = await ask(api.POST('/api/alike', { body: draft.value! }))
      picked.value = []
      other.value = reason.value = ''
      return done.person
    },
    (key) => `Decided. ${key} is the person now.`,
  )
const marks = [
  { label: 'as lists and its name say', value: '' },
  { label: 'one person uses it', value: 'person' },
  { label: 'nobody in particular uses it', value: 'nobody' },
] as const
const mark = (value: (typeof marks)[number]['value']) =>
  act(
    () =>
      ask(
        api.PUT('/api/people/{code}/mark', {
          params: { path: { code: p.value!.row.key } },
          body: { mark: value, revision: p.value!.revision },
        }),
      ),
    'It holds from now on; figures follow in a moment.',
  )
const facts = computed(() => {
  const them = p.value
  if (!them) return []
  return [
    ['mail', them.row.mail],
    ['unit', them.row.unit],
    ['site', them.row.site],
    ['cost centre', them.row.costCentre],
    ['manager', them.manager],
    ['left on', them.leftOn],
  ].filter(([, v]) => v)
})
</script>

<template>
  <div class="page">
    <PeopleNav />
    <p v-if="person.error.value" class="says">{{ person.error.value.message }}</p>
    <p v-else-if="!p" class="soft">Reading…</p>
    <template v-else>
      <div class="row head">
        <h1>{{ p.row.name }}</h1>
        <span v-if="p.row.name !== p.row.key" class="soft">{{ p.row.key }}</span>
        <b :class="{ drop: p.row.state === 'left' && p.row.seats }" data-state>{{ states[p.row.state] }}</b>
        <span class="grow" />
        <RouterLink :to="`/entitlements/held/${encodeURIComponent(p.row.key)}`" data-seats
          >holds {{ count(p.row.seats, 'seat') }}</RouterLink
        >
      </div>
      <dl class="said">
        <div v-for="[name, value] in facts" :key="name">
          <dt>{{ name }}</dt>
          <dd>{{ value }}</dd>
        </div>
        <div>
          <dt>who is behind the account</dt>
          <dd>
            <Select
              v-if="mayWork"
              :model-value="p.mark"
              :options="[...marks]"
              option-label="label"
              option-value="value"
              :placeholder="marks[0].label"
              size="small"
              :disabled="busy"
              aria-label="who is behind the account"
              data-mark
              @update:model-value="mark($event)"
            />
            <template v-else>{{ marks.find((m) => m.value === p!.mark)?.label }}</template>
          </dd>
        </div>
      </dl>
      <p v-if="p.row.state === 'nobody'" class="soft" data-nobody>
        Nobody in particular is behind this account<template v-if="p.account && !p.mark"
          >: the list says that it is {{ p.account }}</template
        >. What it uses makes no named user; the device that it runs on counts by its main user, or by itself.
      </p>
      <p v-if="says" role="status" data-says>{{ says }}</p>

      <h2>Known as</h2>
      <div class="scrolls">
        <table class="lines" data-names>
          <thead>
            <tr>
              <th></th>
              <th>name</th>
              <th>said by</th>
              <th>with</th>
              <th class="num">logged on to</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="n in p.named" :key="n.key" :data-named="n.key">
              <td>
                <input
                  v-if="mayWork && p.named.length > 1"
                  v-model="picked"
                  type="checkbox"
                  :value="n.key"
                  :aria-label="n.key"
                />
              </td>
              <td>{{ n.key }}</td>
              <td>{{ n.listed ? 'the list of users' : 'evidence' }}</td>
              <td class="soft">{{ told(n) }}</td>
              <td class="num">{{ n.devices ? count(n.devices, 'device') : '' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <form v-if="mayWork" class="sheet names" data-names-form @submit.prevent="decide">
        <div class="row">
          <template v-if="picked.length">
            <span>{{ picked.length === 1 ? 'This name is' : 'These names are' }} somebody else, because</span>
          </template>
          <template v-else>
            <label class="row"
              >also known as <InputText v-model="other" size="small" placeholder="a user_id or log-on name" data-other
            /></label>
            <span v-if="other.trim()">because</span>
          </template>
          <InputText
            v-if="draft"
            v-model="reason"
            size="small"
            class="grow"
            placeholder="why, for whoever asks later"
            aria-label="why"
            data-reason
          />
        </div>
        <EffectLine
          v-if="draft"
          :press="draft.together ? 'Join them' : 'Part them'"
          :ready="!!effect && !!reason.trim() && !busy"
          :says="effect ? `${whole(effect.before)} → ${count(effect.after, 'person', 'people')}` : ''"
          :failed="failed"
          @press="decide"
        >
          <PositionMoves v-if="effect" :moves="effect.moves" />
          <span v-if="effect && !reason.trim()" class="soft">say why, then press</span>
        </EffectLine>
      </form>

      <h2>Main user of {{ count(p.row.devices, 'device') }}</h2>
      <table v-if="p.machines.length" class="lines" data-machines>
        <tbody>
          <tr v-for="m in p.machines" :key="m.code">
            <td>
              <RouterLink :to="`/evidence/${encodeURIComponent(m.code)}`">{{ m.name }}</RouterLink>
            </td>
            <td>{{ word(m.kind) }}</td>
            <td>{{ word(m.status) }}</td>
          </tr>
        </tbody>
      </table>
      <template v-if="p.used.length">
        <h2>Used last</h2>
        <div class="scrolls">
          <table class="lines" data-used>
            <thead>
              <tr>
                <th>title</th>
                <th>on</th>
                <th>last</th>
                <th>use</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="u in p.used" :key="`${u.product} ${u.device}`">
                <td>
                  <RouterLink :to="`/use/title/${u.product}`">{{ u.name }}</RouterLink>
                </td>
                <td>
                  <RouterLink :to="`/evidence/${encodeURIComponent(u.device)}`">{{ u.device }}</RouterLink>
                </td>
                <td class="keep">{{ u.last }}</td>
                <td>{{ u.class }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
      <template v-if="p.moves.length">
        <h2>Comings and goings</h2>
        <ul>
          <li v-for="m in p.moves" :key="m.on + m.what">
            {{ m.on }}: {{ m.what }}<template v-if="m.from"> from {{ m.from }}</template
            ><template v-if="m.to"> to {{ m.to }}</template>
          </li>
        </ul>
      </template>
      <DecidedList :acts="decided(p.acts)" one="one person" two="two people" :take-back="takeBackAlike" />
      <OwnFields :key="p.row.key" kind="person" :thing="p.row.key" />
    </template>
  </div>
</template>

<style scoped>
.said {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 1.6rem;
  margin: 0.2rem 0 0.4rem;
}
.said dt {
  color: var(--soft);
  font-size: 0.85em;
}
.said dd {
  margin: 0;
}
.names {
  margin: 0.5rem 0;
}
</style>
