import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { Problem } from '../api/client'
import { day } from './format'

/** What a refusal says of an act that is no form: somebody else changed the thing, or what the server says. */
export function refusal(e: unknown): string {
  if (e instanceof Problem && e.conflict)
    return `${e.conflict.who} changed it on ${day(e.conflict.at)}, after you saw it: look at it as it is now, and do it again if you still want to.`
  return (e as Error).message
}

/** Acts of a page, one at a time: each is busy until it is answered, and what it says follows its answer. */
export function useAct() {
  const client = useQueryClient()
  const busy = ref(false)
  const says = ref('')
  /** It reports whether the act was done. */
  async function act<R>(what: () => Promise<R>, done: string | ((r: R) => string) = ''): Promise<boolean> {
    if (busy.value) return false
    busy.value = true
    says.value = ''
    try {
      const r = await what()
      says.value = typeof done === 'string' ? done : done(r)
      return true
    } catch (e) {
      says.value = refusal(e)
      return false
    } finally {
      busy.value = false
      void client.invalidateQueries()
    }
  }
  return { busy, says, act }
}
