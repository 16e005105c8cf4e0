<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { ref } from 'vue'
import { useHouse } from '../lib/house'
import { api, ask, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import { useDraft } from '../lib/draft'
import { moment, whole } from '../lib/format'
import { useSession } from '../lib/session'
import OrderBar from './OrderBar.vue'
import WorkNav from './WorkNav.vue'

/** Orders to the deployment tool in their waves, and what the house asks of its own people. */
const house = useHouse()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const mayRun = may('run')
const waves = useQuery({ queryKey: ['waves'], queryFn: () => ask(api.GET('/api/waves')) })
const rules = useQuery({ queryKey: ['case-rules'], queryFn: () => ask(api.GET('/api/case-rules')) })
const stored = () => rules.data.value
const form = useDraft<Schemas['CaseRules']>(() => 'case-rules', stored)
const draft = form.draft
const says = ref('')
async function steer(id: number, to: 'pause' | 'go on' | 'call off') {
  says.value = ''
  try {
    await ask(api.POST('/api/waves/{id}/steer', { params: { path: { id } }, body: { to } }))
  } catch (e) {
    says.value = (e as Error).message
  }
  await client.invalidateQueries()
}
const save = () => form.save((body) => ask(api.PUT('/api/case-rules', { body })), 'These rules hold from now on.')
</script>

<template>
  <div class="page">
    <WorkNav />
    <h1 class="head">Orders to the deployment tool</h1>
    <p class="soft">
      Orders leave in waves, a few a day where somebody asked for that; a wave pauses by itself when too many fail. What
      the tool says is kept as its word; only a scan ends a case.
    </p>
    <p v-if="waves.data.value && !waves.data.value.length" class="soft">
      No order was ever sent: agree to cases on the worklist and send them.
    </p>
    <div class="scrolls">
      <table v-if="waves.data.value?.length" class="lines" data-waves>
        <thead>
          <tr>
            <th>wave</th>
            <th>by</th>
            <th>since</th>
            <th class="num">a day</th>
            <th class="wide">how far it is</th>
            <th>state</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="w in waves.data.value" :key="w.id">
            <td>
              <b>{{ w.name }}</b>
            </td>
            <td>{{ w.author }}</td>
            <td>{{ moment(w.at) }}</td>
            <td class="num">{{ w.perDay ? whole(w.perDay) : 'all' }}</td>
            <td class="wide">
              <OrderBar :orders="w" />
              <span v-if="w.next && w.state === 'running'" class="gap soft">from {{ moment(w.next) }}</span>
            </td>
            <td>
              <b :class="{ drop: w.state === 'paused' }">{{
                w.state === 'running' && !w.waiting && !w.out ? 'over' : w.state
              }}</b>
              <div v-if="w.why" class="soft">{{ w.why }}</div>
            </td>
            <td>
              <template v-if="mayWork && w.waiting">
                <button v-if="w.state === 'running'" class="plain" type="button" @click="steer(w.id, 'pause')">
                  pause
                </button>
                <button v-if="w.state === 'paused'" class="plain" type="button" @click="steer(w.id, 'go on')">
                  go on
                </button>
                <button class="plain gap" type="button" @click="steer(w.id, 'call off')">call off the rest</button>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <form v-if="draft" class="sheet rules" @submit.prevent="save">
      <h2>What the house asks of its own people</h2>
      <label class="row"
        ><Checkbox v-model="draft.twoPersons" binary :disabled="!mayRun" /> whoever agrees to an order does not approve
        it: a second person does</label
      >
      <label class="row"
        >A user may take
        <InputNumber v-model="draft.answerDays" :min="1" :max="60" size="small" input-class="few" :disabled="!mayRun" />
        days to answer and is reminded
        <InputNumber v-model="draft.reminders" :min="0" :max="5" size="small" input-class="few" :disabled="!mayRun" />
        times before somebody here decides</label
      >
      <label class="row"
        >Letters and orders wait
        <InputNumber
          v-model="draft.holdMinutes"
          :min="0"
          :max="1440"
          size="small"
          input-class="few"
          :disabled="!mayRun"
        />
        minutes before they leave the house, so that they can be called back</label
      >
      <label class="row"
        >An order of which nobody says anything for
        <InputNumber v-model="draft.silentDays" :min="1" :max="60" size="small" input-class="few" :disabled="!mayRun" />
        days counts as failed</label
      >
      <label class="row"
        >What costs more than
        <InputText
          v-model="draft.approveAbove"
          inputmode="decimal"
          size="small"
          class="few"
          name="approveAbove"
          placeholder="0"
          :disabled="!mayRun"
        />
        {{ house }} is approved by somebody else than who wants it, before it is ordered</label
      >
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
      <Button v-if="mayRun" type="submit" label="Keep these rules" size="small" />
    </form>
    <p v-if="says" role="status">{{ says }}</p>
  </div>
</template>

<style scoped>
p {
  margin: 0.2rem 0 0.5rem;
}
.wide {
  min-width: 16rem;
}
.rules {
  margin-top: 1.2rem;
  display: grid;
  gap: 0.5rem;
  justify-items: start;
}
</style>
