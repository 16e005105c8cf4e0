<script setup lang="ts">
import { hintOf } from '../lib/keys'

/** The key by which something is done here now; nothing where single letters are switched off. */
defineProps<{ name: string }>()
</script>

<template>
  <kbd v-if="hintOf(name)">{{ hintOf(name) }}</kbd>
</template>
