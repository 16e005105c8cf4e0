<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import { computed, ref, watch } from 'vue'
import { api, ask } from '../api/client'
import { word } from '../lib/format'
import { useSession } from '../lib/session'

/**
 * After how many days evidence is stale, by kind of device and kind of evidence. An empty field follows the one
 * above.
 */
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const rules = useQuery({ queryKey: ['rules'], queryFn: () => ask(api.GET('/api/rules')) })
const kinds = ['software', 'hardware', 'use', 'directory'] as const
const devices = ['', 'client', 'server', 'vm_host', 'virtual_machine', 'container_host', 'mobile']
const days = ref<Record<string, number | null>>({})
watch(
  rules.data,
  (r) => {
    days.value = {}
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
        body: { freshDays: r.freshDays, useWindow: r.useWindow, graceDays: r.graceDays, limits: limits.value },
      }),
    )
    says.value = 'The limits are set; figures are being renewed.'
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
</script>

<template>
  <details class="limits">
    <summary>When evidence counts as stale</summary>
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
      <Button label="Set these limits" size="small" @click="save" />
      <span v-if="says" role="status">{{ says }}</span>
    </div>
  </details>
</template>

<style scoped>
.limits {
  padding-top: 0.5rem;
}
.limits table {
  width: auto;
}
.limits :deep(.few) {
  width: 4.5rem;
}
summary {
  cursor: pointer;
}
</style>
