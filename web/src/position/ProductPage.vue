<script setup lang="ts">
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask } from '../api/client'
import { count, money, whole, word } from '../lib/format'
import { ownOr, useOwnFields } from '../lib/own'
import { useSession } from '../lib/session'
import BothSides from './BothSides.vue'
import WaysOut from '../worklist/WaysOut.vue'
import KnownWhen from './KnownWhen.vue'
import PositionNav from './PositionNav.vue'
import TrailPane from './TrailPane.vue'

/**
 * The position of one product on a page of its own, on any day: both sides, its parts by unit, country or contract,
 * and the check that nothing covers more.
 */
const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const client = useQueryClient()
const mayWork = useSession().may('work')
const id = computed(() => Number(props.id))
const asOf = computed(() => String(route.query.on ?? ''))
const known = computed(() => (route.query.known === 'then' ? asOf.value : ''))
const by = computed(() => String(route.query.by ?? 'unit'))
const trail = computed(() =>
  String(route.query.trail ?? '')
    .split('/')
    .filter(Boolean),
)
const put = (q: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...q } })
const position = useQuery({
  queryKey: ['position', id, asOf, known],
  queryFn: () =>
    ask(
      api.GET('/api/products/{id}/position', {
        params: { path: { id: id.value }, query: { asOf: asOf.value, known: known.value } },
      }),
    ),
  placeholderData: keepPreviousData,
})
const p = computed(() => position.data.value)
const parts = useQuery({
  queryKey: ['parts', id, asOf, known, by],
  queryFn: () =>
    ask(
      api.GET('/api/products/{id}/parts', {
        params: { path: { id: id.value }, query: { by: by.value, asOf: asOf.value, known: known.value } },
      }),
    ),
  placeholderData: keepPreviousData,
})
const proof = useQuery({
  queryKey: ['proof', id],
  queryFn: () => ask(api.GET('/api/products/{id}/proof', { params: { path: { id: id.value } } })),
  enabled: false,
})
const own = useOwnFields()
const names = computed(() => [
  ...['unit', 'country', 'contract', 'kind', 'environment', 'hosting', 'site', 'source'].map((value) => ({
    label: value,
    value,
  })),
  ...own.value.map((f) => ({ label: f.label, value: f.name })),
])
const byScope = computed(() => ['unit', 'country', 'contract'].includes(by.value))
const none = computed(() =>
  by.value === 'contract' ? 'no contract' : byScope.value ? 'everyone' : 'no device, or not known',
)
const most = (m: { parts: { owned: number; needed: number }[] }) =>
  Math.max(1, ...m.parts.map((x) => Math.max(x.owned, x.needed)))
const openGroup = (key: string) => put({ trail: `p${id.value}/g${encodeURIComponent(key)}` })
const moved = ref('')
function tryTransfer(t: { line: string; quantity: number; unit: string; country: string }) {
  const measure = {
    kind: 'move' as const,
    product: id.value,
    line: t.line,
    quantity: t.quantity,
    unit: t.unit,
    country: t.country,
  }
  void router.push({ path: '/position/try', query: { m: JSON.stringify([measure]) } })
}
const swap = ref(false)
async function setOrder(order: string[]) {
  moved.value = ''
  try {
    await ask(
      api.POST('/api/products/{id}/metric-order', {
        params: { path: { id: id.value } },
        body: { order, revision: p.value!.revision },
      }),
    )
  } catch (e) {
    moved.value = (e as Error).message
  }
  await client.invalidateQueries()
}
function up(i: number) {
  const order = p.value!.metrics.map((m) => m.metric)
  ;[order[i - 1], order[i]] = [order[i]!, order[i - 1]!]
  void setOrder(order)
}
</script>

