<script setup lang="ts">
import type { Schemas } from '../api/client'
import { count, whole } from '../lib/format'
import PositionMoves from './PositionMoves.vue'

/**
 * What is about to change, before it does: rows touched and positions that move; or what stands in its slot, once it is
 * ready.
 * Saving is pressing the line.
 */
defineProps<{ says: string; effect?: Schemas['Effect']; failed?: string; press: string; ready?: boolean }>()
const emit = defineEmits<{ press: [] }>()
</script>

<template>
  <p v-if="failed" class="says" role="alert">{{ failed }}</p>
  <button v-else type="button" class="effect" :disabled="!effect && !ready" data-effect @click="emit('press')">
    <b>{{ press }}</b>
    <span>{{ says }}</span>
    <template v-if="effect">
      <span v-if="effect.records"
        >{{ count(effect.records, 'record') }} on {{ count(effect.installs, 'install')
        }}<template v-if="effect.lastYear > effect.installs"
          >, {{ whole(effect.lastYear) }} in the last year</template
        ></span
      >
      <span v-else>{{ count(effect.installs, 'install') }}</span>
      <PositionMoves :moves="effect.moves" />
      <span v-if="effect.waits" class="move soft">It counts once a second person has signed it off.</span>
    </template>
    <slot v-else><span v-if="!ready" class="soft">being worked out…</span></slot>
  </button>
</template>

<style scoped>
.effect {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 0.7rem;
  width: 100%;
  font: inherit;
  color: var(--ink);
  text-align: left;
  background: var(--pick);
  border: 1px solid var(--here);
  border-left-width: 5px;
  border-radius: 3px;
  padding: 0.5rem 0.7rem;
  cursor: pointer;
}
.effect:hover:not(:disabled) {
  background: color-mix(in srgb, var(--here) 22%, var(--sheet));
}
.effect b {
  color: var(--here);
}
.move {
  flex-basis: 100%;
}
</style>
