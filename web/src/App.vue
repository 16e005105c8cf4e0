<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useStorage } from '@vueuse/core'
import Dialog from 'primevue/dialog'
import Toast from 'primevue/toast'
import { useToast } from 'primevue/usetoast'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from './api/client'
import { away, ended, whenBack } from './api/line'
import CommandLine from './components/CommandLine.vue'
import StationsBand from './components/StationsBand.vue'
import SignIn from './home/SignIn.vue'
import { count } from './lib/format'
import { key, useKeys } from './lib/keys'
import { useNews } from './lib/news'
import { useSession } from './lib/session'

const client = useQueryClient()
const toast = useToast()
const route = useRoute()
const router = useRouter()
const { me, loading, renew, goOn, may } = useSession()
const mayWork = may('work')
const signedIn = computed(() => !!me.value?.name)

const overview = useQuery({ queryKey: ['overview'], queryFn: () => ask(api.GET('/api/overview')), enabled: signedIn })
/** The server tells what changes; where no line for that is open, it is asked. */
const told = useNews('/api/news', signedIn, (state) => client.setQueryData(['status'], state))
const status = useQuery({
  queryKey: ['status'],
  queryFn: () => ask(api.GET('/api/status')),
  enabled: signedIn,
  refetchInterval: (q) => (told.value ? 15_000 : q.state.data?.running || q.state.data?.step ? 400 : 2500),
})
watch(told, (is) => void (!is && signedIn.value && status.refetch()))
// When figures have been renewed, by whomever, everything on screen is read again.
watch(
  () => status.data.value?.renewals,
  (now, before) => {
    if (before !== undefined && now !== before) void client.invalidateQueries()
  },
)

whenBack(() => void client.invalidateQueries())
const clock = (ms: number) => new Date(ms).toLocaleTimeString('en-GB')
/** how many drafts of this window wait, read when the server goes away */
const drafts = computed(() =>
  away.value ? Object.keys(sessionStorage).filter((k) => k.startsWith('ensomet-draft:')).length : 0,
)
/** where a page's code could not be loaded */
const missing = ref('')
router.onError((_e, to) => (missing.value = to.fullPath))
router.afterEach(() => void (missing.value = ''))
const loadAnew = () => location.assign(missing.value)

const dark = useStorage('ensomet-dark', window.matchMedia('(prefers-color-scheme: dark)').matches)
watch(dark, (d) => document.documentElement.classList.toggle('dark', d), { immediate: true })

async function signOut() {
  await ask(api.POST('/api/sign-out'))
  await renew()
}
const moving = ref(false)
async function moveOn() {
  moving.value = true
  try {
    await ask(api.POST('/api/demo/move-on', { body: { days: 1 } }))
    await client.invalidateQueries()
  } catch (e) {
    toast.add({ severity: 'error', summary: (e as Error).message, life: 8000 })
  } finally {
    moving.value = false
  }
}
const stations = ['/evidence', '/titles', '/entitlements', '/use', '/position', '/worklist']
useKeys(() => [
  ...stations.map((to, i) => key(`station.${i + 1}`, () => router.push(to))),
  key('home', () => router.push('/')),
  key('help', () => router.push('/help')),
])
</script>

<template>
  <Toast position="bottom-left" />
  <SignIn v-if="!loading && me && !signedIn" :demo="me.demo" @entered="renew" />
  <template v-else-if="me && signedIn">
    <header>
      <RouterLink to="/" class="brand" aria-label="Ensomet, first page">Ensomet</RouterLink>
      <span class="soft asof">as of {{ overview.data.value?.asOf }}</span>
      <button
        v-if="me.demo && mayWork"
        class="plain soft"
        type="button"
        :disabled="moving"
        data-move-on
        title="The demo's clock stands still. Moving it on lets the stand-in fleet carry out removals and report."
        @click="moveOn"
      >
        {{ moving ? 'a day passes…' : 'let a day pass' }}
      </button>
      <span v-if="status.data.value?.running" class="doubt" role="status" data-renewing
        >figures are being renewed: {{ status.data.value.step }}</span
      >
      <span v-else-if="status.data.value?.step" class="soft" role="status">{{ status.data.value.step }}</span>
      <span v-else-if="status.data.value?.error" class="says" role="alert">{{ status.data.value.error }}</span>
      <span class="grow" />
      <CommandLine />
      <button class="plain" type="button" @click="dark = !dark">{{ dark ? 'Light' : 'Dark' }}</button>
      <span class="soft">{{ me.name }} ({{ me.role }})</span>
      <button class="plain" type="button" @click="signOut">Sign out</button>
    </header>
    <StationsBand v-if="route.path !== '/'" :overview="overview.data.value" />
    <p v-if="overview.error.value && !away && !ended" class="says" role="alert">{{ overview.error.value.message }}</p>
    <p v-if="away" class="away" role="alert" data-away>
      The server has not answered since {{ clock(away) }}. What you typed stays here<template v-if="drafts"
        >, {{ count(drafts, 'draft') }} not yet saved</template
      >; the page goes on by itself when the server is back.
    </p>
    <p v-if="missing" class="away" role="alert" data-missing>
      This page could not be loaded: the line or the server broke off, or Ensomet is newer now.
      <button class="plain" type="button" @click="loadAnew">Try again</button>
    </p>
    <Dialog :visible="ended" modal :closable="false" :draggable="false" header="Sign in again" data-ended>
      <p>Your session has ended. What you were at is still here behind this, and goes on once you have signed in.</p>
      <SignIn :demo="me.demo" over @entered="goOn" />
    </Dialog>
    <main>
      <!-- a page of one thing belongs to its address: another thing's page is made anew, with nothing typed in it -->
      <RouterView v-slot="{ Component, route: shown }"><component :is="Component" :key="shown.path" /></RouterView>
    </main>
  </template>
</template>

<style scoped>
.away {
  margin: 0 1.4rem 0.4rem;
  padding: 0.35rem 0.8rem;
  border-left: 4px solid var(--short);
  background: var(--sheet);
}
header {
  display: flex;
  gap: 1rem;
  align-items: center;
  flex-wrap: wrap;
  padding: 0.5rem 1.4rem 0.6rem;
}
.brand {
  font-size: 1.2rem;
  font-weight: 750;
  text-decoration: none;
}
/* what comes later has its place already: nothing moves under the pointer */
.asof {
  min-width: 9rem;
}
main {
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
</style>
