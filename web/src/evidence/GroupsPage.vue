<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Schemas } from '../api/client'
import ConditionEditor from '../components/ConditionEditor.vue'
import DevicePick from '../components/DevicePick.vue'
import DraftKept from '../components/DraftKept.vue'
import EffectLine from '../components/EffectLine.vue'
import OtherChange from '../components/OtherChange.vue'
import SureButton from '../components/SureButton.vue'
import { refusal } from '../lib/act'
import { useDraft } from '../lib/draft'
import { count, whole } from '../lib/format'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'
import EvidenceNav from './EvidenceNav.vue'

/** Groups of devices, by condition or by hand. Who is in, and why, is seen while the condition is being made. */
const route = useRoute()
const router = useRouter()
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const groups = useQuery({ queryKey: ['groups'], queryFn: () => ask(api.GET('/api/groups')) })

type Draft = Schemas['GroupDraft']
const empty = (): Draft => ({
  id: 0,
  revision: 0,
  name: '',
  note: '',
  byHand: false,
  condition: { all: [] },
  picked: [],
})
const names = ref<Record<number, string>>({})
const chosen = computed(() => String(route.query.group ?? ''))
const one = computed(() => groups.data.value?.find((g) => String(g.id) === chosen.value))
watch(one, (g) => g?.titles.forEach((t) => (names.value[t.id] = t.name)), { immediate: true })
/** The group as the editor shows it: its condition joins several questions, one too. */
function stored(): Draft | undefined {
  if (chosen.value === 'new') return empty()
  if (!one.value) return undefined
  const { id, revision, name, note, byHand, condition: c, picked } = one.value
  const condition = c.all || c.any || c.not?.any ? c : c.field || c.not ? { all: [c] } : { all: [] }
  return { id, revision, name, note, byHand, condition, picked }
}
const { draft, base, dirty, kept, other, others, busy, says, discard, save, settle } = useDraft<Draft>(
  () => chosen.value && `group:${chosen.value}`,
  stored,
)
function open(id: number | 'new' | '') {
  void router.push({ query: id === '' ? {} : { group: String(id) } })
}

// a line without a value is not finished: it is left out of the preview
type Condition = Schemas['Condition']
function finished(c: Condition): Condition | undefined {
  if (c.field) return c.value ? c : undefined
  if (c.not) {
    const inner = finished(c.not)
    return inner && { not: inner }
  }
  const list = (c.all ?? c.any ?? []).map(finished).filter((x): x is Condition => !!x)
  if (c.any) return list.length ? { any: list } : undefined
  return list.length ? { all: list } : {}
}
const wanted = computed(() => draft.value && { ...draft.value, condition: finished(draft.value.condition) ?? {} })
const { effect: current, failed } = usePreview('group-preview', wanted, (b) =>
  ask(api.POST('/api/groups/preview', { body: b })),
)
// who is in it stays on the page until it is known who is in it now
const p = shallowRef<Schemas['GroupPreview']>()
watch([current, failed, wanted], () => {
  if (current.value) p.value = current.value
  else if (failed.value || !wanted.value) p.value = undefined
})
const effect = computed(() => {
  if (!p.value || !draft.value) return ''
  const moves = draft.value.id ? `, ${whole(p.value.joins)} join and ${whole(p.value.leaves)} leave` : ''
  return `${count(p.value.members, 'device')} in the group${moves}`
})

function pick(device: string, inside: boolean) {
  if (!draft.value || !device) return
  draft.value.picked = [...draft.value.picked.filter((x) => x.device !== device), { device, inside }]
}
async function set() {
  let made = 0
  const body = wanted.value!
  if (await save(async () => (made = (await ask(api.POST('/api/groups', { body }))).id), 'The group is set.')) {
    if (chosen.value === 'new') void router.push({ query: { group: String(made) } })
  }
}
async function drop() {
  says.value = ''
  try {
    await ask(
      api.POST('/api/groups/{id}/drop', {
        params: { path: { id: draft.value!.id } },
        body: { revision: draft.value!.revision },
      }),
    )
    discard()
    open('')
    await client.invalidateQueries()
  } catch (e) {
    says.value = refusal(e)
  }
}
const devicesOf = (name: string) => `/evidence?${new URLSearchParams({ f: `group=${name}` })}`
</script>

