<script setup lang="ts">
import { nextTick, ref, useTemplateRef } from 'vue'

/**
 * A deed that cannot be taken back. Pressed once it asks, where it stands, and begins with the answer that changes
 * nothing; Esc and going elsewhere are that answer, too.
 */
defineProps<{
  label: string
  /** What is asked, such as “Delete the group?” */
  ask: string
  /** What the answer says that does it. */
  sure: string
  busy?: boolean
}>()
const emit = defineEmits<{ sure: [] }>()
const asking = ref(false)
const keep = useTemplateRef('keep')
const first = useTemplateRef('first')
async function begin() {
  asking.value = true
  await nextTick()
  keep.value?.focus()
}
async function end() {
  asking.value = false
  await nextTick()
  first.value?.focus()
}
function left(e: FocusEvent) {
  if (!(e.currentTarget as HTMLElement).contains(e.relatedTarget as Node | null)) asking.value = false
}
function press() {
  asking.value = false
  emit('sure')
}
</script>

<template>
  <span
    v-if="asking"
    class="sure"
    role="alertdialog"
    :aria-label="ask"
    @keydown.esc.stop.prevent="end"
    @focusout="left"
  >
    {{ ask }}
    <button class="plain short" type="button" data-sure @click="press">{{ sure }}</button>
    <button ref="keep" class="plain" type="button" data-keep @click="end">no</button>
  </span>
  <button v-else ref="first" class="plain" type="button" :disabled="busy" data-ask @click="begin">{{ label }}</button>
</template>

<style scoped>
.sure {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 0 0.6rem;
  border-left: 3px solid var(--short);
  padding-left: 0.4rem;
}
.short {
  color: var(--short);
  font-weight: 600;
}
</style>
