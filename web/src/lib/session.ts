import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { ended } from '../api/line'

const ranks: Record<string, number> = { look: 1, work: 2, run: 3 }

/** Who is signed in, and what that role may do. */
export function useSession() {
  const client = useQueryClient()
  const me = useQuery({
    queryKey: ['me'],
    queryFn: async () => {
      const now = await ask(api.GET('/api/me'))
      const before = client.getQueryData<Schemas['Me']>(['me'])
      if (!before?.name || now.name) return now
      ended.value = true // what somebody is at stays as it is until he has signed in again
      return before
    },
    staleTime: 30_000,
  })
  const may = (role: 'look' | 'work' | 'run') => computed(() => (ranks[me.data.value?.role ?? ''] ?? 0) >= ranks[role]!)
  /** After signing in at the door, and after signing out. */
  async function renew() {
    await client.resetQueries()
    ended.value = false
  }
  /** After signing in again over the page: somebody else begins with a page of his own. */
  async function goOn() {
    const before = me.data.value?.name
    ended.value = false
    const now = await ask(api.GET('/api/me'))
    if (now.name !== before) location.reload()
    else await client.invalidateQueries()
  }
  return { me: me.data, loading: me.isLoading, may, renew, goOn }
}
