<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'

/** Which of the stances that speak of a title holds on one device, and why. */
const props = defineProps<{ product: number; device: string }>()
const emit = defineEmits<{ close: [] }>()
const why = useQuery({
  queryKey: ['stance', computed(() => props.product), computed(() => props.device)],
  queryFn: () =>
    ask(
      api.GET('/api/products/{id}/stance', {
        params: { path: { id: props.product }, query: { device: props.device } },
      }),
    ),
})
</script>

<template>
  <section class="sheet why" data-stance-why>
    <div class="row">
      <h2 class="grow">What holds on {{ device }}</h2>
      <button class="plain" type="button" @click="emit('close')">close</button>
    </div>
    <template v-if="why.data.value">
      <p v-if="why.data.value.policies.length">
        Its being there is <b>{{ why.data.value.stance || 'not spoken of' }}</b>. {{ why.data.value.why }}
        <template v-if="why.data.value.hours">Its use depends on the hour.</template>
      </p>
      <p v-else>No stance speaks of it here.</p>
      <ol>
        <li v-for="(p, i) in why.data.value.policies" :key="p.id" :class="{ soft: i > 0 }">
          {{ p.stance }}: {{ p.what }} on {{ p.group }}, {{ p.hours || 'all hours' }}: {{ p.reason }}
        </li>
      </ol>
    </template>
  </section>
</template>

<style scoped>
.why {
  margin-bottom: 0.8rem;
  border-left: 3px solid var(--here);
}
p,
ol {
  margin: 0.3rem 0;
}
</style>
