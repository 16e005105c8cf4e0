<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import { useDraft } from '../lib/draft'
import { word } from '../lib/format'
import { useSession } from '../lib/session'

/**
 * After how many days evidence is stale, by kind of device and kind of evidence; an empty field follows the one above.
 * And by which days the house counts: its time zone, the window of use, and how much of a window must be measured.
 */
const { may } = useSession()
const mayWork = may('work')
const rules = useQuery({ queryKey: ['rules'], queryFn: () => ask(api.GET('/api/rules')) })
const kinds = ['software', 'hardware', 'use', 'directory'] as const
const devices = ['', 'client', 'server', 'vm_host', 'virtual_machine', 'container_host', 'mobile']
const zones = Intl.supportedValuesOf('timeZone')
/** The rules as the form has them: days by kind of device and of evidence, a share in hundredths. */
interface Draft {
  revision: number
  days: Record<string, number | null>
  zone: string
  currency: string
  demandDays: number | null
  leastShare: number | null
}
function stored(): Draft | undefined {
  const r = rules.data.value
  return (
    r && {
      revision: r.revision,
      days: Object.fromEntries((r.limits ?? []).map((l) => [`${l.device}/${l.evidence}`, l.days])),
      zone: r.zone ?? '',
      currency: r.currency ?? 'EUR',
      demandDays: r.demandDays ?? 30,
      leastShare: Math.round((r.leastShare ?? 0.8) * 100),
    }
  )
}
const form = useDraft<Draft>(() => 'house-rules', stored)
const draft = form.draft
const fallback = (d: string, k: string) => (d && draft.value?.days[`/${k}`]) || rules.data.value?.freshDays
const limits = computed(() =>
  devices.flatMap((device) =>
    kinds
      .map((evidence) => ({ device, evidence, days: draft.value?.days[`${device}/${evidence}`] ?? 0 }))
      .filter((l) => l.days),
  ),
)
const save = () =>
  form.save((d) => {
    const { freshDays, useWindow, graceDays } = rules.data.value!
    return ask(
      api.PUT('/api/rules', {
        body: {
          revision: d.revision,
          freshDays,
          useWindow,
          graceDays,
          limits: limits.value,
          demandDays: d.demandDays ?? undefined,
          leastShare: d.leastShare === null ? undefined : d.leastShare / 100,
          zone: d.zone === 'UTC' ? '' : d.zone.trim(),
          currency: d.currency.trim().toUpperCase(),
        },
      }),
    )
  }, 'Set; figures are being renewed.')
/** What another changed, by the fields of the form. */
const mine = computed(() => {
  const d = draft.value
  return d
    ? { zone: d.zone, currency: d.currency, demandDays: d.demandDays, leastShare: d.leastShare, limits: limits.value }
    : {}
})
function settle(theirs: string[]) {
  form.settle(theirs.map((f) => (f === 'limits' ? 'days' : f)))
  void save()
}
</script>

<template>
  <details v-if="draft" class="limits">
    <summary>When evidence counts as stale, and by which days and in which currency the house counts</summary>
    <div class="row days">
      <label>
        the house’s days turn by the clock of
        <InputText
          v-model="draft.zone"
          size="small"
          list="house-zones"
          :disabled="!mayWork"
          placeholder="UTC"
          data-house-zone
          aria-label="time zone of the house"
        />
      </label>
      <datalist id="house-zones">
        <option v-for="z in zones" :key="z" :value="z" />
      </datalist>
      <label>
        sums are in
        <InputText
          v-model="draft.currency"
          size="small"
          maxlength="3"
          :disabled="!mayWork"
          data-house-currency
          aria-label="currency of the house"
          class="few"
        />
      </label>
      <label>
        use makes a named user within
        <InputNumber
          v-model="draft.demandDays"
          size="small"
          :min="1"
          :max="400"
          suffix=" days"
          :disabled="!mayWork"
          aria-label="days in which use makes a named user"
          input-class="few"
        />
      </label>
      <label>
        a window counts as measured from
        <InputNumber
          v-model="draft.leastShare"
          size="small"
          :min="0"
          :max="100"
          suffix=" %"
          :disabled="!mayWork"
          aria-label="least share of a window that must be measured"
          input-class="few"
        />
      </label>
    </div>
    <table class="lines">
      <thead>
        <tr>
          <th>days after which it is stale</th>
          <th v-for="k in kinds" :key="k">{{ k }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="d in devices" :key="d">
          <td>{{ d ? word(d) : 'every kind of device' }}</td>
          <td v-for="k in kinds" :key="k">
            <InputNumber
              v-model="draft.days[`${d}/${k}`]"
              size="small"
              :min="1"
              :max="1000"
              :disabled="!mayWork"
              :placeholder="String(fallback(d, k) ?? '')"
              :aria-label="`${d || 'every kind'}, ${k}`"
              input-class="few"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <div v-if="mayWork" class="row">
      <Button label="Set these" size="small" :loading="form.busy.value" @click="save" />
      <span v-if="form.says.value" role="status">{{ form.says.value }}</span>
    </div>
    <DraftKept :kept="form.kept.value" :dirty="form.dirty.value" :others="form.others.value" @discard="form.discard" />
    <OtherChange
      v-if="form.other.value"
      :conflict="form.other.value"
      :mine="mine"
      :theirs="rules.data.value && { ...rules.data.value }"
      :labels="{ limits: 'days after which it is stale', zone: 'time zone' }"
      @save="settle"
    />
  </details>
</template>

<style scoped>
.limits {
  padding-top: 0.5rem;
}
.limits[open] {
  flex: none;
  max-height: 13.5rem;
  overflow: auto;
}
.limits table {
  width: auto;
}
.limits :deep(.few) {
  width: 5.5rem;
}
.days {
  flex-wrap: wrap;
  gap: 0.4rem 1.6rem;
  margin: 0.5rem 0;
}
.days [data-house-zone] {
  width: 12rem;
}
summary {
  cursor: pointer;
}
</style>
