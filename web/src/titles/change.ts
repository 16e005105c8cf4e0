import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, type Ref } from 'vue'
import type { Schemas } from '../api/client'

/** A change of the catalogue that shows its effect while it is being written, and is made by pressing it. Without a body there is nothing to change yet. */
export function useChange<B extends { dry: boolean }>(
  name: string,
  body: Ref<B | undefined>,
  send: (body: B, signal?: AbortSignal) => Promise<Schemas['CatalogueEffect']>,
  done: () => void,
) {
  const client = useQueryClient()
  const refused = ref('')
  const late = refDebounced(body, 300)
  const preview = useQuery({
    queryKey: [name, late],
    queryFn: ({ signal }) => send({ ...late.value!, dry: true }, signal),
    enabled: computed(() => !!late.value),
    staleTime: 0,
    retry: false,
  })
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
    effect: preview.data,
    failed: computed(() => refused.value || preview.error.value?.message),
    refused,
    save,
  }
}
