<script setup lang="ts">
import type { Schemas } from '../api/client'

/**
 * How likely a proposal is, and the words that say so: those that both have, those that the raw name lacks, those
 * that it has besides.
 */
defineProps<{ proposal: Schemas['ProposalView'] }>()
</script>

<template>
  <span class="words">
    <span v-if="proposal.otherEdition.length" class="lacks" data-other-edition
      >“{{ proposal.otherEdition.join(' ') }}” is none of its editions: it may be another product</span
    >
    <span
      v-else
      class="likely"
      :title="`of proposals like this about ${Math.round(100 * proposal.score)} in 100 are right`"
      ><i :style="{ width: `${2.7 * proposal.score}rem` }" />{{ Math.round(100 * proposal.score) }} in 100</span
    >
    <span v-if="proposal.shared.length">has {{ proposal.shared.join(' ') }}</span>
    <span v-if="proposal.near.length">nearly {{ proposal.near.join(' ') }}</span>
    <span v-if="proposal.missing.length" class="lacks">lacks {{ proposal.missing.join(' ') }}</span>
    <span v-if="proposal.extra.length" class="extra">besides {{ proposal.extra.join(' ') }}</span>
  </span>
</template>

<style scoped>
.words {
  display: flex;
  flex-wrap: wrap;
  gap: 0 0.7em;
  color: var(--soft);
  font-size: 0.93rem;
}
.likely {
  position: relative;
  min-width: 5.6rem;
  padding-left: 3.1rem;
}
.likely::before,
.likely i {
  content: '';
  position: absolute;
  left: 0;
  top: 0.42em;
  height: 0.5em;
}
.likely::before {
  width: 2.7rem;
  border: 1px solid var(--line);
}
.likely i {
  background: var(--covered);
  border: 1px solid var(--covered);
}
.lacks {
  text-decoration: underline dotted;
}
.extra {
  font-style: italic;
}
</style>
