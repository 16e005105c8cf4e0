<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import MultiSelect from 'primevue/multiselect'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import TitlePick from '../components/TitlePick.vue'
import { whole, word } from '../lib/format'
import { useKept } from '../lib/kept'

/** One measure: a title, what could be done about it, and what that needs to know. */
type Measure = Schemas['Measure']
type Kind = Measure['kind']
const props = defineProps<{ product: number }>()
const emit = defineEmits<{ add: [m: Measure] }>()
const product = ref(props.product)
const name = ref('')
watch(
  () => props.product,
  (p) => {
    if (p && !product.value) product.value = p
  },
)
const kinds: { value: Kind; label: string; needs: string[] }[] = [
  { value: 'remove', label: 'remove it from devices', needs: ['devices'] },
  { value: 'buy', label: 'buy more', needs: ['like', 'quantity', 'price'] },
  { value: 'move', label: 'move rights to another unit', needs: ['line', 'quantity', 'unit'] },
  { value: 'upgrade', label: 'upgrade rights', needs: ['line', 'quantity', 'version', 'price'] },
  { value: 'version', label: 'put another version on devices', needs: ['devices', 'version'] },
  { value: 'reclaim', label: 'take seats back', needs: ['users'] },
  { value: 'right', label: 'agree on another right', needs: ['line', 'right'] },
  { value: 'metric', label: 'count a line otherwise', needs: ['line', 'metric', 'quantity'] },
  { value: 'maintenance', label: 'keep maintenance on', needs: ['line', 'until', 'price'] },
  { value: 'capacity', label: 'count whole hosts, or virtual cores alone', needs: ['line', 'capacity'] },
  { value: 'lapse', label: 'let a line lapse', needs: ['line'] },
  { value: 'pin', label: 'pin virtual machines to their hosts', needs: ['devices'] },
  { value: 'host', label: 'move virtual machines to another host', needs: ['devices', 'host'] },
  { value: 'leave_out', label: 'leave installs out of the count', needs: ['devices', 'reason'] },
]
const kind = ref<Kind>('remove')
const has = (what: string) => kinds.find((k) => k.value === kind.value)!.needs.includes(what)
const position = useQuery({
  queryKey: ['position', product, ''],
  queryFn: () =>
    ask(
      api.GET('/api/products/{id}/position', {
        params: { path: { id: product.value }, query: { asOf: '', known: '' } },
      }),
    ),
  enabled: computed(() => product.value > 0),
})
watch(position.data, (p) => p && (name.value = p.product), { immediate: true })
const lines = computed(() => position.data.value?.metrics.flatMap((m) => m.lines.map((l) => l.code)) ?? [])
const units = useQuery({
  queryKey: ['all-units', product],
  queryFn: () =>
    ask(api.GET('/api/products/{id}/units', { params: { path: { id: product.value }, query: { limit: 5000 } } })),
  enabled: computed(() => product.value > 0),
})
const devices = computed(() => {
  const seen = new Map<string, { code: string; label: string; open: boolean }>()
  for (const u of units.data.value ?? [])
    for (const d of u.guests.length
      ? u.guests.map((g) => ({ code: g.device, name: g.name }))
      : [{ code: u.device, name: u.deviceName }])
      if (d.code)
        seen.set(d.code, {
          code: d.code,
          label: `${d.name} ${d.code}, ${u.unit}`,
          open: !u.line || !!seen.get(d.code)?.open,
        })
  return [...seen.values()]
})
const uncovered = computed(() => devices.value.filter((d) => d.open).map((d) => d.code))
const users = computed(() =>
  (units.data.value ?? [])
    .filter((u) => u.user && u.why === 'assigned')
    .map((u) => ({ code: u.user, label: `${u.userName} ${u.user}` })),
)
const metrics = [
  'device',
  'installation',
  'named_user',
  'concurrent',
  'token',
  'processor',
  'core',
  'virtual_machine',
  'site',
]
const rights = ['older_versions', 'lower_editions', 'second_device', 'test_use', 'standby_use', 'virtual_use']
const blank = () => ({
  devices: [] as string[],
  users: [] as string[],
  line: '',
  quantity: '',
  unit: '',
  country: '',
  version: '',
  price: '',
  metric: '',
  right: '',
  until: '',
  capacity: 'sub',
  host: '',
  reason: '',
})
const { form: v, hold } = useKept(() => `measure:${product.value}`, blank)
const metric = computed(() => v.value.metric || position.data.value?.metrics.at(-1)?.metric || 'device')
const ready = computed(() => {
  if (!product.value) return false
  const q = Number(v.value.quantity)
  switch (kind.value) {
    case 'remove':
    case 'pin':
      return v.value.devices.length > 0
    case 'version':
      return v.value.devices.length > 0 && !!v.value.version
    case 'host':
      return v.value.devices.length > 0 && !!v.value.host.trim()
    case 'leave_out':
      return v.value.devices.length > 0 && !!v.value.reason.trim()
    case 'reclaim':
      return v.value.users.length > 0
    case 'buy':
      return q > 0
    case 'move':
      return !!v.value.line && q > 0 && !!(v.value.unit || v.value.country)
    case 'upgrade':
      return !!v.value.line && q > 0
    case 'right':
      return !!v.value.line && !!v.value.right
    case 'metric':
      return !!v.value.line && !!v.value.metric
    case 'maintenance':
      return !!v.value.line && !!v.value.until
  }
  return !!v.value.line
})
function add() {
  const m: Measure = { kind: kind.value, product: product.value }
  if (has('devices')) m.devices = v.value.devices
  if (has('users')) m.users = v.value.users
  if (has('line') || has('like')) m.line = v.value.line || undefined
  if (has('quantity') && v.value.quantity) m.quantity = Number(v.value.quantity)
  if (has('unit')) [m.unit, m.country] = [v.value.unit, v.value.country]
  if (has('version')) m.version = v.value.version
  if (has('price') && v.value.price) m.price = v.value.price
  if (kind.value === 'metric' || (kind.value === 'buy' && !v.value.line)) m.metric = metric.value
  if (has('right')) m.right = v.value.right
  if (has('until')) m.until = v.value.until
  if (has('capacity')) m.capacity = v.value.capacity
  if (has('host')) m.host = v.value.host.trim()
  if (has('reason')) m.reason = v.value.reason.trim()
  const added = hold()
  emit('add', m)
  added()
}
</script>

