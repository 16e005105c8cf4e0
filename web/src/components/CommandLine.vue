<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import { useSession } from '../lib/session'
import { hintOf, key, useKeys } from '../lib/keys'

/** One line that finds any device, title, entitlement, person or action. The key / puts the focus here. */
const router = useRouter()
const { may } = useSession()
const mayRun = may('run')
const text = ref('')
const late = refDebounced(text, 120)
const open = ref(false)
const at = ref(0)
const field = ref<HTMLInputElement>()

const found = useQuery({
  queryKey: ['find', late],
  queryFn: () => ask(api.GET('/api/find', { params: { query: { q: late.value.trim() } } })),
  enabled: computed(() => late.value.trim().length > 1),
  placeholderData: (before) => before,
})
const actions = computed(() => [
  { text: 'Go to evidence: devices', to: '/evidence' },
  { text: 'Take in files', to: '/evidence/files', need: true },
  { text: 'Look down from publishers to records', to: '/evidence/where' },
  { text: 'Find a file on devices', to: '/evidence/find' },
  { text: 'See what changed on devices', to: '/evidence/changes' },
  { text: 'Set two devices side by side', to: '/evidence/compare' },
  { text: 'Make a group of devices', to: '/evidence/groups' },
  { text: 'Ask for scans, and plan them', to: '/evidence/scans' },
  { text: 'Give a token to a collector', to: '/evidence/senders', need: true },
  { text: 'See everybody with what they have and use', to: '/evidence/people' },
  { text: 'Say which names are one person', to: '/evidence/alike' },
  { text: 'Watch a folder or an address for files', to: '/evidence/places' },
  { text: 'Read a directory', to: '/evidence/directories' },
  { text: 'See who joined, moved and left', to: '/evidence/moves' },
  { text: 'Go to the names nobody has decided', to: '/titles/names' },
  { text: 'Go to titles', to: '/titles' },
  { text: 'Make rules for names', to: '/titles/rules' },
  { text: 'Sign off what somebody else decided', to: '/titles/unsigned' },
  { text: 'Go to publishers and their other names', to: '/titles/publishers' },
  { text: 'See how long releases are supported', to: '/titles/life?f=devices%3D%3E0' },
  { text: 'Compare a newer catalogue with ours', to: '/titles/newer' },
  { text: 'Go to entitlements', to: '/entitlements' },
  { text: 'Book an entitlement', to: '/entitlements?book=1' },
  { text: 'Go to use', to: '/use' },
  { text: 'Go to shared licences', to: '/use/pools' },
  { text: 'Choose what is measured', to: '/use/measured' },
  { text: 'Go to the position', to: '/position' },
  { text: 'Go to the worklist', to: '/worklist' },
  { text: 'Decide about many cases together', to: '/worklist/together' },
  { text: 'Follow orders to the deployment tool', to: '/worklist/orders' },
  { text: 'Set what is restricted or required', to: '/worklist/stances' },
  { text: 'Set when to reclaim', to: '/worklist/reclaim' },
  { text: 'See what was saved', to: '/worklist/saved' },
  { text: 'Keys and help', to: '/help' },
])
const hits = computed(() => {
  const words = late.value.trim().toLowerCase()
  if (!words) return []
  const to = {
    device: (id: string) => `/evidence/${encodeURIComponent(id)}`,
    title: (id: string) => `/titles/${id}`,
    entitlement: (id: string) => `/entitlements?q=${encodeURIComponent(id)}`,
    person: (id: string) => `/evidence?q=${encodeURIComponent(id)}`,
  }
  const list = (found.data.value ?? []).map((h) => ({
    kind: h.kind,
    text: h.text,
    detail: h.detail,
    to: to[h.kind as keyof typeof to](h.id),
  }))
  const acts = actions.value
    .filter((a) => (!a.need || mayRun.value) && a.text.toLowerCase().includes(words))
    .map((a) => ({ kind: 'action', text: a.text, detail: '', to: a.to }))
  return [...acts, ...list]
})
watch(hits, () => (at.value = 0))

function go(i: number) {
  const hit = hits.value[i]
  if (!hit) return
  open.value = false
  text.value = ''
  field.value?.blur()
  void router.push(hit.to)
}
useKeys(() => [key('find', () => field.value?.focus())])
</script>

<template>
  <div class="line" role="combobox" aria-haspopup="listbox" :aria-expanded="open && hits.length > 0" aria-owns="found">
    <input
      ref="field"
      v-model="text"
      type="search"
      :placeholder="`Find a device, title, entitlement, person or action${hintOf('find') && `  ( ${hintOf('find')} )`}`"
      aria-label="Find anything"
      aria-controls="found"
      autocomplete="off"
      data-find
      @focus="open = true"
      @input="open = true"
      @blur="open = false"
      @keydown.down.prevent="at = Math.min(at + 1, hits.length - 1)"
      @keydown.up.prevent="at = Math.max(at - 1, 0)"
      @keydown.enter.prevent="go(at)"
      @keydown.esc="((text = ''), field?.blur())"
    />
    <ul v-if="open && late.trim()" id="found" role="listbox">
      <li
        v-for="(h, i) in hits"
        :key="h.kind + h.to"
        role="option"
        :aria-selected="i === at"
        :class="{ at: i === at }"
        @mousedown.prevent="go(i)"
      >
        <span class="soft kind">{{ h.kind }}</span> {{ h.text }} <span class="soft">{{ h.detail }}</span>
      </li>
      <li v-if="!hits.length && !found.isFetching.value" class="soft">Nothing has this in its name.</li>
    </ul>
  </div>
</template>

<style scoped>
.line {
  position: relative;
  width: min(27rem, 40vw);
}
input {
  width: 100%;
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 0.32rem 0.6rem;
}
ul {
  position: absolute;
  z-index: 50;
  left: 0;
  right: 0;
  margin: 2px 0 0;
  padding: 0.2rem 0;
  list-style: none;
  background: var(--sheet);
  border: 1px solid var(--soft);
  max-height: 60vh;
  overflow: auto;
}
li {
  padding: 0.22rem 0.6rem;
  cursor: pointer;
}
li.at {
  background: var(--pick);
}
.kind {
  display: inline-block;
  width: 5.2rem;
}
</style>
