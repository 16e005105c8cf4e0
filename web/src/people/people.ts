import { api, ask, type Schemas } from '../api/client'

/** What a state of a person is called. */
export const states: Record<string, string> = {
  active: 'works here',
  left: 'has left',
  unlisted: 'in no list',
  nobody: 'no person',
}

/** The page of a person. */
export const pageOf = (key: string) => `/evidence/people/${encodeURIComponent(key)}`

/** Takes back what somebody decided of which names are one person. */
export const takeBackAlike = (id: number) =>
  ask(api.POST('/api/alike/acts/{id}/take-back', { params: { path: { id } } }))

/** A decision as the list of decisions shows it. */
export const decided = (list: Schemas['AlikeAct'][] | undefined) => (list ?? []).map((a) => ({ ...a, about: a.names }))

/** What tells a name from others, in words. */
export const told = (n: Schemas['PersonName']) =>
  [n.mail, ...n.logOns, n.directoryId && `directory object ${n.directoryId}`].filter(Boolean).join(', ')
