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

/** How far back days can be asked for, and what would be forgotten with another choice. */
const { may } = useSession()
const mayRun = may('run')
const history = useQuery({ queryKey: ['history'], queryFn: () => ask(api.GET('/api/history')) })
interface Draft {
  revision: number
  days: number | null
}
const stored = (): Draft | undefined =>
  history.data.value && { revision: history.data.value.revision, days: history.data.value.days || null }
const form = useDraft<Draft>(() => 'kept-history', stored)
const draft = form.draft
const least = 31
const days = computed(() => draft.value?.days ?? 0)
const effect = useQuery({
  queryKey: ['history', 'effect', days],
  queryFn: () => ask(api.GET('/api/history/effect', { params: { query: { days: days.value } } })),
  enabled: () => form.dirty.value && days.value >= least,
})
const most = 1_000_000
const some = (n: number, one: string) => (n < most ? count(n, one) : `more than ${whole(most)} ${one}s`)
const save = () =>
  form.save(
    (d) => ask(api.PUT('/api/history', { body: { revision: d.revision, days: d.days ?? 0 } })),
    'Saved. What is older is forgotten within a day.',
  )
</script>

<template>
  <details v-if="draft" class="limits" data-history>
    <summary>
      How far back days can be asked for:
      {{ history.data.value?.days ? count(history.data.value.days, 'day') : 'for ever' }}
    </summary>
    <p class="soft">
      Every figure can be asked for as of an earlier day. That needs what ended since, and every scan: a house that
      keeps it for ever has a file that grows for ever. What is there now, and statements that were handed over, stay in
      any case.
      <template v-if="history.data.value?.from">
        The first day that can be asked for is {{ history.data.value.from }}.
      </template>
    </p>
    <form class="row" @submit.prevent="save">
      <label>
        keep
        <InputNumber
          v-model="draft.days"
          size="small"
          :min="least"
          :max="36500"
          placeholder="for ever"
          suffix=" days"
          :disabled="!mayRun"
          aria-label="days that are kept"
          input-class="few"
          data-history-days
        />
      </label>
      <Button v-if="mayRun" type="submit" label="Save" size="small" :loading="form.busy.value" data-keep-history />
      <span v-if="form.says.value" role="status">{{ form.says.value }}</span>
    </form>
    <p v-if="form.dirty.value && effect.data.value" class="drop" data-history-effect>
      Days before {{ effect.data.value.from }} could not be asked for any more. Forgotten would be
      {{ some(effect.data.value.installs, 'install') }} that ended before, and
      {{ some(effect.data.value.changes, 'change') }} between scans<template v-if="effect.data.value.statements"
        >; {{ count(effect.data.value.statements, 'statement') }} could not be worked out again</template
      >. It does not come back.
    </p>
    <DraftKept :kept="form.kept.value" :dirty="form.dirty.value" :others="form.others.value" @discard="form.discard" />
    <OtherChange
      v-if="form.other.value"
      :conflict="form.other.value"
      :mine="draft"
      :base="form.base.value"
      :theirs="stored()"
      @save="(theirs) => (form.settle(theirs), save())"
    />
  </details>
</template>

<style scoped>
.limits {
  padding-top: 0.5rem;
}
.limits[open] {
  flex: none;
}
.limits :deep(.few) {
  width: 7rem;
}
.limits p {
  margin: 0.4rem 0;
  max-width: 60rem;
}
summary {
  cursor: pointer;
}
</style>
