<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import { count, whole } from '../lib/format'
import EvidenceNav from './EvidenceNav.vue'

/** Searches file evidence by name, with * and ?, and counts the devices that have each. */
const route = useRoute()
const router = useRouter()
const typed = ref(String(route.query.name ?? ''))
const name = refDebounced(typed, 250)
watch(name, (n) => router.replace({ query: n ? { name: n } : {} }))
const able = computed(() => name.value.replace(/[*?\s]/g, '') !== '')
const found = useQuery({
  queryKey: ['file-search', name],
  queryFn: () => ask(api.GET('/api/file-search', { params: { query: { name: name.value } } })),
  enabled: able,
  placeholderData: keepPreviousData,
})
const f = computed(() => (able.value ? found.data.value : undefined))
const size = (n: number) => (n >= 1e6 ? `${(n / 1e6).toFixed(1)} MB` : n >= 1e3 ? `${(n / 1e3).toFixed(0)} kB` : '')
const devices = (pattern: string) => `/evidence?${new URLSearchParams({ f: `hasFile=${pattern}` })}`
</script>

<template>
  <div class="page">
    <EvidenceNav />
    <div class="row head">
      <h1>Find a file</h1>
      <InputText
        v-model="typed"
        size="small"
        type="search"
        autofocus
        placeholder="skerry*.exe"
        aria-label="file name, with * and ?"
        class="pattern"
        data-file-name
      />
      <span class="soft">* stands for any run of letters, ? for one</span>
    </div>
    <p v-if="found.error.value" class="says" role="alert">{{ found.error.value.message }}</p>
    <template v-if="f">
      <p data-found>
        <RouterLink :to="devices(name)">{{ count(f.devices, 'device') }}</RouterLink>
        {{ f.devices === 1 ? 'has' : 'have' }} a file of that name<span v-if="f.stale" class="drop"
          >, {{ whole(f.stale) }} by stale evidence</span
        >; <span class="drop">of {{ count(f.unknown, 'device') }} in service no file is known at all</span>.
      </p>
      <table class="lines">
        <thead>
          <tr>
            <th>file</th>
            <th>version</th>
            <th class="num">size</th>
            <th>belongs to</th>
            <th class="num">devices</th>
            <th class="num">of them stale</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="x in f.files" :key="`${x.name} ${x.version} ${x.size}`">
            <td>{{ x.name }}</td>
            <td>{{ x.version }}</td>
            <td class="num">{{ size(x.size) }}</td>
            <td class="soft">{{ x.of }}</td>
            <td class="num">
              <RouterLink :to="devices(`${x.name};v=${x.version}`)">{{ whole(x.devices) }}</RouterLink>
            </td>
            <td class="num" :class="{ drop: x.stale }">{{ x.stale ? whole(x.stale) : '' }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="f.total > f.files.length" class="soft">
        and {{ whole(f.total - f.files.length) }} more: narrow the name.
      </p>
      <p v-if="!f.files.length" class="soft">No device has reported a file of that name.</p>
    </template>
    <p v-else class="soft">
      Type a name or a part of it with *. Files come from collectors, SWID tags, CycloneDX and SPDX documents, and from
      the file names of installs.
    </p>
  </div>
</template>

<style scoped>
.pattern {
  width: 18rem;
}
</style>
