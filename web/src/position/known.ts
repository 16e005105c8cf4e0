/** How each of two days is asked for: as it was known at its end, as it is known now, or as the server finds best. */
export const asKnown = (said: string): 'then' | 'now' | undefined =>
  said === 'then' || said === 'now' ? said : undefined
