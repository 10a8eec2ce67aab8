import { PachterError } from './error.js'
import type { PlaceNode } from './nodes.js'
import type { Comparable } from './value.js'

/** A record as rules read it. */
export type Row = Readonly<Record<string, unknown>>

/** The values that a condition is evaluated with, besides the record. */
export interface Env {
  /** The person's claims; null for a visitor. */
  readonly me: Row | null
  /** The time of the operation, in milliseconds since 1970. */
  readonly now: number
  /** The changed record. Default: the record itself, if nothing is about to change. */
  readonly after?: Row | undefined
  /** The other records, if rules follow links to them. */
  readonly links?: Links | undefined
  /** The current record of each enclosing `some`, by its number, and results cached for this operation. Created when needed. */
  readonly context?: EvaluationContext
}

/** Finds other records through indexes. */
export interface Links {
  /** The records of a type that hold these values at these places. A list holds a value if one of its elements equals it. */
  find(type: string, places: readonly PlaceNode[], values: readonly Comparable[]): readonly Row[]
}

/** Cached results of one operation: one time, one person and one state of the records. */
export interface EvaluationContext {
  readonly looking: (Row | undefined)[]
  readonly known: Map<object, Map<Comparable, boolean>>
  /** Is called with every record that a `some` reads. */
  readonly note?: (each: number, row: Row) => void
}

/** A context for a new operation. */
export function newContext(): EvaluationContext {
  return { looking: [], known: new Map() }
}

/** The rules read linked records that were not given. Pass them in `records`, or use the guarded store. */
export class LinksError extends PachterError {
  constructor(type: string) {
    super(
      'NO_LINKED_RECORDS',
      `the rules read records of type "${type}", and none were given: use book.for(person, { records: { ${type}: [...] } }), or the guarded store`,
    )
  }
}

/** A condition compiled to a function, to be called for many records. */
export type Predicate = (record: Row, env: Env) => boolean
