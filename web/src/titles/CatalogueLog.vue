<script setup lang="ts">
import type { Schemas } from '../api/client'
import { count, day, word } from '../lib/format'

/** What changed in the catalogue, by whom, and out of which file. */
defineProps<{ changes: Schemas['CatalogueChange'][] }>()
const what = (c: Schemas['CatalogueChange']) =>
  c.field ? `${word(c.field)}: ${c.was || 'unknown'} → ${c.now || 'unknown'}` : `${c.was ? c.was + ' ' : ''}${c.now}`
</script>

<template>
  <details v-if="changes.length" data-catalogue-log>
    <summary>
      How it came to be so: {{ changes.length === 50 ? 'the last 50 changes' : count(changes.length, 'change') }}
    </summary>
    <table class="lines">
      <tbody>
        <tr v-for="c in changes" :key="c.id">
          <td class="soft">{{ day(c.at) }}</td>
          <td>{{ c.name || '–' }}</td>
          <td>{{ what(c) }}</td>
          <td class="soft">{{ c.author }}{{ c.file ? `, from ${c.file}` : '' }}</td>
        </tr>
      </tbody>
    </table>
  </details>
</template>
