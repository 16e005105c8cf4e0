<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import DevicePick from '../components/DevicePick.vue'
import { count, moment, whole } from '../lib/format'
import EvidenceNav from './EvidenceNav.vue'

/**
 * Two devices side by side: what differs first, with the date of each one's evidence and a warning where the dates
 * lie too far apart.
 */
const route = useRoute()
const router = useRouter()
const left = computed(() => String(route.query.left ?? ''))
const right = computed(() => String(route.query.right ?? ''))
const all = ref(false)
const both = useQuery({
  queryKey: ['compare', left, right],
  queryFn: () => ask(api.GET('/api/compare', { params: { query: { left: left.value, right: right.value } } })),
  enabled: computed(() => !!left.value && !!right.value),
  placeholderData: keepPreviousData,
})
const c = computed(() => both.data.value)
const software = computed(() => (c.value?.software ?? []).filter((s) => all.value || s.what !== 'same'))
const differing = computed(() => (c.value?.software.length ?? 0) - (c.value?.same ?? 0))
const facts = computed(() => (c.value?.facts ?? []).filter((f) => all.value || f.differ))
const says: Record<string, string> = {
  left: 'only on the left',
  right: 'only on the right',
  'newer left': 'newer on the left',
  'newer right': 'newer on the right',
  differ: 'versions differ',
  same: 'the same',
}
function pick(side: 'left' | 'right', code: string) {
  void router.replace({ query: { ...route.query, [side]: code } })
}
</script>

<template>
  <div class="page">
    <EvidenceNav />
    <div class="row head">
      <h1>Side by side</h1>
      <DevicePick :model-value="left" label="the left device" @update:model-value="(v) => pick('left', v)" />
      <span class="soft">against</span>
      <DevicePick :model-value="right" label="the right device" @update:model-value="(v) => pick('right', v)" />
      <label class="row soft"><ToggleSwitch v-model="all" /> also what is the same</label>
    </div>
    <p v-if="both.error.value" class="says" role="alert">{{ both.error.value.message }}</p>
    <p v-if="!left || !right" class="soft">Choose two devices, or tick two in the list of devices.</p>
    <template v-if="c">
      <p v-if="c.warning" class="warn" role="alert" data-warning>◑ {{ c.warning }}.</p>
      <table class="lines" data-compared>
        <thead>
          <tr>
            <th class="what"></th>
            <th v-for="d in [c.left, c.right]" :key="d.code">
              <RouterLink :to="`/evidence/${encodeURIComponent(d.code)}`">{{ d.name }}</RouterLink>
              <div :class="d.age === 'fresh' ? 'soft' : 'drop'">
                {{ d.lastSeen ? `evidence of ${moment(d.lastSeen)}, ${d.age}` : 'never scanned' }},
                {{ count(d.installs, 'install') }}
              </div>
            </th>
            <th class="says-col"></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in facts" :key="f.fact">
            <td class="soft">{{ f.fact }}</td>
            <td>{{ f.left || 'not known' }}</td>
            <td>{{ f.right || 'not known' }}</td>
            <td class="soft">{{ f.differ ? 'differs' : 'the same' }}</td>
          </tr>
          <tr v-if="!facts.length">
            <td colspan="4" class="soft">No fact about the two differs.</td>
          </tr>
          <tr class="gap">
            <td colspan="4">
              <b class="gap-name">Software</b>
              <span class="soft"> {{ whole(differing) }} differ, {{ whole(c.same) }} are the same on both</span>
            </td>
          </tr>
          <tr v-for="s in software" :key="s.key" :data-what="s.what">
            <td>
              <RouterLink v-if="s.productId" :to="`/titles/${s.productId}`">{{ s.name }}</RouterLink><template v-else>{{
                s.name
              }}</template>
            </td>
            <td :class="{ none: !s.left }">{{ s.left || 'not there' }}</td>
            <td :class="{ none: !s.right }">{{ s.right || 'not there' }}</td>
            <td class="soft">{{ says[s.what] }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.what {
  width: 32%;
}
.says-col {
  width: 10rem;
}
.warn {
  color: var(--drop);
  margin: 0 0 0.5rem;
  font-weight: 650;
}
.none {
  color: var(--soft);
  background: repeating-linear-gradient(
    135deg,
    transparent 0 5px,
    color-mix(in srgb, var(--line) 60%, transparent) 5px 7px
  );
}
.gap-name {
  margin-right: 0.6rem;
}
.gap td {
  padding-top: 0.9rem;
}
</style>
