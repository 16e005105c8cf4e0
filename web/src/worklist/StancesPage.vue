<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, ask } from '../api/client'
import { day } from '../lib/format'
import { useSession } from '../lib/session'

/** What is allowed, restricted or required, and where. The most specific holds. */
const client = useQueryClient()
const { may } = useSession()
const mayWork = may('work')
const policies = useQuery({ queryKey: ['policies'], queryFn: () => ask(api.GET('/api/policies')) })
const groups = computed(() => [
  { l: 'all devices', v: '' },
  ...(policies.data.value?.groups ?? []).map((v) => ({ l: v, v })),
])
const stance = ref('restricted')
const of = ref<'product' | 'category' | 'publisher'>('product')
const what = ref('')
const group = ref('')
const reason = ref('')
const says = ref('')
async function save() {
  says.value = ''
  try {
    await ask(
      api.POST('/api/policies', {
        body: { [of.value]: what.value, group: group.value, stance: stance.value, reason: reason.value },
      }),
    )
    what.value = reason.value = ''
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
async function end(id: number) {
  try {
    await ask(api.POST('/api/policies/{id}/end', { params: { path: { id } } }))
    await client.invalidateQueries()
  } catch (e) {
    says.value = (e as Error).message
  }
}
</script>

<template>
  <div class="page">
    <div class="row head">
      <h1>What is restricted</h1>
      <span class="soft"
        >Of several that speak of a title, the most specific holds: product before category before publisher, a group
        before all devices.</span
      ><span class="grow" /><RouterLink to="/worklist">Worklist</RouterLink>
    </div>
    <table class="lines">
      <thead>
        <tr>
          <th>stance</th>
          <th>of</th>
          <th>on</th>
          <th>reason</th>
          <th>by</th>
          <th>since</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in policies.data.value?.policies" :key="p.id">
          <td>
            <b>{{ p.stance }}</b>
          </td>
          <td>{{ p.what }}</td>
          <td>{{ p.group }}</td>
          <td>{{ p.reason }}</td>
          <td>{{ p.author }}</td>
          <td>{{ day(p.at) }}</td>
          <td><button v-if="mayWork" class="plain" type="button" @click="end(p.id)">end it</button></td>
        </tr>
        <tr v-if="policies.data.value && !policies.data.value.policies.length">
          <td colspan="7" class="soft">Nothing is restricted or required yet.</td>
        </tr>
      </tbody>
    </table>
    <form v-if="mayWork" class="sheet row form" @submit.prevent="save">
      <Select v-model="stance" :options="['restricted', 'allowed', 'required']" size="small" aria-label="stance" />
      <span>is the</span>
      <Select v-model="of" :options="['product', 'category', 'publisher']" size="small" aria-label="what kind" />
      <InputText
        v-if="of !== 'category'"
        v-model="what"
        size="small"
        :placeholder="`name of the ${of}`"
        :aria-label="of"
      />
      <Select
        v-else
        v-model="what"
        :options="policies.data.value?.categories ?? []"
        size="small"
        placeholder="category"
        aria-label="category"
      />
      <span>on</span>
      <Select
        v-model="group"
        :options="groups"
        option-label="l"
        option-value="v"
        filter
        size="small"
        aria-label="group"
      />
      <span>because</span>
      <InputText
        v-model="reason"
        size="small"
        class="grow"
        aria-label="reason"
        placeholder="a reason that people will read"
      />
      <Button type="submit" label="Set it" size="small" :disabled="!what || !reason" />
    </form>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </div>
</template>

<style scoped>
.head {
  padding: 0.3rem 0 0.5rem;
}
.form {
  margin-top: 1rem;
}
</style>
