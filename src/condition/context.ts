import { PachterError } from './error.js'
import type { PlaceNode } from './nodes.js'
import type { Comparable } from './value.js'

/** A record as rules read it. */
export type Row = Readonly<Record<string, unknown>>

/** What a condition is judged with besides the record. */
export interface Env {
  /** The person's claims; null for a visitor. */
  readonly me: Row | null
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** The record as it would become. Where nothing is about to change, the record as it is stands for it. */
  readonly after?: Row | undefined
  /** The other records, where rules follow links to them. */
  readonly links?: Links | undefined
  /** What a `some` looks at, by its number; and what this operation has found out so far. Made where it is needed. */
  readonly context?: EvaluationContext
}

/** How other records are found: through indexes, not by looking at each. */
export interface Links {
  /** The records of a type that hold these values at these places, a list holding a value if one of its elements is it. */
  find(type: string, places: readonly PlaceNode[], values: readonly Comparable[]): readonly Row[]
}

/** What one operation keeps while it evaluates: of one instant, one person, one state of the records. */
export interface EvaluationContext {
  readonly looking: (Row | undefined)[]
  readonly known: Map<object, Map<Comparable, boolean>>
  /** Is told of every record that a `some` looks at. */
  readonly note?: (each: number, row: Row) => void
}

/** The context of a new operation. */
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

/** A compiled condition, to be evaluated for many records. */
export type Predicate = (record: Row, env: Env) => boolean
