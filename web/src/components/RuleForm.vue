<script setup lang="ts" generic="V">
import Select from 'primevue/select'
import EffectLine from './EffectLine.vue'
import ScopePick, { type Scope } from './ScopePick.vue'

/**
 * The form of a rule: what it says, of which titles on which devices, more in the slots, and its effect; pressing
 * that makes it.
 */
defineProps<{
  options: { l: string; v: V }[]
  label: string
  joint: string
  ready: boolean
  known: boolean
  says: string
  failed?: string
  press: string
  hint: string
}>()
const emit = defineEmits<{ save: [] }>()
const choice = defineModel<V>({ required: true })
const scope = defineModel<Scope>('scope', { required: true })
</script>

<template>
  <form class="sheet form" @submit.prevent="emit('save')">
    <div class="row">
      <Select v-model="choice" :options="options" option-label="l" option-value="v" size="small" :aria-label="label" />
      <span>{{ joint }}</span>
      <ScopePick v-model="scope" />
      <slot name="beside" />
    </div>
    <slot />
    <EffectLine v-if="ready" :press="press" :ready="known" :says="says" :failed="failed" @press="emit('save')" />
    <p v-else class="soft">{{ hint }}</p>
  </form>
</template>
