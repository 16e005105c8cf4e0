import { api, ask } from '../api/client'

/** Takes back what somebody decided of which machines are one. */
export const takeBackSame = (id: number) => ask(api.POST('/api/same/acts/{id}/take-back', { params: { path: { id } } }))
