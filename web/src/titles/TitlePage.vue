<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { count, whole, word } from '../lib/format'
import CatalogueLog from './CatalogueLog.vue'
import ProductName from './ProductName.vue'
import SuiteParts from './SuiteParts.vue'
import TitleLines from './TitleLines.vue'
import OwnFields from '../components/OwnFields.vue'
import TitleMarks from './TitleMarks.vue'
import TitlesNav from './TitlesNav.vue'
import VersionSpread from './VersionSpread.vue'

/**
 * One product: its titles in the catalogue, its versions out there, the raw names it was found under, and the way to
 * its position.
 */
const props = defineProps<{ id: string }>()
const product = useQuery({
  queryKey: ['product', computed(() => props.id)],
  queryFn: () => ask(api.GET('/api/products/{id}', { params: { path: { id: Number(props.id) } } })),
})
const p = computed(() => product.data.value)
</script>

<template>
  <div class="page">
    <TitlesNav />
    <p v-if="product.error.value" class="says">
      {{ product.error.value.message }} <RouterLink to="/titles">Back to the titles</RouterLink>
    </p>
    <template v-if="p">
      <div class="row head">
        <h1>{{ p.product }}</h1>
        <span class="soft">{{ p.publisher }} · {{ p.category }} · {{ word(p.model) }}</span>
        <ProductName :product="p.id" :publisher="p.publisher" :name="p.product" :revision="p.revision" />
        <span class="grow" />
        <RouterLink to="/titles">All titles</RouterLink>
      </div>
      <p>
        Found on
        <RouterLink :to="`/evidence?split=kind&f=hasProduct%3D${p.id}`">{{ count(p.devices, 'device') }}</RouterLink>
        <span v-if="p.stale" class="drop">({{ count(p.stale, 'of them stale', 'of them stale') }})</span> as
        {{ count(p.installs, 'install') }} of {{ count(p.versions, 'version') }};
        <RouterLink v-if="p.counted || p.rights" :to="`/position?trail=p${p.id}`"
          >{{ whole(p.counted) }} need a right</RouterLink
        ><span v-else>none needs a right</span
        ><template v-if="p.folded">; {{ whole(p.folded) }} fold into a suite</template
        ><template v-if="p.leftOut">; {{ whole(p.leftOut) }} are not counted</template>.
        <template v-if="p.suites.length">It is part of {{ p.suites.join(', ') }}.</template>
        <template v-if="p.parts.length">Its parts: {{ p.parts.join(', ') }}.</template>
      </p>
      <SuiteParts :product="p.id" :definitions="p.definitions" />
      <TitleMarks :product="p" />
      <TitleLines :product="p.id" :lines="p.lines" />
      <CatalogueLog :changes="p.changes" />
      <div class="two">
        <VersionSpread :product="p.id" />
        <section>
          <h2>{{ count(p.names.length, 'raw name') }}</h2>
          <table class="lines">
            <thead>
              <tr>
                <th>name, as one source wrote it</th>
                <th>publisher</th>
                <th class="num">spellings</th>
                <th class="num">installs</th>
                <th>by</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="n in p.names" :key="n.key">
                <td>
                  <RouterLink :to="`/titles/names?f=installs%3D%3E0&key=${encodeURIComponent(n.key)}`">{{
                    n.name
                  }}</RouterLink>
                </td>
                <td>{{ n.publisher }}</td>
                <td class="num">{{ whole(n.records) }}</td>
                <td class="num">{{ whole(n.installs) }}</td>
                <td class="soft">{{ n.state }}</td>
              </tr>
            </tbody>
          </table>
        </section>
      </div>
      <OwnFields :key="p.id" kind="title" :thing="String(p.id)" />
    </template>
  </div>
</template>

<style scoped>
p {
  margin: 0.2rem 0;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.1fr) minmax(0, 1fr);
  gap: 2rem;
  margin-top: 0.6rem;
  align-items: start;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
