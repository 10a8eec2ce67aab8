import type { Row } from '../../condition/index.js'
import type { Key } from '../../rulebook/index.js'
import type { SourcePlace } from '../source-places.js'
import type { CellRef } from './findings.js'

/** A made-up person with the few records that refute a statement. It can be opened in place of the project's own records. */
export interface ExampleWorld {
  /** The person's claims by name; null is a visitor. */
  readonly people: { readonly [name: string]: Row | null }
  readonly records: { readonly [type: string]: readonly Row[] }
  /** The time, as RFC 3339 text. */
  readonly now: string
  /** The cell that should not be allowed. */
  readonly cell?: CellRef | undefined
  /** The write by which the person gains it; null removes the record. */
  readonly write?: { readonly type: string; readonly key: Key; readonly record: Row | null } | undefined
}

/** A guarantee, a write by which people give themselves more, or a rule that does nothing; and what was found out. */
export interface ProofStatement {
  readonly kind: 'guarantee' | 'self-promotion' | 'idle-rule'
  readonly type: string
  readonly title: string
  readonly outcome: 'proved' | 'refuted' | 'undecided' | 'accepted' | 'does nothing'
  /** The example, or why there is none. */
  readonly lines: readonly string[]
  /** Why it is accepted. */
  readonly because?: string | undefined
  readonly place?: SourcePlace | undefined
  readonly example?: ExampleWorld | undefined
}

/** What holds for every person and all records. */
export interface ProofFindings {
  /** What was asked so far, each with its result in a sentence. */
  readonly parts: readonly { readonly kind: ProofStatement['kind']; readonly summary: string }[]
  readonly statements: readonly ProofStatement[]
  /** Acceptances that nothing was found for. */
  readonly unused: readonly string[]
}
