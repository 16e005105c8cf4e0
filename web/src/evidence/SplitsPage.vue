<script setup lang="ts">
import SplitDesk from '../components/SplitDesk.vue'
import EvidenceNav from './EvidenceNav.vue'

/** Installs, split by what is said of devices. A row leads to its devices. */
const list = (by: string, value: string, product: number) => {
  if (by === 'source') return ''
  const q = new URLSearchParams([['f', `${by}=${value}`]])
  if (product) q.append('f', `hasProduct=${product}`)
  return `/evidence?${q}`
}
</script>

<template>
  <div class="page">
    <EvidenceNav />
    <SplitDesk of="installs" what="install" whats="installs" :list="list"><h1>Installs</h1></SplitDesk>
  </div>
</template>
