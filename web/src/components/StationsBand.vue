<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import type { Schemas } from '../api/client'
import { whole } from '../lib/format'

/**
 * The way of the work as one band: the stations in order, joined by a stream whose height is the share that passes
 * on; what drops out hangs below as links.
 */
const props = defineProps<{ overview?: Schemas['Overview']; tall?: boolean }>()
const route = useRoute()

interface Station {
  to: string
  name: string
  figure: string
  share: number
  says: string
  drops: { text: string; to: string }[]
}
const f = (list: string, ...filters: string[]) =>
  `${list}?${new URLSearchParams(filters.map((x) => ['f', x])).toString()}`
const part = (a: number, b: number) => (b > 0 ? a / b : 0)

/** The stations while their figures are on the way. */
const bare: Station[] = [
  ['/evidence', 'Evidence'],
  ['/titles', 'Titles'],
  ['/entitlements', 'Entitlements'],
  ['/use', 'Use'],
  ['/position', 'Position'],
  ['/worklist', 'Worklist'],
].map(([to, name]) => ({ to: to!, name: name!, figure: '', share: 0, says: '', drops: [] }))

const stations = computed<Station[]>(() => {
  const c = props.overview
  if (!c) return bare
  const recognised = c.installs - c.unrecognised
  const drop = (n: number, text: string, to: string) => (n > 0 ? [{ text: `${whole(n)} ${text}`, to }] : [])
  return [
    {
      to: '/evidence',
      name: 'Evidence',
      figure: whole(c.installs),
      share: c.installs ? 1 : 0,
      says: `installs on ${whole(c.devices)} devices`,
      drops: [
        ...drop(c.never, 'never scanned', f('/evidence', 'age=never', 'status=in_service')),
        ...drop(c.stale, 'stale', f('/evidence', 'age=stale', 'status=in_service')),
        ...drop(c.aside, 'lines put aside', '/evidence/files'),
      ],
    },
    {
      to: '/titles',
      name: 'Titles',
      figure: whole(recognised),
      share: part(recognised, c.installs),
      says: `installs recognised, ${(100 * part(recognised, c.installs)).toFixed(1)}\u00a0%`,
      drops: [...drop(c.names, 'names undecided', '/titles/names')],
    },
    {
      to: '/entitlements',
      name: 'Entitlements',
      figure: whole(c.entitlements),
      share: part(c.counted - c.folded, c.installs),
      says: `booked; ${whole(c.counted)} installs need a right`,
      drops: [
        ...drop(c.endingSoon, 'ending soon', '/entitlements?sort=end'),
        ...drop(c.folded, 'in suites', '/titles?sort=folded&desc=true'),
      ],
    },
    {
      to: '/use',
      name: 'Use',
      figure: whole(c.measured),
      share: part(c.counted - c.folded, c.installs) * 0.97,
      says: `installs measured in ${c.window} days`,
      drops: [
        ...drop(c.idle, 'idle', f('/use', 'class=unused|never used')),
        ...drop(c.notMeasured, 'unmeasured', f('/use', 'class=not measured')),
      ],
    },
    {
      to: '/position',
      name: 'Position',
      figure: c.needed ? `${((100 * c.covered) / c.needed).toFixed(1)}\u00a0%` : '–',
      share: part(c.covered, c.installs),
      says: `of ${whole(c.needed)} needed are covered`,
      drops: [
        ...drop(c.short, 'short', f('/position', 'state=short')),
        ...drop(c.doubtful, 'could tip', f('/position', 'doubtful=1')),
      ],
    },
    {
      to: '/worklist',
      name: 'Worklist',
      figure: whole(c.openCases + c.agreedCases + c.sentCases),
      share: part(c.covered, c.installs) * 0.9,
      says: 'cases under way',
      drops: [
        ...drop(c.openCases, 'wait for a decision', f('/worklist', 'state=open|failed')),
        ...drop(c.backCases, 'came back', f('/worklist', 'cameBack=>0', 'ended=0')),
      ],
    },
  ]
})
const here = (s: Station) => route.path === s.to || route.path.startsWith(s.to + '/')
const height = (share: number) => 6 + 26 * share
const stream = computed(() => {
  const s = stations.value.map((x) => height(x.share))
  const w = 1000 / s.length
  const points: string[] = []
  s.forEach((h, i) => points.push(`${i * w},${(34 - h) / 2}`, `${(i + 1) * w - 12},${(34 - h) / 2}`))
  ;[...s].reverse().forEach((h, k) => {
    const i = s.length - 1 - k
    points.push(`${(i + 1) * w - 12},${(34 + h) / 2}`, `${i * w},${(34 + h) / 2}`)
  })
  return points.join(' ')
})
</script>

<template>
  <nav class="stations" :class="{ tall }" aria-label="The way of the work">
    <svg class="stream" viewBox="0 0 1000 34" preserveAspectRatio="none" aria-hidden="true">
      <polygon :points="stream" fill="var(--stream)" />
    </svg>
    <div v-for="s in stations" :key="s.to" class="station">
      <RouterLink
        :to="s.to"
        class="name"
        :class="{ here: here(s) }"
        :aria-current="here(s) ? 'page' : undefined"
        :title="s.says"
      >
        <b>{{ s.name }}</b> <span>{{ s.figure }}</span>
      </RouterLink>
      <p v-if="tall" class="says-tall soft">{{ s.says }}</p>
      <p class="drops">
        <template v-for="(d, i) in s.drops" :key="d.to"
          ><span v-if="i > 0" class="dot"> · </span><RouterLink :to="d.to">{{ d.text }}</RouterLink></template
        >
        <span v-if="!s.drops.length" class="soft">{{
          !overview ? '\u00a0' : overview.installs || overview.entitlements ? 'nothing waits' : 'empty yet'
        }}</span>
      </p>
    </div>
  </nav>
</template>

<style scoped>
.stations {
  position: relative;
  display: grid;
  grid-template-columns: repeat(6, 1fr);
  padding: 0 1.4rem;
}
.stream {
  position: absolute;
  inset: 0 1.4rem auto;
  width: calc(100% - 2.8rem);
  height: 34px;
}
.tall .stream {
  height: 64px;
}
.station {
  position: relative;
  min-width: 0;
  padding-right: 12px;
}
.name {
  display: flex;
  gap: 0.45rem;
  align-items: baseline;
  padding: 0.45rem 0.7rem;
  height: 34px;
  text-decoration: none;
  white-space: nowrap;
}
.tall .name {
  height: 64px;
  align-items: center;
  font-size: 1.25rem;
}
.name.here {
  background: var(--here);
  color: var(--here-ink);
}
.says-tall {
  margin: 0.35rem 0 0;
  padding: 0 0.7rem;
}
.drops {
  margin: 0;
  padding: 0.15rem 0.7rem 0.2rem;
  font-size: 0.86rem;
  color: var(--drop);
}
.drops .soft {
  color: var(--soft);
}
@media (max-width: 900px) {
  .stations {
    grid-template-columns: repeat(3, 1fr);
  }
  .stream {
    display: none;
  }
  .name {
    background: var(--stream);
  }
}
</style>
