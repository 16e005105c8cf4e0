import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'

const ranks: Record<string, number> = { look: 1, work: 2, run: 3 }

/** Who is signed in, and what that role may do. */
export function useSession() {
  const client = useQueryClient()
  const me = useQuery({ queryKey: ['me'], queryFn: () => ask(api.GET('/api/me')), staleTime: 30_000 })
  const may = (role: 'look' | 'work' | 'run') => computed(() => (ranks[me.data.value?.role ?? ''] ?? 0) >= ranks[role]!)
  async function renew() {
    await client.resetQueries()
  }
  return { me: me.data, loading: me.isLoading, may, renew }
}
