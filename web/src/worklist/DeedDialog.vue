<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import Dialog from 'primevue/dialog'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import type { Schemas } from '../api/client'
import OwnerPick from '../components/OwnerPick.vue'
import { count } from '../lib/format'

/**
 * What has to be said before cases are kept, asked about, or sent: a reason and an end, a few words to the user, or
 * how many orders leave a day.
 */
type Opens = 'keep' | 'ask' | 'send' | 'order' | 'drop'
const props = defineProps<{
  act: Opens | ''
  cases: number
  busy: boolean
  /** why the last press did nothing */
  failed: string
}>()
const emit = defineEmits<{ close: []; deed: [deed: Omit<Schemas['CaseAction'], 'ids'>] }>()
const note = ref('')
const until = ref('')
const owner = ref('')
const waves = ref(false)
const perDay = ref(10)
const maxFails = ref(20)
const name = ref('')
const number = ref('')
watch(
  () => props.act,
  () => {
    note.value = until.value = owner.value = name.value = number.value = ''
    waves.value = props.cases > 10
    leaving.value = false
  },
)
// Esc and the cross ask before they throw away what was typed
const leaving = ref(false)
const typed = computed(() => [note.value, until.value, owner.value, name.value, number.value].some(Boolean))
function leave() {
  if (typed.value && !leaving.value) leaving.value = true
  else emit('close')
}
const header = computed(
  () =>
    ({
      keep: 'Leave as it is',
      ask: 'Ask the user',
      send: 'Send to deployment',
      order: 'It is ordered',
      drop: 'Not wanted any more',
      '': '',
    })[props.act],
)
function press() {
  if (!props.act) return
  const wave = waves.value ? { name: name.value, perDay: perDay.value, maxFails: maxFails.value } : undefined
  emit('deed', {
    act: props.act,
    note: note.value,
    until: until.value,
    owner: owner.value,
    ...(props.act === 'order' ? { number: number.value } : {}),
    ...(props.act === 'send' ? { wave } : {}),
  })
}
</script>

<template>
  <Dialog
    :visible="act !== ''"
    modal
    :header="header"
    :style="{ width: '32rem' }"
    @update:visible="(v: boolean) => !v && leave()"
  >
    <form class="keep" @submit.prevent="press">
      <p v-if="leaving" class="row" role="alert" data-leaving>
        What you typed is not saved.
        <button class="plain" type="button" @click="leaving = false">go on</button>
        <button class="plain" type="button" data-throw-away @click="emit('close')">throw it away</button>
      </p>
      <p v-if="failed" class="says" role="alert">{{ failed }}</p>
      <template v-if="act === 'keep'">
        <label>Why <InputText v-model="note" fluid autofocus /></label>
        <label
          >Until (the case opens again the day after) <input v-model="until" type="date" class="p-inputtext"
        /></label>
        <label>Who answers for it <OwnerPick v-model="owner" placeholder="you, if left empty" /></label>
        <Button
          type="submit"
          :label="`Leave ${count(cases, 'case')} as it is`.replace('cases as it is', 'cases as they are')"
          :disabled="!note || !until"
          :loading="busy"
        />
      </template>
      <template v-else-if="act === 'order'">
        <p>It is booked once a line or a transaction names this number, or this case.</p>
        <label>Number of the order <InputText v-model="number" fluid autofocus name="orderNumber" /></label>
        <label>Expected on <input v-model="until" type="date" class="p-inputtext" /></label>
        <label>A note, if you like <InputText v-model="note" fluid /></label>
        <Button type="submit" label="Keep that it is ordered" :disabled="!number.trim()" :loading="busy" data-ordered />
      </template>
      <template v-else-if="act === 'drop'">
        <label>Why <InputText v-model="note" fluid autofocus name="dropWhy" /></label>
        <Button type="submit" label="Drop it" :disabled="!note.trim()" :loading="busy" data-drop />
      </template>
      <template v-else-if="act === 'ask'">
        <p>
          Each user gets one letter about all of these that are his, with an address at which one click answers. It
          leaves the house after a short while; until then it can be called back.
        </p>
        <label>A few words besides, if you like <InputText v-model="note" fluid autofocus data-ask-note /></label>
        <Button type="submit" :label="`Ask about ${count(cases, 'case')}`" :loading="busy" data-ask />
      </template>
      <template v-else-if="act === 'send'">
        <p>
          The orders leave the house after a short while; until then they can be called back. Only a later scan ends a
          case.
        </p>
        <label class="row line"><Checkbox v-model="waves" binary /> a few at a time</label>
        <div v-if="waves" class="row">
          <label>a day <InputNumber v-model="perDay" :min="1" :max="5000" size="small" input-class="few" /></label>
          <label
            >pause when more than
            <InputNumber v-model="maxFails" :min="0" :max="100" suffix=" %" size="small" input-class="few" />
            fail</label
          >
          <label class="grow"
            >called <InputText v-model="name" fluid size="small" placeholder="a name for the wave"
          /></label>
        </div>
        <Button type="submit" :label="`Send ${count(cases, 'order')}`" :loading="busy" data-send />
      </template>
    </form>
  </Dialog>
</template>

<style scoped>
.keep {
  display: grid;
  gap: 0.6rem;
  justify-items: start;
}
.keep > label {
  width: 100%;
  display: grid;
  gap: 0.2rem;
}
.keep > label.line {
  display: flex;
}
p {
  margin: 0;
}
</style>
