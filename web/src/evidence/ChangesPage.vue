<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import MultiSelect from 'primevue/multiselect'
import Select from 'primevue/select'
import { computed, defineAsyncComponent, ref } from 'vue'
import { api, ask } from '../api/client'
import GroupFilter from '../components/GroupFilter.vue'
import ListFilter from '../components/ListFilter.vue'
import ListTable, { type ListColumn } from '../components/ListTable.vue'
import { count, day, moment } from '../lib/format'
import { useListState } from '../lib/listState'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'

const DayPicture = defineAsyncComponent(() => import('../components/DayPicture.vue'))

/**
 * What was installed, removed, upgraded or rebuilt on devices between two scans; what is noise is quietened from then
 * on, what matters is sent by mail.
 */
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const { query, filter, setFilter, change, one } = useListState({ sort: 'at', desc: true })
if (!filter('quiet')) setFilter('quiet', '0')
const columns: ListColumn[] = [
  { key: 'at', label: 'scan of', width: '11.4rem', fixed: true },
  { key: 'kind', label: 'what', width: '6.2rem' },
  { key: 'device', label: 'device', width: '9rem' },
  { key: 'name', label: 'of' },
  { key: 'was', label: 'was', width: '8rem' },
  { key: 'now', label: 'is now', width: '8rem' },
  { key: 'publisher', label: 'publisher', width: '11rem' },
  { key: 'unit', label: 'unit', width: '9rem', hidden: true },
  { key: 'environment', label: 'environment', width: '7rem', hidden: true },
  { key: 'source', label: 'source', width: '8rem', hidden: true },
]
const picture = computed(() => one('picture') !== 'no')
const tally = useQuery({
  queryKey: ['changes-by-day', query],
  queryFn: () => ask(api.GET('/api/changes/by-day', { params: { query: { q: query.value.q, f: query.value.f } } })),
  enabled: picture,
  placeholderData: (before) => before,
})
const rules = useQuery({ queryKey: ['change-rules'], queryFn: () => ask(api.GET('/api/change-rules')) })
const groups = useQuery({ queryKey: ['groups'], queryFn: () => ask(api.GET('/api/groups')) })

