<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import PositionMoves from '../components/PositionMoves.vue'
import { useAct } from '../lib/act'
import { count, day, whole } from '../lib/format'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import DecidedList from '../components/DecidedList.vue'
import { takeBackSame } from './same'

/** What sources call this device, by which signs it is told from others, and how some of it becomes another device. */
const props = defineProps<{ code: string }>()
const { may } = useSession()
const mayWork = may('work')
const names = useQuery({
  queryKey: ['device', computed(() => props.code), 'names'],
  queryFn: () => ask(api.GET('/api/devices/{code}/names', { params: { path: { code: props.code } } })),
})
const list = computed(() => names.data.value?.namedAs ?? [])
const picked = ref<number[]>([])
const reason = ref('')
watch(
  () => props.code,
  () => {
    picked.value = []
    reason.value = ''
  },
)
const draft = computed(() =>
  picked.value.length && picked.value.length < list.value.length
    ? { pairs: [], together: false, device: props.code, records: picked.value, reason: reason.value }
    : undefined,
)
// why it is so changes nothing of what it does
const asked = computed(() => draft.value && { ...draft.value, reason: '' })
const { effect, failed } = usePreview('part', asked, (b, signal) =>
  ask(api.POST('/api/same/preview', { body: b, signal })),
)
const { busy, says, act } = useAct()
const part = () =>
  act(
    async () => {
      const done = await ask(api.POST('/api/same', { body: draft.value! }))
      picked.value = []
      reason.value = ''
      return done.device
    },
    (code) => `What you chose is the device ${code} now.`,
  )
function signs(n: Schemas['NamedAs']): string {
  return [
    n.names.length > 1 ? `once ${n.names.slice(1).join(', ')}` : '',
    n.serial ? `serial ${n.serial}` : '',
    n.machineId ? `machine id ${n.machineId}` : '',
    n.directory ? `directory object ${n.directory}` : '',
    n.addresses.length ? n.addresses.join(', ') : '',
  ]
    .filter(Boolean)
    .join('; ')
}
</script>

<template>
  <template v-if="list.length">
    <h2>Known as</h2>
    <div class="scrolls">
      <table class="lines" data-known-as>
        <thead>
          <tr>
            <th></th>
            <th>source</th>
            <th>calls it</th>
            <th>name</th>
            <th>signs</th>
            <th>said</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="n in list" :key="n.record" :data-called="n.key">
            <td>
              <input
                v-if="mayWork && list.length > 1"
                v-model="picked"
                type="checkbox"
                :value="n.record"
                :aria-label="`${n.source || 'device list'}: ${n.key}`"
              />
            </td>
            <td>{{ n.source || 'device list' }}</td>
            <td>{{ n.key }}</td>
            <td>{{ n.names[0] ?? '' }}</td>
            <td class="soft">{{ signs(n) }}</td>
            <td class="keep soft">
              <template v-if="n.last"
                >{{ n.first && day(n.first) !== day(n.last) ? `${day(n.first)} to ` : '' }}{{ day(n.last) }}</template
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <form v-if="draft" class="sheet" data-part @submit.prevent="part">
      <div class="row">
        <span>{{ count(picked.length, 'name') }} of these is another machine, because</span>
        <InputText v-model="reason" size="small" class="grow" placeholder="why" aria-label="why" data-part-why />
      </div>
      <EffectLine
        press="Part them"
        :ready="!!effect && !!reason.trim() && !busy"
        :says="effect ? `${whole(effect.before)} → ${count(effect.after, 'device')}` : ''"
        :failed="failed"
        @press="part"
      >
        <PositionMoves v-if="effect" :moves="effect.moves" />
        <span v-if="effect && !reason.trim()" class="soft">say why, then press</span>
      </EffectLine>
    </form>
    <p v-if="says" role="status" data-parted>{{ says }}</p>
    <DecidedList :acts="names.data.value?.acts ?? []" one="one machine" two="two machines" :take-back="takeBackSame" />
  </template>
</template>