<template>
  <div class="page fill">
    <PositionNav />
    <p v-if="position.error.value" class="says">{{ position.error.value.message }}</p>
    <p v-else-if="!p" class="soft">Being worked out…</p>
    <div v-else class="beside">
      <div class="main">
        <div class="row head">
          <h1>
            <RouterLink :to="`/titles/${p.productId}`">{{ p.product }}</RouterLink>
          </h1>
          <span class="soft gap">{{ p.publisher }}</span>
          <label class="row"
            >as of
            <InputText
              :model-value="asOf"
              type="date"
              size="small"
              data-as-of
              @change="(e: Event) => put({ on: (e.target as HTMLInputElement).value || undefined })"
          /></label>
          <KnownWhen :on="asOf" :then="!!known" @known="(k) => put({ known: k })" @today="put({ on: undefined })" />
          <span class="grow" />
          <RouterLink :to="{ path: '/position/changes', query: { product: id } }">What changed</RouterLink>
          <RouterLink :to="{ path: '/position/try', query: { product: id } }">Try measures</RouterLink>
        </div>
        <div class="cols">
          <BothSides
            v-for="m in p.metrics"
            :key="m.metric"
            :m="m"
            :named="p.metrics.length > 1"
            :open="trail[1]?.startsWith('g') ? decodeURIComponent(trail[1]!.slice(1)) : ''"
            @group="openGroup"
          />
          <p v-if="!p.metrics.length" class="soft">Neither owned nor needed on this day.</p>
        </div>
        <template v-if="p.metrics.length > 1">
          <p class="soft">
            Covered in this order, what the first covers makes no demand on the next:
            {{ p.metrics.map((m) => word(m.metric)).join(', then ') }}.
            <button v-if="mayWork" class="plain" type="button" @click="swap = !swap">Change the order</button>
          </p>
          <ol v-if="swap" data-order>
            <li v-for="(m, i) in p.metrics" :key="m.metric">
              {{ word(m.metric) }}
              <button v-if="i" class="plain" type="button" @click="up(i)">
                before {{ word(p.metrics[i - 1]!.metric) }}
              </button>
            </li>
          </ol>
          <p v-if="moved" class="says">{{ moved }}</p>
        </template>
        <WaysOut v-if="!asOf && p.metrics.some((m) => m.short > 0)" :product="p.productId" />
        <div v-if="p.excluded.length">
          <h3>Not counted</h3>
          <p v-for="e in p.excluded" :key="e.reason" class="soft">{{ count(e.count, 'install') }}: {{ e.reason }}</p>
        </div>
        <table v-if="p.hosting.length" class="lines hosting" data-hosting>
          <thead>
            <tr>
              <th>where it runs</th>
              <th class="num">needs a right</th>
              <th class="num">covered by the place</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="h in p.hosting" :key="h.hosting">
              <td>{{ h.hosting }}</td>
              <td class="num">{{ whole(h.own) }}</td>
              <td class="num">{{ whole(h.included) }}</td>
            </tr>
          </tbody>
        </table>
        <div class="row proof">
          <Button
            label="Work it out again and check it"
            size="small"
            severity="secondary"
            :loading="proof.isFetching.value"
            data-prove
            @click="proof.refetch()"
          />
          <span class="soft">from the evidence, and by another way than it was found</span>
        </div>
        <ul v-if="proof.data.value" data-proof>
          <li v-for="r in proof.data.value" :key="r.metric">
            By {{ word(r.metric) }}:
            {{ r.allowed ? 'no right is given out twice or where it may not be' : 'a right is given out wrongly' }};
            <template v-if="r.best"
              >no other allocation covers more: prices of rights and of demand, which no allocation can beat, come to
              the {{ money(r.covered) }} that are covered</template
            ><template v-else
              >it covers {{ money(r.covered) }}, and no allocation covers more than {{ money(r.bound) }}</template
            >; {{ r.same ? 'the stored figures are the same' : 'the stored figures differ: they are being renewed' }}.
            <span v-for="l in r.lines" :key="l" class="soft"> {{ l[0]!.toUpperCase() + l.slice(1) }}.</span>
          </li>
        </ul>
      </div>
      <aside v-if="!trail.length" class="parts sheet">
        <div class="row">
          <h2>By</h2>
          <Select
            :model-value="by"
            :options="names"
            option-label="label"
            option-value="value"
            size="small"
            aria-label="split by"
            data-by
            @update:model-value="(v) => put({ by: v })"
          />
        </div>
        <section v-for="m in parts.data.value ?? []" :key="m.metric">
          <h3 v-if="(parts.data.value?.length ?? 0) > 1">By {{ word(m.metric) }}</h3>
          <table class="lines" data-parts>
            <thead>
              <tr>
                <th>{{ ownOr(by) }}</th>
                <th class="num">owned</th>
                <th class="num">needed</th>
                <th class="num">balance</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="x in m.parts" :key="x.name">
                <td>
                  {{ x.name ? word(x.name) : none }}
                  <span class="part" aria-hidden="true"
                    ><i class="is" :style="{ width: `${(100 * x.covered) / most(m)}%` }" /><i
                      v-if="x.short"
                      class="lacks"
                      :style="{ width: `${(100 * x.short) / most(m)}%` }"
                  /></span>
                </td>
                <td class="num">{{ whole(x.owned) }}</td>
                <td class="num">{{ whole(x.needed) }}</td>
                <td class="num">
                  <span v-if="x.short" class="short">{{ whole(x.short) }} short</span>
                  <template v-if="x.short && x.surplus">, </template>
                  <span v-if="x.surplus" class="spare">{{ whole(x.surplus) }} spare</span>
                  <span v-if="!x.short && !x.surplus" class="soft">even</span>
                </td>
              </tr>
            </tbody>
          </table>
          <p v-for="t in m.transfers" :key="t.line + t.unit + t.country" class="transfer" data-transfer>
            {{ whole(t.quantity) }} of {{ t.line }} are spare in {{ t.from || 'their scope' }} and would cover what is
            short in {{ t.unit || t.country
            }}<template v-if="Number(t.worth)">, worth {{ money(t.worth) }} {{ m.currency }}</template
            >. <button class="plain" type="button" @click="tryTransfer(t)">Try the transfer</button>
          </p>
        </section>
        <p class="soft note">
          {{
            by === 'contract'
              ? 'Demand stands at the contract that covers it; what nothing covers at none.'
              : byScope
                ? 'Owned are the rights used there, and spare ones that are kept for it alone.'
                : 'Demand stands where its device is; spare rights, and demand of no device, stand apart.'
          }}
        </p>
      </aside>
      <TrailPane
        v-else
        :steps="trail"
        :as-of="asOf"
        :known="known"
        alone
        @go="(s) => put({ trail: s.join('/') || undefined })"
      />
    </div>
  </div>
</template>

<style scoped>
.main {
  flex: 1;
  min-width: 0;
  overflow: auto;
}
.cols {
  max-width: 52rem;
}
.parts {
  flex: 0 0 26rem;
  overflow: auto;
}
.part {
  display: flex;
  height: 4px;
  margin-top: 1px;
}
.part i {
  display: block;
}
.is {
  background: var(--covered);
}
.lacks {
  background: var(--short);
}
.proof {
  margin-top: 0.8rem;
}
.transfer {
  border-left: 3px solid var(--spare);
  padding-left: 0.6rem;
}
.note {
  font-size: 0.9rem;
}
p {
  margin: 0.3rem 0;
}
.hosting {
  max-width: 30rem;
  margin-top: 0.5rem;
}
</style>
