<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed } from 'vue'
import { useHouse } from '../lib/house'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import OwnFields from '../components/OwnFields.vue'
import { useDraft } from '../lib/draft'
import { ownOr, useOwnFields } from '../lib/own'
import { money, whole } from '../lib/format'
import { useSession } from '../lib/session'
import EntitlementsNav from './EntitlementsNav.vue'

/** Contracts: when they end, until when notice must be given, who looks after them, and what their lines come to. */
const house = useHouse()
const route = useRoute()
const router = useRouter()
const mayWork = useSession().may('work')
const list = useQuery({ queryKey: ['contracts'], queryFn: () => ask(api.GET('/api/contracts')) })
const code = computed(() => String(route.query.code ?? ''))
const one = computed(() => list.data.value?.find((c) => c.code === code.value))
// fields of the house's own are columns here, by which the list is narrowed too
const own = useOwnFields(() => 'contract')
const narrowed = computed(() => String(route.query.own ?? ''))
const contracts = computed(() => {
  const [name, value] = narrowed.value.split('=')
  return (list.data.value ?? []).filter((c) => !narrowed.value || (c.own[name!.slice(4)] ?? '') === value)
})
const narrowings = computed(() => [
  { label: 'all contracts', value: '' },
  ...own.value.flatMap((f) => f.values.map((v) => ({ label: `${f.label}: ${v}`, value: `${f.name}=${v}` }))),
])
const blank = () => ({
  code: '',
  publisher: '',
  name: '',
  start: '',
  end: '',
  noticeDays: '0',
  renews: false,
  owner: '',
  note: '',
  revision: 0,
})
type Draft = ReturnType<typeof blank>
function stored(): Draft | undefined {
  if (code.value === 'new') return blank()
  const c = one.value
  if (!c) return undefined
  const { code: number, publisher, name, start, end, renews, owner, note, revision } = c
  return { code: number, publisher, name, start, end, noticeDays: String(c.noticeDays), renews, owner, note, revision }
}
const form = useDraft<Draft>(() => code.value && `contract:${code.value}`, stored)
const draft = form.draft
const anew = () => void router.replace({ query: { code: 'new' } })
async function save() {
  const number = draft.value!.code.trim()
  if (
    await form.save(
      (d) =>
        ask(api.POST('/api/contracts', { body: { ...d, noticeDays: Number(d.noticeDays) || 0, author: '', at: 0 } })),
      'It is kept.',
    )
  )
    void router.replace({ query: { code: number } })
}
</script>

<template>
  <div class="page fill">
    <EntitlementsNav />
    <div class="beside">
      <div class="list">
        <div class="row">
          <h1>Contracts</h1>
          <Select
            v-if="narrowings.length > 1"
            :model-value="narrowed"
            :options="narrowings"
            option-label="label"
            option-value="value"
            size="small"
            placeholder="all contracts"
            aria-label="contracts with a field of our own"
            data-narrow
            @update:model-value="(v: string) => router.replace({ query: { ...route.query, own: v || undefined } })"
          />
          <Button v-if="mayWork" label="A new contract" size="small" severity="secondary" @click="anew" />
        </div>
        <div class="scrolls">
          <table class="lines" data-contracts>
            <thead>
              <tr>
                <th>number</th>
                <th>name</th>
                <th>publisher</th>
                <th class="num">lines</th>
                <th class="num">titles</th>
                <th class="num">recurs, {{ house }}</th>
                <th class="num">bought for ever, {{ house }}</th>
                <th>ends</th>
                <th>notice by</th>
                <th>looked after by</th>
                <th v-for="f in own" :key="f.name">{{ ownOr(f.name) }}</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="c in contracts" :key="c.code" :class="{ on: c.code === code }">
                <td>
                  <button class="plain" type="button" @click="router.replace({ query: { code: c.code } })">
                    {{ c.code }}
                  </button>
                </td>
                <td>{{ c.name }}<span v-if="!c.at" class="soft">known from its lines alone</span></td>
                <td>{{ c.publisher }}</td>
                <td class="num">
                  <RouterLink :to="`/entitlements?q=${encodeURIComponent(c.code)}`">{{ whole(c.lines) }}</RouterLink>
                </td>
                <td class="num">{{ whole(c.products) }}</td>
                <td class="num">{{ Number(c.value) ? money(Math.round(Number(c.value))) : '' }}</td>
                <td class="num soft">{{ Number(c.once) ? money(Math.round(Number(c.once))) : '' }}</td>
                <td>
                  {{ c.end || (c.lastEnd ? 'lines to ' + c.lastEnd : '')
                  }}<span v-if="c.renews" class="soft">, goes on</span>
                </td>
                <td>{{ c.notice }}</td>
                <td>{{ c.owner }}</td>
                <td v-for="f in own" :key="f.name">{{ c.own[f.name.slice(4)] }}</td>
              </tr>
              <tr v-if="list.data.value && !contracts.length">
                <td :colspan="10 + own.length" class="soft">
                  {{ narrowed ? 'No contract has this.' : 'No line names a contract yet.' }}
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </div>
      <div v-if="one || (draft && mayWork)" class="side">
        <form v-if="draft && mayWork" class="sheet one" @submit.prevent="save">
          <h2>{{ one ? 'Contract ' + one.code : 'A new contract' }}</h2>
          <label>number <InputText v-model="draft.code" size="small" :disabled="!!one" name="code" /></label>
          <label>name <InputText v-model="draft.name" size="small" name="name" /></label>
          <label>publisher <InputText v-model="draft.publisher" size="small" /></label>
          <label>from <InputText v-model="draft.start" size="small" type="date" /></label>
          <label>to <InputText v-model="draft.end" size="small" type="date" /></label>
          <label>notice, days <InputText v-model="draft.noticeDays" size="small" inputmode="numeric" /></label>
          <label class="row"
            ><input v-model="draft.renews" type="checkbox" /> goes on by itself unless notice is given</label
          >
          <label>looked after by <InputText v-model="draft.owner" size="small" /></label>
          <label>note <InputText v-model="draft.note" size="small" /></label>
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
            @save="(theirs) => (form.settle(theirs), save())"
          />
          <p v-if="form.says.value" role="status" data-says>{{ form.says.value }}</p>
          <div class="row">
            <Button type="submit" label="Keep it" size="small" :loading="form.busy.value" />
            <button class="plain" type="button" @click="router.replace({ query: {} })">close</button>
          </div>
        </form>
        <OwnFields v-if="one" :key="one.code" kind="contract" :thing="one.code" />
      </div>
    </div>
  </div>
</template>

<style scoped>
.list {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding-top: 0.5rem;
}
.side {
  flex: 0 0 24rem;
  overflow: auto;
  display: grid;
  gap: 0.8rem;
  align-content: start;
}
.one {
  display: grid;
  gap: 0.35rem;
}
.one label:not(.row) {
  display: grid;
  grid-template-columns: 7.5rem minmax(0, 1fr);
  align-items: center;
}
tr.on td {
  background: var(--pick);
}
</style>
