<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { word } from '../lib/format'

/** A line of entitlements as it is typed. What cannot be right is said beside its field before anything is kept. */
const v = defineModel<Record<string, string>>({ required: true })
const props = defineProps<{ old: string; press: string; busy: boolean; failed: string }>()
const emit = defineEmits<{ save: [] }>()
interface Field {
  key: string
  label: string
  hint?: string
  date?: boolean
  when?: () => boolean
}
const of = (key: string, ...any: string[]) => any.includes(v.value[key] ?? '')
const groups: { name: string; fields: Field[] }[] = [
  {
    name: 'What',
    fields: [
      { key: 'entitlement_id', label: 'number' },
      { key: 'publisher', label: 'publisher' },
      { key: 'product', label: 'product' },
      { key: 'edition', label: 'edition' },
      { key: 'version', label: 'highest version' },
      { key: 'kind', label: 'kind' },
      { key: 'base', label: 'upgrades', hint: 'the entitlement_id of its base', when: () => of('kind', 'upgrade') },
    ],
  },
  {
    name: 'How many, counted how',
    fields: [
      { key: 'metric', label: 'counted by' },
      { key: 'quantity', label: 'quantity' },
      { key: 'pack_size', label: 'pack of', hint: 'the quantity then counts packs' },
      { key: 'min_per_processor', label: 'least, processor', when: () => of('metric', 'core') },
      { key: 'min_per_server', label: 'least, server', when: () => of('metric', 'core') },
      { key: 'capacity', label: 'capacity', when: () => of('metric', 'core', 'processor') },
      { key: 'versions_counted', label: 'versions count', hint: 'once', when: () => of('metric', 'installation') },
      { key: 'scope_unit', label: 'for the unit' },
      { key: 'scope_country', label: 'for the country' },
    ],
  },
  {
    name: 'When and for how much',
    fields: [
      { key: 'purchased', label: 'bought on', date: true },
      { key: 'start', label: 'starts', date: true },
      { key: 'end', label: 'ends', date: true },
      { key: 'maintenance_end', label: 'maintained until', date: true },
      { key: 'unit_price', label: 'price of one' },
      { key: 'currency', label: 'currency' },
      { key: 'order', label: 'order' },
      { key: 'contract', label: 'contract' },
    ],
  },
]
const choices: Record<string, string[]> = {
  metric: [
    'device',
    'installation',
    'named_user',
    'concurrent',
    'token',
    'processor',
    'core',
    'virtual_machine',
    'site',
  ],
  kind: ['perpetual', 'subscription', 'maintenance', 'upgrade', 'trial'],
  capacity: ['full', 'sub'],
  versions_counted: ['once', 'each'],
}
const rights: [string, string][] = [
  ['older_versions', 'older versions too'],
  ['lower_editions', 'lower editions too'],
  ['second_device', 'a second, portable device of the same user'],
  ['test_use', 'test and development machines'],
  ['standby_use', 'standby machines'],
  ['virtual_use', 'virtual machines of a host that has a right'],
]
const chosen = computed({
  get: () => (v.value.rights ?? '').split('|').filter(Boolean),
  set: (list: string[]) => (v.value = { ...v.value, rights: list.join('|') }),
})
const late = refDebounced(v, 300)
const checks = useQuery({
  queryKey: ['check-line', late, computed(() => props.old)],
  queryFn: () => ask(api.POST('/api/lines/check', { body: { values: late.value, old: props.old } })),
  staleTime: 0,
  retry: false,
})
const about = (key: string) => checks.data.value?.filter((c) => c.field === key) ?? []
const shown = new Set(groups.flatMap((g) => g.fields.map((f) => f.key)))
const others = computed(() => checks.data.value?.filter((c) => !shown.has(c.field)) ?? [])
const serious = computed(() => checks.data.value?.some((c) => c.serious) ?? false)
const ready = computed(() => !!v.value.entitlement_id && !!v.value.product && !!v.value.quantity && !serious.value)
</script>

<template>
  <form class="book" @submit.prevent="ready && emit('save')">
    <fieldset v-for="g in groups" :key="g.name">
      <legend>{{ g.name }}</legend>
      <template v-for="f in g.fields" :key="f.key">
        <label v-if="!f.when || f.when() || v[f.key]">
          <span>{{ f.label }}</span>
          <Select
            v-if="choices[f.key]"
            v-model="v[f.key]"
            :aria-label="f.label"
            :options="choices[f.key]"
            :option-label="word"
            :placeholder="f.hint"
            size="small"
          />
          <InputText
            v-else
            v-model="v[f.key]"
            :name="f.key"
            size="small"
            :type="f.date ? 'date' : 'text'"
            :placeholder="f.hint"
            :disabled="f.key === 'entitlement_id' && !!old"
          />
        </label>
        <p
          v-for="c in about(f.key)"
          :key="c.text"
          :class="c.serious ? 'says' : 'drop'"
          class="about"
          :role="c.serious ? 'alert' : undefined"
          data-check
        >
          {{ c.text }}
        </p>
      </template>
    </fieldset>
    <fieldset>
      <legend>It also covers</legend>
      <label v-for="[key, label] in rights" :key="key" class="right"
        ><input v-model="chosen" type="checkbox" :value="key" :name="key" /> {{ label }}</label
      >
      <p
        v-for="c in others"
        :key="c.text"
        :class="c.serious ? 'says' : 'drop'"
        :role="c.serious ? 'alert' : undefined"
        data-check
      >
        {{ c.text }}
      </p>
    </fieldset>
    <div class="row wide">
      <Button type="submit" :label="press" size="small" :disabled="!ready" :loading="busy" data-book />
      <span v-if="failed" class="says" role="alert">{{ failed }}</span>
      <slot />
    </div>
  </form>
</template>

<style scoped>
.book {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(17rem, 1fr));
  gap: 0.4rem 1.6rem;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
legend {
  font-weight: 650;
  padding: 0 0 0.2rem;
}
label {
  display: grid;
  grid-template-columns: 8rem minmax(0, 1fr);
  align-items: center;
  padding: 0.1rem 0;
}
.right {
  display: flex;
  gap: 0.5rem;
}
.about {
  margin: 0 0 0.2rem 8rem;
  font-size: 0.9rem;
}
.wide {
  grid-column: 1 / -1;
}
</style>
