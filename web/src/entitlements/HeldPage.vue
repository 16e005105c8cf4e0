<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { count, word } from '../lib/format'
import { useAct } from '../lib/act'
import { useSession } from '../lib/session'
import EntitlementsNav from './EntitlementsNav.vue'

/**
 * All that one person holds, on a page to print or to send: seats, devices with what is licensed on them, and what he
 * waits for. A leaver's seats are taken back here.
 */
const props = defineProps<{ code: string }>()
const mayWork = useSession().may('work')
const held = useQuery({
  queryKey: ['held', computed(() => props.code)],
  queryFn: () => ask(api.GET('/api/people/{code}/held', { params: { path: { code: props.code } } })),
})
const h = computed(() => held.data.value)
const { says, act } = useAct()
const done = ref<Schemas['HandedBack']>()
const sent = ref('')
const address = ref('')
const back = () =>
  act(async () => {
    const ids = h.value!.seats.map((s) => s.id)
    done.value = await ask(api.POST('/api/seats/hand-back', { body: { ids, give: true } }))
  })
function mail() {
  const to = address.value
  sent.value = ''
  return act(async () => {
    const params = { path: { code: props.code } }
    await ask(api.POST('/api/people/{code}/held/mail', { params, body: { address: to } }))
    sent.value = to
  })
}
const print = () => window.print()
</script>

<template>
  <div class="page held">
    <div class="screen"><EntitlementsNav /></div>
    <p v-if="held.error.value" class="says">{{ held.error.value.message }}</p>
    <p v-else-if="!h" class="soft">Reading…</p>
    <template v-else>
      <div class="row head">
        <h1>What {{ h.name }} holds</h1>
        <span class="soft gap">{{ h.user }}, {{ h.unit }}, {{ h.site }}, as of {{ h.asOf }}</span>
        <b v-if="h.status === 'left'" class="short">left on {{ h.leftOn || 'an unknown day' }}</b>
        <span class="grow" />
        <span class="row screen">
          <Button label="Print" size="small" severity="secondary" @click="print" />
          <template v-if="mayWork">
            <InputText v-model="address" size="small" placeholder="an address" type="email" />
            <Button
              label="Mail it"
              size="small"
              severity="secondary"
              :disabled="!address.includes('@')"
              @click="mail"
            />
          </template>
        </span>
      </div>
      <p v-if="says" class="says" role="alert">{{ says }}</p>
      <p v-if="sent" role="status">On its way to {{ sent }}.</p>
      <p v-if="done" role="status" data-handed>
        {{ count(done.seats, 'seat') }} handed back<template v-if="done.given.length"
          >; {{ done.given.map((g) => `${g.name} got ${g.product} (${g.line})`).join(', ') }}</template
        >.
      </p>
      <h2>Seats: {{ h.seats.length }}</h2>
      <table class="lines" data-held-seats>
        <tbody>
          <tr v-for="s in h.seats" :key="s.id">
            <td>
              <RouterLink :to="`/position/${s.productId}`"
                ><b>{{ s.product }}</b></RouterLink
              >
              {{ s.edition }} <span class="soft gap">{{ s.publisher }}</span>
            </td>
            <td>
              of <RouterLink :to="`/entitlements/line/${encodeURIComponent(s.line)}`">{{ s.line }}</RouterLink>
            </td>
            <td>since {{ s.from }}</td>
          </tr>
          <tr v-if="!h.seats.length">
            <td class="soft">No seat.</td>
          </tr>
        </tbody>
      </table>
      <Button
        v-if="mayWork && h.seats.length"
        class="screen"
        :label="`Take back ${count(h.seats.length, 'seat')}, and give to who waits`"
        size="small"
        data-take-all
        @click="back"
      />
      <h2>Devices: {{ h.devices.length }}</h2>
      <table class="lines">
        <tbody>
          <tr v-for="d in h.devices" :key="d.code">
            <td class="dev">
              <RouterLink :to="`/evidence/${encodeURIComponent(d.code)}`">{{ d.name }}</RouterLink>
              <div class="soft">{{ d.code }}, {{ word(d.kind) }}, {{ word(d.status) }}</div>
            </td>
            <td>{{ d.titles.join(', ') || 'nothing on it needs a right' }}</td>
          </tr>
          <tr v-if="!h.devices.length">
            <td class="soft">Main user of no device.</td>
          </tr>
        </tbody>
      </table>
      <template v-if="h.waits.length">
        <h2>Waits for</h2>
        <p v-for="w in h.waits" :key="w.id">
          {{ w.product }} <span class="soft gap">{{ w.note }}</span>
        </p>
      </template>
    </template>
  </div>
</template>

<style scoped>
.held {
  max-width: 72rem;
}
h2 {
  margin: 0.9rem 0 0.2rem;
}
.dev {
  width: 14rem;
}
@media print {
  .screen {
    display: none !important;
  }
}
</style>
<style>
@media print {
  header,
  nav,
  .stations {
    display: none !important;
  }
  #app {
    height: auto;
  }
  .page {
    overflow: visible !important;
  }
}
</style>