<template>
  <div class="page">
    <EvidenceNav />
    <div class="row head">
      <h1>Groups</h1>
      <span class="soft"
        >who is in is worked out anew whenever evidence comes; lists, stances, scans and mail use them</span
      >
      <span class="grow" />
      <Button v-if="mayWork" label="Make a group" size="small" data-new-group @click="open('new')" />
    </div>
    <p v-if="groups.error.value" class="says" role="alert">{{ groups.error.value.message }}</p>
    <table class="lines">
      <thead>
        <tr>
          <th>group</th>
          <th>who is in</th>
          <th class="num">devices</th>
          <th class="num">stale</th>
          <th class="num">never scanned</th>
          <th>rests on it</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="g in groups.data.value" :key="g.id" :class="{ here: String(g.id) === chosen }">
          <td>
            <button class="plain" type="button" @click="open(g.id)">{{ g.name }}</button>
            <div v-if="g.note" class="soft">{{ g.note }}</div>
          </td>
          <td>
            {{ g.words }}<template v-if="g.picked.length && !g.byHand">; {{ g.picked.length }} by hand</template>
          </td>
          <td class="num">
            <RouterLink :to="devicesOf(g.name)">{{ whole(g.members) }}</RouterLink>
          </td>
          <td class="num" :class="{ drop: g.stale }">{{ g.stale || '' }}</td>
          <td class="num" :class="{ drop: g.never }">{{ g.never || '' }}</td>
          <td class="soft">{{ g.usedBy.join('; ') }}</td>
        </tr>
        <tr v-if="groups.data.value && !groups.data.value.length">
          <td colspan="6" class="soft">
            No group was made yet. Units, sites, kinds and environments are groups by themselves; make one for anything
            else.
          </td>
        </tr>
      </tbody>
    </table>
    <div v-if="draft" class="parts">
      <form class="sheet edit" @submit.prevent="set">
        <div class="row">
          <InputText
            v-model="draft.name"
            size="small"
            placeholder="name of the group"
            aria-label="name of the group"
            :disabled="!mayWork"
            data-group-name
          />
          <InputText
            v-model="draft.note"
            size="small"
            class="grow"
            placeholder="a note for others"
            aria-label="note"
            :disabled="!mayWork"
          />
          <label class="row soft"><ToggleSwitch v-model="draft.byHand" :disabled="!mayWork" /> by hand alone</label>
        </div>
        <ConditionEditor
          v-if="!draft.byHand"
          v-model="draft.condition"
          :names="names"
          @named="(id, name) => (names[id] = name)"
        />
        <div class="hand">
          <h3>By hand</h3>
          <div class="row">
            <DevicePick model-value="" label="put a device in" @update:model-value="(c) => pick(c, true)" />
            <DevicePick
              v-if="!draft.byHand"
              model-value=""
              label="take a device out"
              @update:model-value="(c) => pick(c, false)"
            />
          </div>
          <div v-for="x in draft.picked" :key="x.device" class="row">
            <span>{{ x.inside ? 'in:' : 'out:' }} {{ x.device }}</span>
            <button
              class="plain soft"
              type="button"
              @click="draft.picked = draft.picked.filter((y) => y.device !== x.device)"
            >
              no longer
            </button>
          </div>
        </div>
        <DraftKept :kept="kept" :dirty="dirty" :others="others" @discard="discard" />
        <OtherChange
          v-if="other"
          :conflict="other"
          :mine="draft"
          :base="base"
          :theirs="stored()"
          @save="(theirs) => (settle(theirs), set())"
        />
        <p v-if="failed" class="says" role="alert">{{ failed }}</p>
        <p v-if="says" role="status" data-says>{{ says }}</p>
        <EffectLine
          v-if="mayWork && draft.name.trim()"
          :says="effect"
          :ready="!!current && !busy"
          :press="draft.id ? 'Set the group so' : 'Make this group'"
          @press="set"
        />
        <p v-else-if="mayWork" class="soft">Give it a name, and it can be made.</p>
        <div class="row">
          <SureButton
            v-if="draft.id && mayWork"
            label="delete the group"
            :ask="`Delete “${draft.name}” for good?`"
            sure="delete it"
            data-delete
            @sure="drop"
          />
          <button class="plain soft" type="button" @click="open('')">close</button>
        </div>
      </form>
      <section v-if="p" class="sheet who" data-preview>
        <h2>
          {{ count(p.members, 'device') }}
          <span v-if="p.stale + p.never" class="drop"
            >{{ whole(p.stale) }} stale, {{ whole(p.never) }} never scanned</span
          >
        </h2>
        <p class="soft">{{ p.words }}</p>
        <table class="lines">
          <tbody>
            <tr v-for="m in p.in" :key="m.device">
              <td>
                <RouterLink :to="`/evidence/${encodeURIComponent(m.device)}`">{{ m.name }}</RouterLink><span
                  v-if="m.change && draft.id"
                  class="spare"
                >
                  {{ m.change }}</span
                >
              </td>
              <td class="soft">{{ m.why }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="p.members > p.in.length" class="soft">and {{ whole(p.members - p.in.length) }} more</p>
        <h3 v-if="p.out.length">Not in it, for example</h3>
        <table class="lines">
          <tbody>
            <tr v-for="m in p.out" :key="m.device">
              <td>
                {{ m.name }}<span v-if="m.change" class="drop"> {{ m.change }}</span>
              </td>
              <td class="soft">{{ m.why }}</td>
            </tr>
          </tbody>
        </table>
      </section>
    </div>
  </div>
</template>

<style scoped>
.parts {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(22rem, 0.8fr);
  gap: 1rem;
  margin-top: 0.9rem;
  align-items: start;
}
.edit {
  display: grid;
  gap: 0.7rem;
}
.hand {
  display: grid;
  gap: 0.3rem;
}
tr.here td {
  background: var(--pick);
}
.who p {
  margin: 0.2rem 0 0.4rem;
}
@media (max-width: 900px) {
  .parts {
    grid-template-columns: 1fr;
  }
}
</style>
