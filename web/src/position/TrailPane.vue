<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'
import RecordTrace from '../components/RecordTrace.vue'
import TrailGroup from './TrailGroup.vue'
import TrailProduct from './TrailProduct.vue'

/**
 * The trail: the steps taken from a figure down to its evidence, one under the other. A step is p for a product's
 * position, g for a group of its demand, and r for a
 * raw record, perhaps on one device.
 */
const props = defineProps<{ steps: string[]; asOf?: string; known?: string; alone?: boolean }>()
const emit = defineEmits<{ go: [steps: string[]] }>()
const pane = ref<HTMLElement>()
const upTo = (i: number, ...more: string[]) => emit('go', [...props.steps.slice(0, i + 1), ...more])
const kind = (s: string) => s[0]
const rest = (s: string) => decodeURIComponent(s.slice(1))
watch(
  () => props.steps.length,
  async (now, before) => {
    if (now > (before ?? 0)) {
      await nextTick()
      setTimeout(
        () => pane.value?.querySelector('li:last-child')?.scrollIntoView({ block: 'nearest', behavior: 'smooth' }),
        250,
      )
    }
  },
)
const product = () => Number(props.steps.find((s) => s.startsWith('p'))?.slice(1) ?? 0)
</script>

<template>
  <aside ref="pane" class="sheet" aria-label="The trail from the figure to its evidence">
    <div class="row">
      <span class="soft grow">The trail, <kbd>Esc</kbd> takes the last step back</span
      ><button class="plain" type="button" @click="emit('go', [])">close</button>
    </div>
    <ol>
      <li
        v-for="(s, i) in steps"
        v-show="!(alone && kind(s) === 'p')"
        :key="s"
        :class="{ last: i === steps.length - 1 }"
      >
        <TrailProduct
          v-if="kind(s) === 'p' && !alone"
          :id="Number(rest(s))"
          :as-of="asOf ?? ''"
          :known="known ?? ''"
          :open="steps[i + 1]?.startsWith('g') ? rest(steps[i + 1]!) : ''"
          @group="(g) => upTo(i, `g${encodeURIComponent(g)}`)"
        />
        <TrailGroup
          v-else-if="kind(s) === 'g'"
          :product="product()"
          :as-of="asOf ?? ''"
          :known="known ?? ''"
          :group="rest(s)"
          @record="(r, d) => upTo(i, `r${r}-${d}`)"
        />
        <template v-else-if="kind(s) === 'r'">
          <h3>Record {{ rest(s).split('-')[0] }}</h3>
          <RecordTrace :id="Number(rest(s).split('-')[0])" :device="Number(rest(s).split('-')[1] ?? 0)" />
        </template>
      </li>
    </ol>
  </aside>
</template>

<style scoped>
aside {
  width: 25.5rem;
  flex: none;
  overflow: auto;
  border-left: 3px solid var(--here);
}
ol {
  list-style: none;
  margin: 0.4rem 0 0;
  padding: 0 0 0 0.9rem;
  border-left: 1px solid var(--soft);
}
li {
  position: relative;
  padding-bottom: 1rem;
}
li::before {
  content: '';
  position: absolute;
  left: calc(-0.9rem - 5px);
  top: 0.35rem;
  width: 7px;
  height: 7px;
  rotate: 45deg;
  background: var(--sheet);
  border: 1.5px solid var(--here);
}
li.last::before {
  background: var(--here);
}
</style>
