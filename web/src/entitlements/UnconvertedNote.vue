<script setup lang="ts">
import { ref } from 'vue'
import type { Schemas } from '../api/client'
import { count, money } from '../lib/format'

/** What is in no sum because its currency has no rate on its day, opened to its lines. */
defineProps<{ list: Schemas['Unconverted'][] }>()
const open = ref(false)
</script>

<template>
  <div v-if="list.length" class="drop" data-unconverted>
    {{ count(list.length, 'payment has', 'payments have') }} no rate on its day and
    {{ list.length === 1 ? 'is' : 'are' }} in no sum:
    <button class="plain" type="button" :aria-expanded="open" @click="open = !open">
      {{ open ? 'hide' : 'which' }}
    </button>
    <ul v-if="open">
      <li v-for="(u, i) in list.slice(0, 200)" :key="i">
        <RouterLink :to="`/entitlements/line/${encodeURIComponent(u.line)}`">{{ u.line }}</RouterLink>
        {{ u.product }}: {{ money(u.amount) }} {{ u.currency }} on {{ u.on }}
      </li>
    </ul>
  </div>
</template>
