<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { count } from '../lib/format'
import BothSides from './BothSides.vue'

/** The position of one product: both sides, what each line was used for, and why what is short is short. */
const props = defineProps<{ id: number; open: string; asOf: string; known: string }>()
const emit = defineEmits<{ group: [key: string] }>()
const position = useQuery({
  queryKey: ['position', computed(() => props.id), computed(() => props.asOf), computed(() => props.known)],
  queryFn: () =>
    ask(
      api.GET('/api/products/{id}/position', {
        params: { path: { id: props.id }, query: { asOf: props.asOf, known: props.known } },
      }),
    ),
})
const p = computed(() => position.data.value)
</script>

<template>
  <p v-if="position.error.value" class="says">{{ position.error.value.message }}</p>
  <p v-else-if="!p" class="soft">Being worked out…</p>
  <template v-else>
    <h2>
      <RouterLink :to="`/titles/${p.productId}`">{{ p.product }}</RouterLink>
    </h2>
    <p class="soft">
      {{ p.publisher }}, as of {{ p.asOf }}.
      {{ p.words ? p.words[0]!.toUpperCase() + p.words.slice(1) + '.' : 'Neither owned nor needed.' }}
      <RouterLink :to="`/position/${p.productId}`">Open on a page of its own</RouterLink>
    </p>
    <BothSides
      v-for="m in p.metrics"
      :key="m.metric"
      :m="m"
      :named="p.metrics.length > 1"
      :open="open"
      @group="(k) => emit('group', k)"
    />
    <template v-if="p.excluded.length">
      <h3>Not counted</h3>
      <p v-for="e in p.excluded" :key="e.reason" class="soft small">{{ count(e.count, 'install') }}: {{ e.reason }}</p>
    </template>
    <p><a :href="`/api/products/${p.productId}/units.csv`" download>Every unit with its reason, as CSV</a></p>
  </template>
</template>

<style scoped>
h3 {
  margin-top: 0.7rem;
}
p {
  margin: 0.25rem 0;
}
.small {
  font-size: 0.9rem;
}
</style>
