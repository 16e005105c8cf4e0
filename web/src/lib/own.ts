import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, ask } from '../api/client'
import { word } from './format'

/** Kinds of things that have fields of the house's own, beside devices. */
export type OwnKind = 'person' | 'title' | 'line' | 'contract'

/** A field of the house's own: own: and its name, what people call it, and its values where they are few. */
export interface OwnNamed {
  name: string
  label: string
  values: string[]
}

/** What a field is called: one of the house's own has its name after own:, one of a main user after user:. */
export const ownOr = (field: string) =>
  field.startsWith('user:') ? `main user’s ${word(field.slice(5))}` : word(field.replace(/^own:/, ''))

/** The fields of the house's own that devices have, or things of a kind. */
export function useOwnFields(kind?: () => OwnKind) {
  const devices = useQuery({
    queryKey: ['condition-fields', undefined],
    queryFn: () => ask(api.GET('/api/groups/fields')),
    enabled: !kind,
  })
  const others = useQuery({
    queryKey: ['own-names', computed(() => kind?.())],
    queryFn: () => ask(api.GET('/api/own-fields/{of}', { params: { path: { of: kind!() } } })),
    enabled: !!kind,
  })
  return computed<OwnNamed[]>(() =>
    kind
      ? (others.data.value ?? []).map((f) => ({ name: `own:${f.name}`, label: word(f.name), values: f.values }))
      : (devices.data.value?.fields ?? [])
          .filter((f) => f.name.startsWith('own:'))
          .map((f) => ({ name: f.name, label: ownOr(f.name), values: devices.data.value?.values[f.name] ?? [] })),
  )
}