const open = computed(() => one('rules') === 'yes')
const what = ref<'quiet' | 'mail'>('quiet')
const kinds = ref<string[]>([])
const name = ref('')
const publisher = ref('')
const group = ref('')
const address = ref('')
const says = ref('')
const draft = computed(() => ({
  what: what.value,
  kinds: kinds.value,
  name: name.value,
  publisher: publisher.value,
  group: group.value,
  address: address.value,
}))
const late = refDebounced(draft, 250)
const told = computed(() => kinds.value.length > 0 || !!name.value || !!publisher.value || !!group.value)
const touched = useQuery({
  queryKey: ['change-rule-preview', late],
  queryFn: () => ask(api.POST('/api/change-rules/preview', { body: late.value })),
  enabled: computed(() => open.value && told.value),
  retry: false,
})
async function add() {
  says.value = ''
  try {
    const done = await ask(api.POST('/api/change-rules', { body: draft.value }))
    says.value =
      what.value === 'quiet'
        ? `${count(done.count, 'change')} went quiet; more of the kind will.`
        : 'Mail goes out for what happens from now on.'
    name.value = publisher.value = group.value = address.value = ''
    kinds.value = []
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
async function end(id: number) {
  try {
    await ask(api.POST('/api/change-rules/{id}/end', { params: { path: { id } } }))
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
function quieten(row: { name: string; kind: string }) {
  what.value = 'quiet'
  kinds.value = [row.kind]
  name.value = row.name
  change({ rules: 'yes' })
}
</script>

<template>
  <div class="page fill">
    <EvidenceNav />
    <template v-if="picture">
      <DayPicture
        v-if="tally.data.value?.length"
        :tally="tally.data.value"
        data-picture
        @pick="(from) => setFilter('at', '>' + (Date.parse(from + 'T00:00:00Z') / 1000 - 1))"
      />
    </template>
    <ListTable
      name="changes"
      :columns="columns"
      sort="at"
      desc
      what="changes"
      row-key="id"
      :standing="['quiet=0']"
      empty="Nothing has changed between two scans yet. A device's first scan changes nothing."
      @open="() => {}"
    >
      <template #filters>
        <ListFilter
          column="kind"
          label="what"
          any="anything"
          :options="['installed', 'removed', 'upgraded', 'hardware']"
        />
        <ListFilter
          column="quiet"
          label="noise"
          any="with noise"
          :options="[
            { label: 'without noise', value: '0' },
            { label: 'noise alone', value: '>0' },
          ]"
        />
        <GroupFilter />
        <span v-if="filter('at')" class="having"
          >since {{ day(Number(filter('at').slice(1)) + 1) }}
          <button class="plain" type="button" aria-label="of all time" @click="setFilter('at', '')">✕</button></span
        >
      </template>
      <template #actions>
        <button class="plain" type="button" @click="change({ picture: picture ? 'no' : undefined })">
          {{ picture ? 'without picture' : 'picture' }}
        </button>
        <button class="plain" type="button" data-rules @click="change({ rules: open ? undefined : 'yes' })">
          Noise and mail ({{ rules.data.value?.length ?? 0 }})
        </button>
      </template>
      <template #above>
        <form v-if="open" class="sheet rules" data-rule-form @submit.prevent="add">
          <table v-if="rules.data.value?.length" class="lines">
            <tbody>
              <tr v-for="r in rules.data.value" :key="r.id">
                <td>
                  <b>{{ r.what === 'quiet' ? 'noise' : 'mail' }}</b>
                </td>
                <td>{{ r.words }}</td>
                <td class="soft">{{ count(r.touches, 'change') }} on record</td>
                <td class="soft">{{ r.author }}, {{ day(r.at) }}</td>
                <td>
                  <button v-if="mayWork" class="plain" type="button" @click="end(r.id)">end it</button>
                </td>
              </tr>
            </tbody>
          </table>
          <div v-if="mayWork" class="row">
            <Select
              v-model="what"
              :options="[
                { label: 'Noise is', value: 'quiet' },
                { label: 'Send by mail', value: 'mail' },
              ]"
              option-label="label"
              option-value="value"
              size="small"
              aria-label="noise or mail"
            />
            <MultiSelect
              v-model="kinds"
              :options="['installed', 'removed', 'upgraded', 'hardware']"
              size="small"
              placeholder="any change"
              aria-label="kinds of change"
            />
            <span>of</span>
            <InputText v-model="name" size="small" placeholder="any name, with *" aria-label="name" />
            <span>by</span>
            <InputText v-model="publisher" size="small" placeholder="any publisher" aria-label="publisher" />
            <Select
              v-model="group"
              :options="[
                { label: 'on any device', value: '' },
                ...(groups.data.value ?? []).map((g) => ({ label: `in ${g.name}`, value: g.name })),
              ]"
              option-label="label"
              option-value="value"
              size="small"
              placeholder="on any device"
              aria-label="group"
            />
            <InputText
              v-if="what === 'mail'"
              v-model="address"
              size="small"
              type="email"
              placeholder="to which address"
              aria-label="mail address"
            />
            <Button
              type="submit"
              size="small"
              :disabled="!told || (what === 'mail' && !address)"
              :label="
                what === 'mail'
                  ? 'Send these from now on'
                  : `Quieten ${touched.data.value && told ? count(touched.data.value.count, 'change') : 'them'}`
              "
              data-add-rule
            />
          </div>
          <p v-if="touched.error.value && told" class="says">{{ touched.error.value.message }}</p>
          <p v-if="says" role="status">{{ says }}</p>
          <RouterLink v-if="rules.data.value?.some((r) => r.what === 'mail')" to="/evidence/changes/mail" class="soft"
            >Mail that went out</RouterLink
          >
        </form>
      </template>
      <template #cell-at="{ row }">{{ moment(row.at) }}</template>
      <template #cell-kind="{ row }">
        <span :class="row.kind">{{
          { installed: '+', removed: '−', upgraded: '↑', hardware: '◆' }[row.kind] ?? ''
        }}</span>
        {{ row.kind }}
      </template>
      <template #cell-device="{ row }"
        ><RouterLink :to="`/evidence/${encodeURIComponent(row.code)}`">{{ row.device }}</RouterLink></template
      >
      <template #cell-name="{ row }">
        <span :title="row.name"
          ><RouterLink v-if="row.productId" :to="`/titles/${row.productId}`">{{ row.name }}</RouterLink
          ><template v-else>{{ row.name }}</template></span
        >
        <button
          v-if="mayWork && !row.quiet"
          class="plain soft hush"
          type="button"
          title="Call changes like this noise"
          @click.stop="quieten(row)"
        >
          noise?
        </button>
      </template>
    </ListTable>
    <p v-if="tally.error.value" class="says">{{ tally.error.value.message }}</p>
  </div>
</template>

<style scoped>
.installed {
  color: var(--owned);
  font-weight: 700;
}
.removed {
  color: var(--short);
  font-weight: 700;
}
.hardware {
  color: var(--doubt);
}
.having {
  border: 1px solid var(--line);
  background: var(--sheet);
  padding: 0.05rem 0.5rem;
}
.having button {
  text-decoration: none;
}
.rules {
  overflow-x: auto;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.5rem;
  margin-bottom: 0.5rem;
}
.rules p {
  margin: 0;
}
.hush {
  visibility: hidden;
  margin-left: 0.5rem;
}
tr:hover .hush,
tr:focus-within .hush {
  visibility: visible;
}
</style>
