import type { Schemas } from '../api/client'

/** What somebody decides of pairs that may be one. */
export interface Decision {
  pairs: string[][]
  together: boolean
  reason: string
}

/** What that does: how many there are before and after, and the positions that move. */
export interface Effect {
  before: number
  after: number
  moves: Schemas['PositionChange'][]
}