<template>
  <form class="measure sheet" @submit.prevent="ready && add()">
    <label
      >title
      <TitlePick
        :model-value="product"
        :name="name"
        @update:model-value="
          (id: number, n: string) => {
            product = id
            name = n
          }
        "
    /></label>
    <label
      >what
      <Select
        v-model="kind"
        :options="kinds"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="what"
        data-kind
    /></label>
    <template v-if="product">
      <label v-if="has('devices')"
        >devices
        <MultiSelect
          v-model="v.devices"
          :options="devices"
          option-label="label"
          option-value="code"
          filter
          size="small"
          :max-selected-labels="2"
          placeholder="which"
          data-devices
      /></label>
      <p v-if="has('devices') && uncovered.length" class="hint">
        <button class="plain" type="button" data-uncovered @click="v.devices = uncovered">
          the {{ whole(uncovered.length) }} that nothing covers
        </button>
      </p>
      <label v-if="has('users')"
        >users
        <MultiSelect
          v-model="v.users"
          :options="users"
          option-label="label"
          option-value="code"
          filter
          size="small"
          :max-selected-labels="2"
          placeholder="whose seats"
      /></label>
      <label v-if="has('line')"
        >line
        <Select
          v-model="v.line"
          :options="lines"
          size="small"
          placeholder="which entitlement"
          aria-label="line"
          data-line
      /></label>
      <label v-if="has('like')"
        >like
        <Select
          v-model="v.line"
          :options="lines"
          size="small"
          show-clear
          :placeholder="`new, by ${word(metric)}`"
          aria-label="like"
          data-line
      /></label>
      <label v-if="kind === 'metric'"
        >counted by <Select v-model="v.metric" :options="metrics" :option-label="word" size="small"
      /></label>
      <label v-if="has('right')"
        >right <Select v-model="v.right" :options="rights" :option-label="word" size="small"
      /></label>
      <label v-if="has('quantity')"
        >how many <InputText v-model="v.quantity" inputmode="numeric" size="small" name="quantity"
      /></label>
      <label v-if="has('unit')">to the unit <InputText v-model="v.unit" size="small" /></label>
      <label v-if="has('unit')">or country <InputText v-model="v.country" size="small" /></label>
      <label v-if="has('version')">version <InputText v-model="v.version" size="small" /></label>
      <label v-if="has('capacity')"
        >counted by
        <Select
          v-model="v.capacity"
          :options="[
            { value: 'sub', label: 'virtual cores alone (sub-capacity)' },
            { value: 'full', label: 'whole hosts (full capacity)' },
          ]"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="capacity"
      /></label>
      <label v-if="has('host')"
        >to the host <InputText v-model="v.host" size="small" name="host" placeholder="its device_id"
      /></label>
      <label v-if="has('reason')">why <InputText v-model="v.reason" size="small" name="reason" /></label>
      <label v-if="has('until')">up to <InputText v-model="v.until" type="date" size="small" /></label>
      <label v-if="has('price')"
        >price of one
        <InputText
          v-model="v.price"
          inputmode="decimal"
          size="small"
          :placeholder="kind === 'buy' ? 'as the line cost, else list price' : ''"
      /></label>
    </template>
    <Button type="submit" label="Put it into the scenario" size="small" :disabled="!ready" data-add />
  </form>
</template>

<style scoped>
.measure {
  display: grid;
  gap: 0.35rem;
  justify-items: start;
}
.measure label {
  display: grid;
  grid-template-columns: 6.5rem minmax(0, 1fr);
  align-items: center;
  width: 100%;
}
.hint {
  margin: 0 0 0 6.5rem;
}
</style>
