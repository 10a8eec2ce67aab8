import type { Key } from '../rulebook/index.js'
import type { Verdict } from '../viewpoint/index.js'

/** The verdict on an action that is allowed. */
export interface AllowedVerdict extends Verdict {
  readonly allowed: true
  /** What a deletion does to other records, as far as the asker sees them. Empty for other actions. */
  readonly along: readonly Along[]
}

/** What a deletion does to another record that leads to the deleted one. */
export interface Along {
  readonly type: string
  readonly key: Key
  /** It is deleted, stamped as removed, or loses its link. */
  readonly effect: 'delete' | 'remove' | 'unlink'
}
