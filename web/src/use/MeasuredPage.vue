<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import { useDraft } from '../lib/draft'
import { count, whole } from '../lib/format'
import { useSession } from '../lib/session'
import MeterChoices from './MeterChoices.vue'
import UseNav from './UseNav.vue'

/** What is measured, on which devices, how long it is kept, and how much of it was lost on the way. */
const { may } = useSession()
const mayRun = may('run')
const measured = useQuery({ queryKey: ['metering'], queryFn: () => ask(api.GET('/api/metering')) })
const m = computed(() => measured.data.value)
const keeping = [
  { of: 'events', days: 'eventDays', word: 'raw events of processes' },
  { of: 'sessions', days: 'sessionDays', word: 'runs of programs' },
  { of: 'days', days: 'dayDays', word: 'days of use' },
] as const
interface Draft {
  revision: number
  eventDays: number
  sessionDays: number
  dayDays: number
}
const stored = (): Draft | undefined =>
  m.value && {
    revision: m.value.revision,
    eventDays: m.value.eventDays,
    sessionDays: m.value.sessionDays,
    dayDays: m.value.dayDays,
  }
const form = useDraft<Draft>(() => 'kept-use', stored)
const draft = form.draft
const keep = () => form.save((body) => ask(api.PUT('/api/metering/kept', { body })), 'Kept so long from now on.')
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
    <MeterChoices v-if="m" :choices="m.choices" />
    <div v-if="m" class="two">
      <form v-if="draft" class="sheet" @submit.prevent="keep">
        <h2>How long it is kept</h2>
        <table class="lines fields">
          <tbody>
            <tr v-for="k in keeping" :key="k.of">
              <td>{{ k.word }}</td>
              <td class="num">{{ whole(m[k.of]) }}</td>
              <td>
                <InputNumber
                  v-model="draft[k.days]"
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
        <DraftKept
          :kept="form.kept.value"
          :dirty="form.dirty.value"
          :others="form.others.value"
          @discard="form.discard"
        />
        <OtherChange
          v-if="form.other.value"
          :conflict="form.other.value"
          :mine="draft"
          :base="form.base.value"
          :theirs="stored()"
          @save="(theirs) => (form.settle(theirs), keep())"
        />
        <Button v-if="mayRun" type="submit" label="Keep it so long" size="small" :loading="form.busy.value" data-keep />
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
    <p v-if="form.says.value" role="status" data-says>{{ form.says.value }}</p>
  </div>
</template>

<style scoped>
.two {
  margin-top: 1rem;
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
</style>
