<script setup lang="ts">
import SplitDesk from '../components/SplitDesk.vue'
import WorkNav from './WorkNav.vue'
import { kinds } from './cases'

/** Cases that are not ended, split by what is said of their devices. A row leads to the worklist. */
const columns = ['environment', 'hosting', 'site', 'unit', 'age']
const list = (by: string, value: string, product: number) => {
  const column = by === 'kind' ? 'deviceKind' : by
  if (by !== 'kind' && !columns.includes(by) && !by.startsWith('own:')) return ''
  const q = new URLSearchParams([
    ['f', `${column}=${value}`],
    ['f', 'ended=0'],
  ])
  if (product) q.append('f', `productId=${product}`)
  return `/worklist?${q}`
}
</script>

<template>
  <div class="page">
    <WorkNav />
    <SplitDesk of="cases" what="case" whats="cases" :words="kinds" :list="list"
      ><h1>Cases that are not ended</h1></SplitDesk
    >
  </div>
</template>
