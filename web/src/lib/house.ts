import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'

/** The currency in which the house has its sums. */
export function useHouse() {
  const rules = useQuery({ queryKey: ['rules'], queryFn: () => ask(api.GET('/api/rules')), staleTime: 60_000 })
  return computed(() => rules.data.value?.currency ?? 'EUR')
}
