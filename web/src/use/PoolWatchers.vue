<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask } from '../api/client'
import { useAct } from '../lib/act'
import { useSession } from '../lib/session'

/** Who is told by mail when something about a pool, or about any, is to be looked at, and when it is over. */
const props = defineProps<{ pool?: number }>()
const { may } = useSession()
const mayWork = may('work')
const watches = useQuery({ queryKey: ['pool-watches'], queryFn: () => ask(api.GET('/api/pool-watches')) })
const list = computed(() => (watches.data.value ?? []).filter((w) => !props.pool || !w.pool || w.pool === props.pool))
const address = ref('')
const { says, act: run } = useAct()
const watchIt = () =>
  run(async () => {
    await ask(api.POST('/api/pool-watches', { body: { pool: props.pool ?? 0, address: address.value } }))
    address.value = ''
  })
const end = (id: number) => run(() => ask(api.POST('/api/pool-watches/{id}/end', { params: { path: { id } } })))
</script>

<template>
  <form class="row" data-watchers @submit.prevent="watchIt">
    <span class="soft">Told by mail of what to look at{{ pool ? ' here' : '' }}:</span>
    <span v-for="w in list" :key="w.id" data-watcher
      >{{ w.address }}
      <span v-if="!pool || !w.pool" class="soft">({{ w.code ? w.code : 'every pool' }})</span>
      <button
        v-if="mayWork && (!pool || w.pool)"
        class="plain soft"
        type="button"
        :aria-label="`no longer tell ${w.address}`"
        @click="end(w.id)"
      >
        no longer
      </button></span
    >
    <span v-if="!list.length">nobody{{ mayWork ? '' : '.' }}</span>
    <template v-if="mayWork">
      <InputText
        v-model="address"
        size="small"
        type="email"
        placeholder="a mail address"
        aria-label="mail address"
        data-watch-address
      />
      <Button
        size="small"
        type="submit"
        severity="secondary"
        :label="pool ? 'Tell of this pool' : 'Tell of every pool'"
        :disabled="!address.trim()"
        data-watch
      />
    </template>
    <span v-if="says" class="says" role="alert">{{ says }}</span>
  </form>
</template>
