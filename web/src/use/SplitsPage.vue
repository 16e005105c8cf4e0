<script setup lang="ts">
import SplitDesk from '../components/SplitDesk.vue'
import UseNav from './UseNav.vue'

/** How titles on devices are used, split by what is said of devices. A row leads to the list of use. */
const columns = ['kind', 'environment', 'hosting', 'site', 'unit', 'age']
const list = (by: string, value: string, product: number) => {
  if (!columns.includes(by) && !by.startsWith('own:')) return ''
  const q = new URLSearchParams([['f', `${by}=${value}`]])
  if (product) q.append('f', `productId=${product}`)
  return `/use?${q}`
}
</script>

<template>
  <div class="page">
    <UseNav />
    <SplitDesk of="use" what="counted install" whats="counted installs" :list="list"><h1>Use</h1></SplitDesk>
  </div>
</template>
