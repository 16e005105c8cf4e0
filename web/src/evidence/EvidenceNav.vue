<script setup lang="ts">
import SectionNav from '../components/SectionNav.vue'

/** The ways into the evidence: devices and what is on them, how it got here, and how it is kept fresh. */
const ways = [
  { to: '/evidence', text: 'Devices' },
  { to: '/evidence/where', text: 'What is where' },
  { to: '/evidence/splits', text: 'Splits' },
  { to: '/evidence/find', text: 'Find a file' },
  { to: '/evidence/changes', text: 'Changes' },
  { to: '/evidence/groups', text: 'Groups' },
  { to: '/evidence/scans', text: 'Scans asked for' },
  { to: '/evidence/files', text: 'Files taken in', under: ['/evidence/places'] },
  { to: '/evidence/same', text: 'Same machine' },
  { to: '/evidence/sources', text: 'Sources' },
  { to: '/evidence/senders', text: 'Who sends' },
  {
    to: '/evidence/people',
    text: 'People',
    under: ['/evidence/people/', '/evidence/alike', '/evidence/moves', '/evidence/directories'],
  },
]
</script>

<template>
  <SectionNav label="Evidence" :ways="ways" />
</template>
