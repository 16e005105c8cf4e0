<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import BalanceBar from '../components/BalanceBar.vue'
import { count, money, whole, word } from '../lib/format'

/** The position of one product: both sides, what each line was used for, and why what is short is short. */
const props = defineProps<{ id: number; open: string }>()
const emit = defineEmits<{ group: [key: string] }>()
const position = useQuery({
  queryKey: ['position', computed(() => props.id)],
  queryFn: () => ask(api.GET('/api/products/{id}/position', { params: { path: { id: props.id } } })),
})
const p = computed(() => position.data.value)
</script>

<template>
  <p v-if="position.error.value" class="says">{{ position.error.value.message }}</p>
  <p v-else-if="!p" class="soft">Being worked out…</p>
  <template v-else>
    <h2>
      <RouterLink :to="`/titles/${p.productId}`">{{ p.product }}</RouterLink>
    </h2>
    <p class="soft">
      {{ p.publisher }}, as of {{ p.asOf }}.
      {{ p.words ? p.words[0]!.toUpperCase() + p.words.slice(1) + '.' : 'Neither owned nor needed.' }}
    </p>
    <section v-for="m in p.metrics" :key="m.metric">
      <h3 v-if="p.metrics.length > 1">By {{ word(m.metric) }}</h3>
      <template v-if="m.counted">
        <BalanceBar large :owned="m.owned" :needed="m.needed" :covered="m.covered" :low="m.low" :high="m.high" />
        <p class="figures">
          owned <b>{{ whole(m.owned) }}</b> · needed <b>{{ whole(m.needed) }}</b> · covered
          <b>{{ whole(m.covered) }}</b>
          <template v-if="m.short">
            · <span class="short">{{ whole(m.short) }} short, {{ money(m.exposure) }} {{ m.currency }}</span></template
          >
          <template v-if="m.surplus">
            ·
            <span class="spare"
              >{{ whole(m.surplus) }} spare<template v-if="Number(m.spare)"
                >, {{ money(m.spare) }} {{ m.currency }}</template
              ></span
            ></template
          >
        </p>
        <p v-if="m.low !== m.high" class="doubt small">
          The need may lie between {{ whole(m.low) }} and {{ whole(m.high) }}:
          <template v-for="(d, i) in m.doubt" :key="d.kind"
            ><template v-if="i">; </template>of the {{ word(d.kind) }} devices {{ whole(d.fresh) }} are fresh,
            {{ whole(d.stale) }} stale, {{ whole(d.never) }} never scanned</template
          >.
        </p>
        <h3>Needed: {{ whole(m.needed) }}</h3>
        <table class="lines">
          <tbody>
            <tr v-for="g in m.groups" :key="g.key" :class="{ on: open === g.key }">
              <td class="num n">
                <button class="plain" type="button" :data-group="g.key" @click="emit('group', g.key)">
                  {{ whole(g.count) }}
                </button>
              </td>
              <td v-if="g.line">
                <button class="plain" type="button" @click="emit('group', g.key)">covered by {{ g.line }}</button>:
                {{ g.reason }}
              </td>
              <td v-else class="short">
                <button class="plain" type="button" @click="emit('group', g.key)">not covered</button>: {{ g.reason }}
              </td>
            </tr>
            <tr v-if="!m.groups.length">
              <td class="soft">Nothing needs it.</td>
            </tr>
          </tbody>
        </table>
      </template>
      <p v-else class="soft">{{ whole(m.owned) }} owned; demand by {{ word(m.metric) }} is not computed yet.</p>
      <h3>Owned: {{ whole(m.owned) }}</h3>
      <table class="lines">
        <tbody>
          <tr v-for="l in m.lines" :key="l.code">
            <td>
              <RouterLink :to="`/entitlements?q=${encodeURIComponent(l.code)}`">{{ l.code }}</RouterLink>
            </td>
            <td class="terms">
              {{ l.terms }}
              <div v-if="l.why" class="drop">{{ l.why }}</div>
              <div v-if="l.unmatched" class="drop">{{ whole(l.unmatched) }} upgrades without a base</div>
            </td>
            <td class="num">{{ whole(l.used) }} of {{ whole(l.effective) }} used</td>
          </tr>
          <tr v-if="!m.lines.length">
            <td class="soft">Nobody owns it.</td>
          </tr>
        </tbody>
      </table>
    </section>
    <template v-if="p.excluded.length">
      <h3>Not counted</h3>
      <p v-for="e in p.excluded" :key="e.reason" class="soft small">{{ count(e.count, 'install') }}: {{ e.reason }}</p>
    </template>
    <p><a :href="`/api/products/${p.productId}/units.csv`" download>Every unit with its reason, as CSV</a></p>
  </template>
</template>

<style scoped>
section {
  margin-bottom: 0.6rem;
}
h3 {
  margin-top: 0.7rem;
}
p {
  margin: 0.25rem 0;
}
.figures {
  line-height: 1.5;
}
.small {
  font-size: 0.9rem;
}
.n {
  width: 2.6rem;
}
.terms {
  font-size: 0.93rem;
}
tr.on td {
  background: var(--pick);
}
</style>
