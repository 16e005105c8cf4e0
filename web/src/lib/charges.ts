import { useInfiniteQuery } from '@tanstack/vue-query'
import { computed, watchEffect } from 'vue'
import { api, ask, type Schemas } from '../api/client'

/** What licences a machine needs by its processors, as far as it has been worked out. */
export type MachineCharges = Schemas['MachineView']

/** The charges of a machine: in a large house they come answer by answer, one after the other. */
export function useCharges(code: () => string) {
  const answers = useInfiniteQuery({
    queryKey: ['device', computed(code), 'charges'],
    initialPageParam: 0,
    queryFn: ({ pageParam, signal }) =>
      ask(
        api.GET('/api/devices/{code}/charges', {
          params: { path: { code: code() }, query: { after: pageParam } },
          signal,
        }),
      ),
    getNextPageParam: (answer) => answer.next || undefined,
  })
  watchEffect(() => {
    if (answers.hasNextPage.value && !answers.isFetching.value && !answers.error.value) void answers.fetchNextPage()
  })
  /** with the figures of the newest answer */
  const charges = computed((): MachineCharges | undefined => {
    const pages = answers.data.value?.pages
    return pages && { ...pages[pages.length - 1]!, charges: pages.flatMap((a) => a.charges) }
  })
  return { charges, error: answers.error }
}
