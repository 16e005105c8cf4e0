import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { count, moment } from '../lib/format'

/**
 * Does something with cases, and says how it went: how many were done, why others were not, and when it leaves the
 * house.
 */
export function useDeed(after?: () => void) {
  const client = useQueryClient()
  const says = ref('')
  /** why it was not done, for the dialog that stays open over what it says elsewhere */
  const failed = ref('')
  const busy = ref(false)
  async function deed(ids: number[], d: Omit<Schemas['CaseAction'], 'ids'>) {
    if (busy.value) return
    says.value = failed.value = ''
    busy.value = true
    try {
      const done = await ask(api.POST('/api/cases/act', { body: { ids, ...d } }))
      says.value = [
        `Done for ${count(done.count, 'case')}.`,
        ...done.refused.map((r) => r + '.'),
        done.leaves ? `It leaves the house at ${moment(done.leaves)} UTC.` : '',
      ]
        .filter(Boolean)
        .join(' ')
      after?.()
    } catch (e) {
      says.value = failed.value = (e as Error).message
    } finally {
      busy.value = false
      await client.invalidateQueries()
    }
  }
  return { says, failed, busy, deed }
}
