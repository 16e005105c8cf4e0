import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { Problem, type Conflict, type Schemas } from '../api/client'
import { usePreview } from '../lib/preview'

/**
 * A change of the catalogue that shows its effect while it is being written, and is made by pressing it. Without a
 * body there is nothing to change yet.
 */
export function useChange<B extends { dry: boolean }>(
  name: string,
  body: Ref<B | undefined>,
  send: (body: B, signal?: AbortSignal) => Promise<Schemas['CatalogueEffect']>,
  done: () => void,
) {
  const client = useQueryClient()
  const refused = ref('')
  const busy = ref(false)
  /** what somebody else changed meanwhile */
  const other = ref<Conflict>()
  const { effect, failed } = usePreview(name, body, (b, signal) => send({ ...b, dry: true }, signal))
  async function save() {
    if (!body.value || busy.value) return
    busy.value = true
    refused.value = ''
    other.value = undefined
    try {
      await send({ ...body.value, dry: false })
      done()
      await client.invalidateQueries()
    } catch (e) {
      if (e instanceof Problem && e.conflict) {
        await client.invalidateQueries()
        other.value = e.conflict
      } else refused.value = (e as Error).message
    } finally {
      busy.value = false
    }
  }
  return {
    effect,
    failed: computed(() => refused.value || failed.value),
    refused,
    busy,
    other,
    save,
  }
}
