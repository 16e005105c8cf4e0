<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import OwnFields from '../components/OwnFields.vue'
import { useAct } from '../lib/act'
import { useDraft } from '../lib/draft'
import { count, day, moment, whole, word } from '../lib/format'
import { useSession } from '../lib/session'
import EntitlementsNav from './EntitlementsNav.vue'
import LineForm from './LineForm.vue'
import LinePapers from './LinePapers.vue'
import TransactionDesk from './TransactionDesk.vue'

/**
 * One entitlement: what it comes to over time, its transactions, seats, papers and notes, and what was changed of it.
 */
const props = defineProps<{ code: string }>()
const mayWork = useSession().may('work')
const line = useQuery({
  queryKey: ['line', computed(() => props.code)],
  queryFn: () => ask(api.GET('/api/entitlements/{code}', { params: { path: { code: props.code } } })),
})
const l = computed(() => line.data.value)
const v = computed(() => l.value?.values ?? {})
const editing = ref(false)
const { busy, says, act: run } = useAct()
const stored = () => l.value && { revision: l.value.revision, values: { ...l.value.values } }
const form = useDraft<{ revision: number; values: Record<string, string> }>(
  () => (editing.value ? `line:${props.code}` : ''),
  stored,
  (d) => d.values,
)
const draft = form.draft
async function save() {
  if (await form.save((body) => ask(api.POST('/api/lines/edit', { body })))) editing.value = false
}
const why = ref('')
const going = ref(false)
async function withdraw() {
  await run(() =>
    ask(
      api.POST('/api/entitlements/{code}/withdraw', {
        params: { path: { code: props.code } },
        body: { why: why.value, revision: form.base.value?.revision ?? l.value!.revision },
      }),
    ),
  )
}
const terms = computed(() =>
  [
    v.value.edition,
    v.value.version ? `up to version ${v.value.version}` : 'any version',
    v.value.scope_unit && `for ${v.value.scope_unit}`,
    v.value.scope_country && `in ${v.value.scope_country}`,
    v.value.start && `from ${v.value.start}`,
    l.value?.lastDay && `to ${l.value.lastDay}`,
    l.value?.maintainedUntil && `maintained until ${l.value.maintainedUntil}`,
    v.value.rights && word(v.value.rights.replaceAll('|', ', ')),
    v.value.capacity === 'sub' && 'sub-capacity',
    v.value.versions_counted === 'each' && 'each version on a device counts',
    Number(v.value.pack_size) > 1 && `in packs of ${v.value.pack_size}`,
  ].filter(Boolean),
)
</script>

<template>
  <div class="page">
    <EntitlementsNav />
    <p v-if="line.error.value" class="says">{{ line.error.value.message }}</p>
    <p v-else-if="!l" class="soft">Reading…</p>
    <template v-else>
      <div class="row head">
        <h1>{{ code }}</h1>
        <RouterLink :to="`/position/${l.productId}`">{{ v.publisher }} {{ v.product }}</RouterLink>
        <span class="soft gap">{{ v.kind }}, by {{ word(v.metric ?? '') }}</span>
        <span class="grow" />
        <Button v-if="mayWork" label="Change it" size="small" severity="secondary" @click="editing = !editing" />
      </div>
      <p class="now">
        Counts <b>{{ whole(l.effective) }}</b> today{{ l.why ? ': ' + l.why : '' }}.
        {{ l.consumed ? `${whole(l.consumed)} were used up by upgrades.` : '' }}
        <span v-if="l.unmatched" class="drop">{{ whole(l.unmatched) }} find no base to upgrade.</span>
        {{ l.held ? `${count(l.held, 'seat is', 'seats are')} assigned.` : '' }}
        <span v-if="l.upgrades.length" class="row">
          Upgraded by
          <RouterLink v-for="u in l.upgrades" :key="u" :to="`/entitlements/line/${encodeURIComponent(u)}`">{{
            u
          }}</RouterLink>
        </span>
        <span v-if="v.base"
          >Upgrades <RouterLink :to="`/entitlements/line/${encodeURIComponent(v.base)}`">{{ v.base }}</RouterLink></span
        >
      </p>
      <p class="soft">{{ terms.join(', ') }}.</p>
      <p v-for="c in l.checks" :key="c.text" :class="c.serious ? 'says' : 'drop'">{{ c.text }}</p>
      <p v-if="says" class="says" role="alert">{{ says }}</p>
      <div v-if="editing" class="sheet">
        <DraftKept
          :kept="form.kept.value"
          :dirty="form.dirty.value"
          :others="form.others.value"
          @discard="form.discard"
        />
        <OtherChange
          v-if="draft && form.other.value"
          :conflict="form.other.value"
          :mine="draft.values"
          :base="form.base.value?.values"
          :theirs="stored()?.values"
          @save="(theirs) => (form.settle(theirs), save())"
        />
        <LineForm
          v-if="draft"
          v-model="draft.values"
          :old="code"
          press="Keep the change"
          :busy="form.busy.value"
          :failed="form.says.value"
          @save="save"
        >
          <button class="plain" type="button" @click="going = !going">it was booked by mistake</button>
          <template v-if="going">
            <InputText v-model="why" size="small" placeholder="why it goes" />
            <Button label="Withdraw it" size="small" severity="secondary" :disabled="!why || busy" @click="withdraw" />
          </template>
        </LineForm>
      </div>
      <div class="cols">
        <section>
          <h2>Over time</h2>
          <table class="lines" data-days>
            <thead>
              <tr>
                <th>from</th>
                <th class="num">counts</th>
                <th />
              </tr>
            </thead>
            <tbody>
              <tr v-for="d in l.days" :key="d.from">
                <td>{{ d.from }}</td>
                <td class="num">{{ whole(d.quantity) }}</td>
                <td class="soft">{{ d.why }}</td>
              </tr>
              <tr v-if="!l.days.length">
                <td colspan="3" class="soft">It never counts anything.</td>
              </tr>
            </tbody>
          </table>
          <TransactionDesk :code="code" :line="l" />
        </section>
        <LinePapers :code="code" :line="l" :run="run" />
      </div>
      <section v-if="l.changes.length">
        <h2>Changed here</h2>
        <table class="lines">
          <tbody>
            <tr v-for="(c, i) in l.changes" :key="i">
              <td>{{ moment(c.at) }}</td>
              <td>{{ c.author }}</td>
              <td>{{ word(c.field) }}</td>
              <td>{{ c.was || '–' }} → {{ c.is || '–' }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <p class="soft">
        Last changed {{ day(l.changedAt) }}.
        <RouterLink v-if="v.contract" :to="`/entitlements?q=${encodeURIComponent(v.contract)}`"
          >Contract {{ v.contract }}</RouterLink
        >
      </p>
      <OwnFields :key="code" kind="line" :thing="code" />
    </template>
  </div>
</template>

<style scoped>
.now {
  margin: 0.3rem 0 0;
  font-size: 1.05rem;
}
.cols {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 1.8rem;
  margin-top: 0.6rem;
}
h2 {
  margin: 0.7rem 0 0.2rem;
}
p {
  margin: 0.25rem 0;
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: 1fr;
  }
}
</style>
