<script setup lang="ts">
import SureButton from './SureButton.vue'
import { useAct } from '../lib/act'
import { moment } from '../lib/format'
import { useSession } from '../lib/session'

/** What people decided of which things are one, with the way back. */
const props = defineProps<{
  acts: {
    id: number
    together: boolean
    reason: string
    author: string
    at: number
    endedAt: number
    endedBy: string
    about: string[]
  }[]
  one: string
  two: string
  takeBack: (id: number) => Promise<unknown>
}>()
const { may } = useSession()
const mayWork = may('work')
const { says, act } = useAct()
const back = (id: number) => act(() => props.takeBack(id), 'Taken back: it is as if it had never been decided.')
</script>

<template>
  <template v-if="acts.length">
    <h2>Decided</h2>
    <div class="scrolls">
      <table class="lines" data-acts>
        <thead>
          <tr>
            <th>decided</th>
            <th>of</th>
            <th>why</th>
            <th>by</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="a in acts" :key="a.id" :class="{ soft: a.endedAt }">
            <td class="keep">{{ a.together ? one : two }}</td>
            <td>{{ a.about.join(' · ') }}</td>
            <td>{{ a.reason }}</td>
            <td>{{ a.author }}, {{ moment(a.at) }}</td>
            <td class="keep">
              <template v-if="a.endedAt">taken back by {{ a.endedBy }}, {{ moment(a.endedAt) }}</template>
              <SureButton
                v-else-if="mayWork"
                label="take it back"
                ask="Take this decision back? What it joined comes apart, what it parted comes together."
                sure="take it back"
                @sure="back(a.id)"
              />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
  <p v-if="says" role="status" data-taken-back>{{ says }}</p>
</template>
