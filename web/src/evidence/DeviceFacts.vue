<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import SureButton from '../components/SureButton.vue'
import { useAct } from '../lib/act'
import { day, word } from '../lib/format'
import { useSession } from '../lib/session'
import PutRight from './PutRight.vue'

/** What a device is: what holds, and of what was put right by hand who said so, and what sources say instead. */
const props = defineProps<{ device: Schemas['DeviceView'] }>()
const mayWork = useSession().may('work')
const words = useQuery({
  queryKey: ['device', computed(() => props.device.code), 'words'],
  queryFn: () => ask(api.GET('/api/devices/{code}/words', { params: { path: { code: props.device.code } } })),
})
const said = computed(() => words.data.value?.words ?? [])
const later = computed(() => said.value.filter((w) => !w.holds))
const editing = ref(false)
const facts = computed(() => {
  const x = props.device
  const own = x.custom ? Object.entries(JSON.parse(x.custom) as Record<string, string>) : []
  const list: { name: string; value: string; fields: string[] }[] = [
    { name: 'device_id', value: x.code, fields: [] },
    { name: 'kind', value: word(x.kind), fields: ['kind'] },
    { name: 'environment', value: x.environment, fields: ['environment'] },
    { name: 'unit', value: x.unit, fields: ['org_unit'] },
    { name: 'site', value: [x.site, x.country].filter(Boolean).join(', '), fields: ['site', 'country'] },
    {
      name: 'main user',
      value: x.userName ? `${x.userName} (${x.user})` : x.user || 'nobody known',
      fields: ['primary_user'],
    },
    { name: 'system', value: x.os, fields: [] },
    {
      name: 'processors',
      value: x.processors
        ? `${x.processors} with ${x.cores} cores`
        : x.virtualCores
          ? `${x.virtualCores} virtual cores`
          : '',
      fields: ['processors', 'cores', 'virtual_cores', 'core_factor'],
    },
    { name: 'host', value: [x.hostId, x.cluster].filter(Boolean).join(', '), fields: ['host_id', 'cluster', 'pinned'] },
    { name: 'portable', value: x.portable, fields: ['portable'] },
    { name: 'status', value: word(x.status), fields: ['status'] },
    { name: 'address', value: x.ipAddress, fields: [] },
    ...own.map(([name, value]) => ({ name, value, fields: [`own:${name}`] })),
  ]
  return list
    .map((f) => ({ ...f, words: said.value.filter((w) => w.holds && f.fields.includes(w.field)) }))
    .filter((f) => f.value || f.words.length)
})
const nameOf = (field: string) => word(field.replace(/^own:/, ''))
const { says, act } = useAct()
const drop = (field: string) =>
  act(async () => {
    const body = {
      devices: [props.device.code],
      field,
      value: '',
      drop: true,
      from: '',
      reason: 'what sources say holds again',
      revisions: [words.data.value!.revision],
    }
    await ask(api.POST('/api/words', { body }))
  }, 'Taken back: what sources say holds again.')
</script>

<template>
  <section class="sheet" data-facts>
    <div class="row">
      <h2>What it is</h2>
      <span class="grow" />
      <button v-if="mayWork" class="plain" type="button" data-edit @click="editing = !editing">
        {{ editing ? 'close' : 'put right' }}
      </button>
    </div>
    <PutRight v-if="editing" :devices="[device.code]" @done="editing = false" />
    <table class="lines facts">
      <tbody>
        <tr v-for="f in facts" :key="f.name">
          <th scope="row">{{ f.name }}</th>
          <td>
            {{ f.value }}
            <div v-for="w in f.words" :key="w.field" class="soft word" :data-word="w.field">
              by hand since {{ w.from }}: {{ w.author }}, {{ day(w.at) }}, “{{ w.reason }}”;
              {{ w.sources ? `sources say ${word(w.sources)}` : 'sources say nothing' }}
              <SureButton
                v-if="mayWork"
                label="take it back"
                :ask="`Let what sources say of the ${nameOf(w.field)} hold again?`"
                sure="take it back"
                @sure="drop(w.field)"
              />
            </div>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-for="w in later" :key="w.field + w.from" class="soft" data-later>
      {{ nameOf(w.field) }} {{ word(w.value) }} from {{ w.from }} ({{ w.author }}, “{{ w.reason }}”)
    </p>
    <p v-if="says" role="status" data-says>{{ says }}</p>
  </section>
</template>

<style scoped>
.facts th {
  font-weight: 400;
  width: 6.5rem;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
}
.word {
  font-size: 0.9em;
}
</style>
