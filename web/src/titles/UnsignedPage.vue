<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import { computed } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { useAct } from '../lib/act'
import { day } from '../lib/format'
import { useSession } from '../lib/session'
import TitlesNav from './TitlesNav.vue'

/** Decisions that count only once a second person has agreed, and which kinds of decision these are. */
const { may, me } = useSession()
const mayWork = may('work')
const mayRun = may('run')
const list = useQuery({ queryKey: ['unsigned'], queryFn: () => ask(api.GET('/api/unsigned')) })
const settings = useQuery({ queryKey: ['naming'], queryFn: () => ask(api.GET('/api/names/settings')) })
const { says, act } = useAct()
const sign = (u: Schemas['Unsigned'], agreed: boolean) =>
  act(() => ask(api.POST('/api/unsigned/sign', { body: { kind: u.kind, id: u.id, revision: u.revision, agreed } })))
const kinds = [
  { kind: 'title', text: 'a name is a title' },
  { kind: 'nothing', text: 'a name is not software that counts' },
  { kind: 'leave_out', text: 'installs are left out of the count' },
  { kind: 'rule', text: 'a rule for names' },
]
const asked = computed(() => settings.data.value?.signOff ?? [])
const put = (n: Partial<Schemas['NamingSettings']>) =>
  act(() => ask(api.POST('/api/names/settings', { body: { ...settings.data.value!, ...n } })))
const toggle = (kind: string) =>
  put({ signOff: asked.value.includes(kind) ? asked.value.filter((k) => k !== kind) : [...asked.value, kind] })
const limits = [0, 0.8, 0.9, 0.95, 0.98]
</script>

<template>
  <div class="page">
    <TitlesNav />
    <p v-if="says" class="says" role="alert">{{ says }}</p>
    <p v-if="list.data.value && !list.data.value.length" class="soft">
      Nothing waits to be signed off. Kinds of decision that need a second person are chosen below.
    </p>
    <table v-if="list.data.value?.length" class="lines" data-unsigned>
      <thead>
        <tr>
          <th>what</th>
          <th>means</th>
          <th>because</th>
          <th>by</th>
          <th>on</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="u in list.data.value" :key="u.kind + u.id">
          <td>
            <RouterLink v-if="u.key" :to="`/titles/names?f=installs%3D%3E0&key=${encodeURIComponent(u.key)}`">{{
              u.what
            }}</RouterLink><template v-else>{{ u.what }}</template>
          </td>
          <td>{{ u.means }}</td>
          <td class="soft">{{ u.note || '–' }}</td>
          <td>{{ u.author }}</td>
          <td>{{ day(u.at) }}</td>
          <td class="row">
            <template v-if="mayWork">
              <Button v-if="u.author !== me?.name" size="small" label="Sign off" data-sign @click="sign(u, true)" />
              <span v-else class="soft">somebody else signs this</span>
              <button class="plain" type="button" @click="sign(u, false)">
                {{ u.author === me?.name ? 'take it back' : 'refuse' }}
              </button>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
    <section v-if="settings.data.value" class="sheet settings">
      <h2>A second person signs off when</h2>
      <label v-for="k in kinds" :key="k.kind">
        <input
          type="checkbox"
          :checked="asked.includes(k.kind)"
          :disabled="!mayRun"
          :data-kind="k.kind"
          @change="toggle(k.kind)"
        />
        {{ k.text }}
      </label>
      <h2>A proposal decides by itself</h2>
      <label v-for="l in limits" :key="l">
        <input
          type="radio"
          name="limit"
          :checked="settings.data.value.limit === l"
          :disabled="!mayRun"
          @change="put({ limit: l })"
        />
        {{ l ? `where about ${Math.round(100 * l)} in 100 or more are right` : 'never: a person decides' }}
      </label>
      <p class="soft">
        The trace of each record says when a proposal decided it.<template v-if="!mayRun">
          Changing this needs the role “run”.</template
        >
      </p>
    </section>
  </div>
</template>

<style scoped>
.settings {
  margin-top: 1.2rem;
  max-width: 34rem;
  display: grid;
  gap: 0.25rem;
}
</style>
