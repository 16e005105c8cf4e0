<script setup lang="ts" generic="V">
import Select from 'primevue/select'
import type { Conflict } from '../api/client'
import DraftKept from './DraftKept.vue'
import EffectLine from './EffectLine.vue'
import OtherChange from './OtherChange.vue'
import ScopePick, { scopeWords, type Scope } from './ScopePick.vue'

/**
 * The form of a rule: what it says, of which titles on which devices, more in the slots, and its effect; pressing
 * that makes or changes it.
 */
const props = defineProps<{
  options: { l: string; v: V }[]
  label: string
  joint: string
  ready: boolean
  known: boolean
  says: string
  failed?: string
  press: string
  hint: string
  /** What is called of a rule that is there and is being changed. */
  title: string
  draft: { id: number }
  base?: object
  stored?: object
  other?: Conflict
  kept: boolean
  dirty: boolean
  others: string
  busy: boolean
  /** What fields are called, where their own names do not say it. */
  labels?: Record<string, string>
}>()
const emit = defineEmits<{ save: []; keep: [theirs: string[]]; leave: [] }>()
const choice = defineModel<V>({ required: true })
const scope = defineModel<Scope>('scope', { required: true })
/** How a value of a field is said. */
function say(field: string, v: unknown): string | undefined {
  if (field === 'scope' && v) return scopeWords(v as Scope)
  return props.options.find((o) => o.v === v)?.l
}
</script>

<template>
  <form class="sheet form" :data-editing="draft.id || undefined" @submit.prevent="emit('save')">
    <p v-if="draft.id" class="row">
      <b>{{ title }}</b>
      <button class="plain" type="button" data-leave @click="emit('leave')">leave it as it is</button>
    </p>
    <DraftKept :kept="kept" :dirty="dirty" :others="others" @discard="emit('leave')" />
    <div class="row">
      <Select v-model="choice" :options="options" option-label="l" option-value="v" size="small" :aria-label="label" />
      <span>{{ joint }}</span>
      <ScopePick v-model="scope" />
      <slot name="beside" />
    </div>
    <slot />
    <OtherChange
      v-if="other"
      :conflict="other"
      :mine="draft"
      :base="base"
      :theirs="stored"
      :labels="{ scope: 'about', ...labels }"
      :say="say"
      @save="(theirs) => emit('keep', theirs)"
    />
    <EffectLine
      v-else-if="ready"
      :press="busy ? 'Saving…' : press"
      :ready="known"
      :says="says"
      :failed="failed"
      @press="emit('save')"
    />
    <p v-else class="soft">{{ hint }}</p>
  </form>
</template>
