import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, type Ref } from 'vue'

/**
 * What a change would do, asked for while it is being written. The effect is that of the change as it now stands or
 * there is none: between a key and
 * its answer nothing old is shown, so nothing can be pressed on the strength of another effect. Without a body there
 * is nothing to ask.
 */
export function usePreview<B, E>(
  name: string,
  body: Ref<B | undefined>,
  send: (body: B, signal?: AbortSignal) => Promise<E>,
  since?: Ref<unknown>,
) {
  const now = computed(() => (body.value === undefined ? '' : JSON.stringify(body.value)))
  const asked = refDebounced(now, 300)
  const query = useQuery({
    queryKey: [name, asked, since],
    queryFn: ({ signal }) => send(JSON.parse(asked.value) as B, signal),
    enabled: computed(() => asked.value !== ''),
    staleTime: 0,
    gcTime: 0,
    retry: false,
  })
  const current = computed(() => now.value !== '' && now.value === asked.value)
  return {
    effect: computed(() => (current.value ? query.data.value : undefined)),
    failed: computed(() => (current.value ? query.error.value?.message : undefined)),
  }
}
