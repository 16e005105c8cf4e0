import { computed } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import type { ListQuery } from '../api/client'

function many(v: unknown): string[] {
  return (Array.isArray(v) ? v : [v]).filter((x): x is string => typeof x === 'string' && x !== '')
}

/** Keeps search, filters, order and columns of a list in the address bar, so that a link shows a colleague the same. */
export function useListState(fallback: { sort: string; desc?: boolean }) {
  const route = useRoute()
  const router = useRouter()
  const one = (name: string) => many(route.query[name])[0] ?? ''
  const query = computed<ListQuery>(() => ({
    q: one('q'),
    f: many(route.query.f),
    sort: one('sort') || fallback.sort,
    desc: one('sort') ? one('desc') === 'true' : (fallback.desc ?? false),
  }))
  const columns = computed(() => one('cols').split(',').filter(Boolean))

  function change(to: Record<string, string | string[] | undefined>) {
    const next: LocationQueryRaw = { ...route.query }
    for (const [name, value] of Object.entries(to)) {
      if (value === undefined || value.length === 0) delete next[name]
      else next[name] = value
    }
    router.replace({ query: next })
  }
  const filter = (column: string) =>
    query.value.f?.find((f) => f.startsWith(column + '='))?.slice(column.length + 1) ?? ''
  function setFilter(column: string, value: string) {
    const rest = (query.value.f ?? []).filter((f) => !f.startsWith(column + '='))
    change({ f: value ? [...rest, `${column}=${value}`] : rest })
  }
  return { query, columns, change, filter, setFilter, one }
}
