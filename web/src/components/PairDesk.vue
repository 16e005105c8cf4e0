<script setup lang="ts" generic="S extends { name: string }">
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import EffectLine from './EffectLine.vue'
import PositionMoves from './PositionMoves.vue'
import { useAct } from '../lib/act'
import { count, whole } from '../lib/format'
import type { Decision, Effect } from '../lib/pairs'
import { usePreview } from '../lib/preview'
import { useSession } from '../lib/session'

/**
 * Pairs that may be one: both side by side, what speaks for it and against it. Many are decided at once, with the
 * effect before.
 */
const props = defineProps<{
  pairs: { a: S; b: S; signs: { weight: string; words: string }[] }[]
  /** what names a side in a decision */
  keyOf: (side: S) => string
  /** what is counted: device, person */
  what: string
  many: string
  heads: [string, string]
  one: string
  two: string
  preview: (d: Decision, signal?: AbortSignal) => Promise<Effect>
  save: (d: Decision) => Promise<unknown>
}>()
const { may } = useSession()
const mayWork = may('work')
const pairKey = (p: { a: S; b: S }) => `${props.keyOf(p.a)} ${props.keyOf(p.b)}`
const picked = ref<string[]>([])
const reason = ref('')
const together = ref(true)
const chosen = computed(() => props.pairs.filter((p) => picked.value.includes(pairKey(p))))
const draft = computed(() =>
  chosen.value.length
    ? {
        pairs: chosen.value.map((p) => [props.keyOf(p.a), props.keyOf(p.b)]),
        together: together.value,
        reason: reason.value,
      }
    : undefined,
)
// why it is so changes nothing of what it does
const asked = computed(() => draft.value && { ...draft.value, reason: '' })
const { effect, failed } = usePreview(`pairs of ${props.what}`, asked, (b, signal) => props.preview(b, signal))
const { busy, says, act } = useAct()
const decide = () =>
  act(async () => {
    await props.save(draft.value!)
    picked.value = []
    reason.value = ''
  }, 'Decided. It stands below, where it can be taken back.')
const effectWords = computed(() => {
  const e = effect.value
  if (!e) return ''
  return e.before === e.after
    ? `the number of ${props.many} stays as it is`
    : `${whole(e.before)} → ${count(e.after, props.what, props.many)}`
})
const marks: Record<string, string> = { certain: '✓', likely: '≈', against: '✕' }
</script>

<template>
  <div class="scrolls">
    <table class="lines pairs" data-pairs>
      <thead>
        <tr>
          <th></th>
          <th>{{ heads[0] }}</th>
          <th>{{ heads[1] }}</th>
          <th>what speaks for it, and against</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="p in pairs"
          :key="pairKey(p)"
          :class="{ chosen: picked.includes(pairKey(p)) }"
          :data-pair="pairKey(p)"
        >
          <td>
            <input
              v-if="mayWork"
              v-model="picked"
              type="checkbox"
              :value="pairKey(p)"
              :aria-label="`${p.a.name} and ${p.b.name}`"
            />
          </td>
          <td v-for="side in [p.a, p.b]" :key="keyOf(side)"><slot name="side" :side="side" /></td>
          <td>
            <div v-for="s in p.signs" :key="s.words" :class="{ drop: s.weight === 'against' }">
              <span aria-hidden="true">{{ marks[s.weight] }}</span> {{ s.weight }}: {{ s.words }}
            </div>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <form v-if="chosen.length" class="sheet decide" data-decide @submit.prevent="decide">
    <div class="row">
      <label class="row"><input v-model="together" type="radio" :value="true" /> they are {{ one }}</label>
      <label class="row"><input v-model="together" type="radio" :value="false" data-two /> they are {{ two }}</label>
      <InputText
        v-model="reason"
        size="small"
        class="grow"
        placeholder="why, for whoever asks later"
        aria-label="why"
        data-reason
      />
    </div>
    <EffectLine
      :press="together ? `Join ${count(chosen.length, 'pair')}` : `Keep ${count(chosen.length, 'pair')} apart`"
      :ready="!!effect && !!reason.trim() && !busy"
      :says="effectWords"
      :failed="failed"
      @press="decide"
    >
      <PositionMoves v-if="effect" :moves="effect.moves" />
      <span v-if="effect && !reason.trim()" class="soft">say why, then press</span>
    </EffectLine>
  </form>
  <p v-if="says" role="status" data-says>{{ says }}</p>
</template>

<style scoped>
.pairs td {
  vertical-align: top;
}
.decide .row {
  margin-bottom: 0.4rem;
}
.decide {
  position: sticky;
  bottom: 0.5rem;
  margin-top: 0.6rem;
}
</style>
