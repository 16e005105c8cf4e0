<script setup lang="ts">
import SplitDesk from '../components/SplitDesk.vue'
import TitlesNav from './TitlesNav.vue'

/** Titles that are installed, split by what is said of devices. A row leads to its devices. */
const list = (by: string, value: string, product: number) => {
  if (by === 'source') return ''
  const q = new URLSearchParams([['f', `${by}=${value}`]])
  if (product) q.append('f', `hasProduct=${product}`)
  return `/evidence?${q}`
}
</script>

<template>
  <div class="page">
    <TitlesNav />
    <SplitDesk of="titles" what="title" whats="titles" :list="list"><h1>Titles that are installed</h1></SplitDesk>
  </div>
</template>
