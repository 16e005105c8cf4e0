<script setup lang="ts">
import type { Schemas } from '../api/client'
import BalanceBar from '../components/BalanceBar.vue'
import { count, money, whole, word } from '../lib/format'

/**
 * One metric of a position, opened into both sides: the balance, what is needed and what covers it, and what is owned
 * and what it was used for.
 */
defineProps<{ m: Schemas['MetricPosition']; named: boolean; open: string }>()
const emit = defineEmits<{ group: [key: string] }>()
</script>

<template>
  <section>
    <h3 v-if="named">By {{ word(m.metric) }}</h3>
    <template v-if="m.counted">
      <BalanceBar
        large
        :owned="m.owned"
        :needed="m.needed"
        :covered="m.covered"
        :free="m.free"
        :low="m.low"
        :high="m.high"
      />
      <p class="figures">
        owned <b>{{ whole(m.owned) }}</b> · needed <b>{{ whole(m.needed) }}</b> · covered
        <b>{{ whole(m.covered) }}</b>
        <template v-if="m.free"> ({{ whole(m.free) }} without a right of their own)</template>
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
      <p v-if="m.short && m.pack > 1" class="small">
        To buy: {{ count(m.buy, 'pack') }} of {{ whole(m.pack) }}, since it is sold so.
      </p>
      <p v-for="t in m.terms" :key="t" class="soft small">{{ t[0]!.toUpperCase() + t.slice(1) }}.</p>
      <p v-for="d in m.disagree" :key="d" class="drop small">
        The lines disagree on the {{ d }}; the strictest counts.
      </p>
      <p v-if="m.outside" class="drop small">
        {{ count(m.outside, 'device has', 'devices have') }} it that this metric does not count.
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
    <p v-else class="soft">
      {{ whole(m.owned) }} owned by {{ word(m.metric) }}. Its use is not measured, so nobody knows how many are needed:
      bring pool_events.csv of its licence server, or usage.csv.
    </p>
    <h3>Owned: {{ whole(m.owned) }}</h3>
    <table class="lines">
      <tbody>
        <tr v-for="l in m.lines" :key="l.code">
          <td class="code">
            <RouterLink :to="`/entitlements/line/${encodeURIComponent(l.code)}`">{{ l.code }}</RouterLink>
          </td>
          <td class="terms">
            {{ l.terms }}
            <div v-if="l.why" class="drop">{{ l.why }}</div>
            <div v-if="l.unmatched" class="drop">{{ whole(l.unmatched) }} upgrades without a base</div>
            <div v-if="l.consumed" class="soft">{{ whole(l.consumed) }} used up by upgrades</div>
            <div v-if="l.worth" class="soft">one more would cover {{ money(l.worth) }} {{ m.currency }}</div>
          </td>
          <td class="num">{{ whole(l.used) }} of {{ whole(l.effective) }} used</td>
        </tr>
        <tr v-if="!m.lines.length">
          <td class="soft">Nobody owns it.</td>
        </tr>
      </tbody>
    </table>
  </section>
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
  width: 3.2rem;
}
.code {
  white-space: nowrap;
}
.terms {
  font-size: 0.93rem;
}
tr.on td {
  background: var(--pick);
}
</style>
