import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import type { Schemas } from '../api/client'
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
  const { effect, failed } = usePreview(name, body, (b, signal) => send({ ...b, dry: true }, signal))
  async function save() {
    if (!body.value) return
    refused.value = ''
    try {
      await send({ ...body.value, dry: false })
      done()
      await client.invalidateQueries()
    } catch (e) {
      refused.value = (e as Error).message
    }
  }
  return {
    effect,
    failed: computed(() => refused.value || failed.value),
    refused,
    save,
  }
}
