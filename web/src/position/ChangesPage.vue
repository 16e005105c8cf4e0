<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import TitlePick from '../components/TitlePick.vue'
import PositionNav from './PositionNav.vue'
import StepsAll from './StepsAll.vue'
import StepsOne from './StepsOne.vue'

/** How positions came from one day to another, in steps that add up: of all products, or of one. */
const route = useRoute()
const router = useRouter()
const put = (q: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...q } })
const me = useQuery({ queryKey: ['me'], queryFn: () => ask(api.GET('/api/me')), staleTime: 30_000 })
const today = computed(() => new Date((me.data.value?.now ?? Date.now() / 1000) * 1000).toISOString().slice(0, 10))
const back = (days: number) => new Date(Date.parse(today.value) - days * 86400_000).toISOString().slice(0, 10)
const from = computed(() => String(route.query.from ?? back(90)))
const to = computed(() => String(route.query.to ?? today.value))
const product = computed(() => Number(route.query.product ?? 0))
const known = computed(() => String(route.query.known ?? ''))
const name = ref('')
// what the figures that are shown rest on
const told = ref<{ known: string; since: string }>()
const spans: [string, number][] = [
  ['since yesterday', 1],
  ['a month', 30],
  ['three months', 90],
  ['a year', 365],
]
</script>

<template>
  <div class="page">
    <PositionNav />
    <div class="row head">
      <h1>Between two days</h1>
      <label class="row"
        >from
        <InputText
          :model-value="from"
          type="date"
          size="small"
          data-from
          @change="(e: Event) => put({ from: (e.target as HTMLInputElement).value || undefined })"
      /></label>
      <label class="row"
        >to
        <InputText
          :model-value="to"
          type="date"
          size="small"
          data-to
          @change="(e: Event) => put({ to: (e.target as HTMLInputElement).value || undefined })"
      /></label>
      <button
        v-for="[label, days] in spans"
        :key="label"
        type="button"
        class="chip"
        :class="{ on: from === back(days) && to === today }"
        @click="put({ from: back(days), to: undefined })"
      >
        {{ label }}
      </button>
      <span class="pick"
        ><TitlePick
          :model-value="product"
          :name="name"
          @update:model-value="
            (id: number, n: string) => {
              name = n
              put({ product: String(id) })
            }
          "
      /></span>
      <Button
        v-if="product"
        label="All products"
        size="small"
        severity="secondary"
        @click="put({ product: undefined })"
      />
    </div>
    <div class="row known" role="group" aria-label="by what was known">
      <button
        type="button"
        class="chip"
        :class="{ on: told?.known === 'then' }"
        :disabled="!!told && (!told.since || from < told.since)"
        :title="
          told?.since
            ? `what was known at a day's end is kept since ${told.since}`
            : 'what is known at a day’s end is kept from today on'
        "
        data-known-then
        @click="put({ known: 'then' })"
      >
        each day as it was known then
      </button>
      <button
        type="button"
        class="chip"
        :class="{ on: told?.known === 'now' }"
        data-known-now
        @click="put({ known: 'now' })"
      >
        both as they are known now
      </button>
      <span class="soft">{{
        told?.known === 'then'
          ? 'What was only learnt later comes first, then what happened. The steps add up to the difference.'
          : 'Causes are taken one after the other, so the steps add up to the difference.'
      }}</span>
    </div>
    <StepsOne
      v-if="product"
      :id="product"
      :from="from"
      :to="to"
      :known="known"
      @named="(n) => (name = n)"
      @told="(k) => (told = k)"
    />
    <StepsAll
      v-else
      :from="from"
      :to="to"
      :known="known"
      @open="(id) => put({ product: String(id) })"
      @told="(k) => (told = k)"
    />
  </div>
</template>

<style scoped>
.pick {
  width: 16rem;
}
.known {
  margin: 0.2rem 0 0.6rem;
}
</style>
