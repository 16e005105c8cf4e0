<script setup lang="ts">
import type { Schemas } from '../api/client'
import { count, money, whole, word } from '../lib/format'

/**
 * What is about to change, before it does: rows touched and positions that move; or in words alone, once it is ready.
 * Saving is pressing the line.
 */
defineProps<{ says: string; effect?: Schemas['Effect']; failed?: string; press: string; ready?: boolean }>()
const emit = defineEmits<{ press: [] }>()
const balance = (n: number) => (n < 0 ? `${whole(-n)} short` : n > 0 ? `${whole(n)} spare` : 'even')
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
      <span v-for="m in effect.moves.slice(0, 8)" :key="m.product + m.metric" class="move">
        {{ m.product }}, {{ word(m.metric) }}: needed
        {{ m.neededBefore === m.neededAfter ? '' : whole(m.neededBefore) + ' → ' }}{{ whole(m.neededAfter) }},
        <span :class="{ short: m.after < 0, spare: m.after > 0 }"
          >{{ m.before === m.after ? '' : balance(m.before) + ' → ' }}{{ balance(m.after) }}</span
        ><template v-if="m.moneyBefore !== m.moneyAfter"
          >, at list price {{ money(m.moneyBefore) }} → {{ money(m.moneyAfter) }} {{ m.currency }}</template
        >
      </span>
      <span v-if="effect.moves.length > 8" class="move soft">and {{ effect.moves.length - 8 }} more positions</span>
      <span v-if="!effect.moves.length" class="soft">no position moves</span>
      <span v-if="effect.waits" class="move soft">It counts once a second person has signed it off.</span>
    </template>
    <span v-else-if="!ready" class="soft">being worked out…</span>
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
