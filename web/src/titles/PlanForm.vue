<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import DraftKept from '../components/DraftKept.vue'
import OtherChange from '../components/OtherChange.vue'
import TitlePick from '../components/TitlePick.vue'
import { useAct } from '../lib/act'
import { useDraft } from '../lib/draft'
import { count, whole } from '../lib/format'
import { useKept } from '../lib/kept'
import { useSession } from '../lib/session'

/** What is planned about a release whose support ends, and how far that is by evidence: machines that still have it. */
const props = defineProps<{ release: Schemas['ReleaseRow'] }>()
const emit = defineEmits<{ close: [] }>()
const { may } = useSession()
const mayWork = may('work')
const whats = [
  { label: 'move to another release', value: 'move' },
  { label: 'remove it', value: 'remove' },
  { label: 'buy longer support', value: 'extend' },
  { label: 'keep it without support', value: 'keep' },
] as const
const blank = (): Schemas['PlanDraft'] => ({
  title: props.release.id,
  what: 'move',
  toProduct: props.release.productId,
  toVersion: '',
  since: '',
  due: props.release.endOn || '',
  owner: '',
  note: '',
  revision: props.release.planId,
})
const form = useDraft<Schemas['PlanDraft']>(() => `plan:release:${props.release.id}`, blank)
const draft = form.draft
const target = ref(props.release.product)
const { form: typed, hold } = useKept(
  () => `plan-end:${props.release.planId}`,
  () => ({ why: '' }),
)
const { busy, says, act } = useAct()
watch(
  () => props.release.id,
  () => {
    target.value = props.release.product
    says.value = ''
  },
)
const save = () => form.save((body) => ask(api.POST('/api/plans', { body })))
async function end() {
  const params = { path: { id: props.release.planId } }
  const ended = hold()
  if (!(await act(() => ask(api.POST('/api/plans/{id}/end', { params, body: { why: typed.value.why } }))))) return
  ended()
  emit('close')
}
/** what is planned now, by the fields of the form */
const planned = computed(() => ({ what: props.release.plan, due: props.release.due, owner: props.release.owner }))
/** Takes what another planned where it is to hold, and plans on that. */
function settle(theirs: string[]) {
  for (const f of theirs) Object.assign(draft.value!, { [f]: planned.value[f as keyof typeof planned.value] })
  form.settle([])
  void save()
}
const words: Record<string, string> = {
  move: 'Move to',
  remove: 'Remove it',
  extend: 'Buy longer support',
  keep: 'Keep it without support',
}
</script>

<template>
  <aside class="sheet plan" data-plan @keydown.esc="emit('close')">
    <div class="row">
      <h2>{{ release.product }} {{ release.edition }} {{ release.version }}</h2>
      <span class="grow" />
      <button class="plain soft" type="button" @click="emit('close')">close</button>
    </div>
    <p>
      {{ release.general ? `General support until ${release.general}` : 'The end of its general support is unknown'
      }}<template v-if="release.endOn && release.endOn !== release.general"
        >, all support until {{ release.endOn }}</template
      >.
      <RouterLink :to="`/titles/${release.productId}`">{{ count(release.devices, 'device') }}</RouterLink>
      today<template v-if="release.stale"
        >, <span class="drop">{{ whole(release.stale) }} of them stale</span></template
      >, {{ whole(release.yearBefore) }} a year ago.
    </p>
    <template v-if="release.plan">
      <p>
        <b>{{ words[release.plan] }} {{ release.target }}</b
        ><template v-if="release.due"> until {{ release.due }}</template
        >, seen to by {{ release.owner }}.
        <span :class="{ short: release.planState === 'late' }">{{ release.done }} done</span>:
        {{ whole(release.devices) }} of {{ whole(release.then) }} devices still have it<template
          v-if="release.planState === 'late'"
          >, and its day has passed</template
        >.
      </p>
      <form v-if="mayWork" class="row" @submit.prevent="end">
        <InputText v-model="typed.why" size="small" placeholder="why the plan ends" aria-label="why the plan ends" />
        <Button
          type="submit"
          size="small"
          severity="secondary"
          label="End the plan"
          :disabled="!typed.why.trim() || busy"
        />
      </form>
    </template>
    <form v-if="mayWork && draft" class="grid" data-plan-form @submit.prevent="save">
      <Select
        v-model="draft.what"
        :options="[...whats]"
        option-label="label"
        option-value="value"
        size="small"
        fluid
        aria-label="what is planned"
        data-plan-what
      />
      <template v-if="draft.what === 'move'">
        <TitlePick
          :model-value="draft.toProduct"
          :name="target"
          @update:model-value="(id, name) => ((draft!.toProduct = id), (target = name))"
        />
        <InputText
          v-model="draft.toVersion"
          size="small"
          fluid
          placeholder="version it moves to"
          aria-label="version it moves to"
          data-plan-to
        />
      </template>
      <label
        >measured from <InputText v-model="draft.since" type="date" size="small" fluid title="empty is today" />
      </label>
      <label>until <InputText v-model="draft.due" type="date" size="small" fluid data-plan-due /></label>
      <InputText
        v-model="draft.owner"
        size="small"
        fluid
        placeholder="who sees to it"
        aria-label="who sees to it"
        data-plan-owner
      />
      <InputText
        v-model="draft.note"
        size="small"
        fluid
        :placeholder="draft.what === 'keep' ? 'why it may stay' : 'a note'"
        aria-label="note"
      />
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
        :theirs="planned"
        @save="settle"
      />
      <p v-if="form.says.value" class="says" role="alert">{{ form.says.value }}</p>
      <Button
        type="submit"
        size="small"
        :label="release.plan ? 'Plan it anew' : 'Plan it'"
        :loading="form.busy.value"
        data-plan-save
      />
    </form>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </aside>
</template>

<style scoped>
.plan {
  width: min(25rem, 100%);
  overflow: auto;
  display: grid;
  gap: 0.5rem;
  align-content: start;
}
.plan p {
  margin: 0;
}
.grid {
  display: grid;
  gap: 0.4rem;
}
</style>
