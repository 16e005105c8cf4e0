<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { api, ask } from '../api/client'
import { word } from '../lib/format'
import { useSession } from '../lib/session'

/**
 * After how many days evidence is stale, by kind of device and kind of evidence; an empty field follows the one above.
 * And by which days the house counts: its time zone, the window of use, and how much of a window must be measured.
 */
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const rules = useQuery({ queryKey: ['rules'], queryFn: () => ask(api.GET('/api/rules')) })
const kinds = ['software', 'hardware', 'use', 'directory'] as const
const devices = ['', 'client', 'server', 'vm_host', 'virtual_machine', 'container_host', 'mobile']
const days = ref<Record<string, number | null>>({})
const zone = ref('')
const demandDays = ref<number | null>(30)
const leastShare = ref<number | null>(80)
const zones = Intl.supportedValuesOf('timeZone')
watch(
  rules.data,
  (r) => {
    days.value = {}
    zone.value = r?.zone ?? ''
    demandDays.value = r?.demandDays ?? 30
    leastShare.value = Math.round((r?.leastShare ?? 0.8) * 100)
    for (const l of r?.limits ?? []) days.value[`${l.device}/${l.evidence}`] = l.days
  },
  { immediate: true },
)
const fallback = (d: string, k: string) => (d && days.value[`/${k}`]) || rules.data.value?.freshDays
const says = ref('')
const limits = computed(() =>
  devices.flatMap((device) =>
    kinds
      .filter((evidence) => days.value[`${device}/${evidence}`])
      .map((evidence) => ({ device, evidence, days: days.value[`${device}/${evidence}`]! })),
  ),
)
async function save() {
  const r = rules.data.value!
  try {
    await ask(
      api.PUT('/api/rules', {
        body: {
          freshDays: r.freshDays,
          useWindow: r.useWindow,
          graceDays: r.graceDays,
          limits: limits.value,
          demandDays: demandDays.value ?? undefined,
          leastShare: leastShare.value === null ? undefined : leastShare.value / 100,
          zone: zone.value === 'UTC' ? '' : zone.value.trim(),
        },
      }),
    )
    says.value = 'Set; figures are being renewed.'
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
</script>

<template>
  <details class="limits">
    <summary>When evidence counts as stale, and by which days the house counts</summary>
    <div class="row days">
      <label>
        the house’s days turn by the clock of
        <InputText
          v-model="zone"
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
        use makes a named user within
        <InputNumber
          v-model="demandDays"
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
          v-model="leastShare"
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
              v-model="days[`${d}/${k}`]"
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
      <Button label="Set these" size="small" @click="save" />
      <span v-if="says" role="status">{{ says }}</span>
    </div>
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
