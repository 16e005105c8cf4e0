<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../api/client'
import EffectLine from '../components/EffectLine.vue'
import { count } from '../lib/format'

/**
 * What a change of the catalogue would do: titles it writes, names that it recognises otherwise, positions that move.
 * Saving is pressing the line.
 */
const props = defineProps<{ effect?: Schemas['CatalogueEffect']; failed?: string; press: string }>()
const emit = defineEmits<{ press: [] }>()
const says = computed(() => {
  const e = props.effect
  if (!e) return ''
  const parts = [
    count(e.titles, 'title or publisher', 'titles and publishers') + (e.titles === 1 ? ' changes' : ' change'),
  ]
  if (e.found) parts.push(count(e.found, 'record is', 'records are') + ' recognised by it')
  if (e.moved) parts.push(count(e.moved, 'record becomes', 'records become') + ' something else')
  if (e.lost) parts.push(count(e.lost, 'record is', 'records are') + ' no longer recognised')
  if (!e.found && !e.moved && !e.lost) parts.push('every name stays what it is')
  return parts.join('; ') + '.'
})
const shown = computed(() => (props.effect?.records ? props.effect : undefined))
</script>

<template>
  <EffectLine
    :says="effect?.many ? says + ' So many products are touched that positions are worked out once it is saved.' : says"
    :effect="shown ?? effect"
    :failed="failed"
    :press="press"
    @press="emit('press')"
  />
</template>
