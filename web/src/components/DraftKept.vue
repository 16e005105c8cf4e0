<script setup lang="ts">
/**
 * Says that what somebody typed before is still in the form, and lets it be thrown away; and who else has the same thing
 * open.
 */
defineProps<{ kept: boolean; dirty: boolean; others?: string }>()
defineEmits<{ discard: [] }>()
</script>

<template>
  <p v-if="others" class="company" role="status" data-others>{{ others }}</p>
  <p v-if="kept && dirty" class="row soft" role="status" data-kept>
    What you typed here before is still here, and not saved.
    <button class="plain" type="button" @click="$emit('discard')">throw it away</button>
  </p>
</template>
