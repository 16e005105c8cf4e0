import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { word } from './format'

/** What a field is called: one of the house's own has its name after own:. */
export const ownOr = (field: string) => word(field.replace(/^own:/, ''))

/** The fields of the house's own that devices have, each with its values where they are few. */
export function useOwnFields() {
  const fields = useQuery({
    queryKey: ['condition-fields', undefined],
    queryFn: () => ask(api.GET('/api/groups/fields')),
  })
  return computed(() =>
    (fields.data.value?.fields ?? [])
      .filter((f) => f.name.startsWith('own:'))
      .map((f) => ({ name: f.name, label: ownOr(f.name), values: fields.data.value?.values[f.name] ?? [] })),
  )
}
