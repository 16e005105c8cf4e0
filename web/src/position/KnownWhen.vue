<script setup lang="ts">
/** Of another day than today: by what is known now, or as it was known at its end; and the way back to today. */
defineProps<{ on: string; then: boolean }>()
const emit = defineEmits<{ known: [how: 'then' | undefined]; today: [] }>()
</script>

<template>
  <span v-if="on" class="row" role="group" aria-label="by what was known">
    <button type="button" class="chip" :class="{ on: !then }" data-known-now @click="emit('known', undefined)">
      as known now
    </button>
    <button type="button" class="chip" :class="{ on: then }" data-known-then @click="emit('known', 'then')">
      as known then
    </button>
    <button class="plain" type="button" data-today @click="emit('today')">today</button>
  </span>
</template>
