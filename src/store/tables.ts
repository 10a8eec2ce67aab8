import type { ConditionNode, Row } from '../condition/index.js'
import type { Key, Model } from '../rulebook/index.js'

/** One step of an order: by a field, missing values last either way. */
export interface SortStep {
  readonly field: string
  readonly descending: boolean
  /** Where this does not hold, the field counts as missing: it is hidden. */
  readonly visible?: ConditionNode
}

/** Which records to fetch. */
export interface Selection {
  readonly where: ConditionNode
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** Ends with the key, so that the order is the same on every engine. */
  readonly sort?: readonly SortStep[]
  readonly limit?: number
}

/** One record, provided that a condition holds on it. */
export interface Target {
  readonly key: Key
  readonly where: ConditionNode
  readonly now: number
}

/**
 * Where records are kept. It knows conditions and no rules: which conditions to ask is the guarded store's business.
 * Rows come and go as the application holds them, times as Dates or text and lists as arrays.
 */
export interface Tables {
  select(type: string, selection: Selection): Promise<Row[]>
  /** @throws DuplicateKeyError, ConstraintError */
  insert(type: string, row: Row): Promise<void>
  /** Changes the record in one statement that matches both key and condition; null clears. Gives the number changed: 0 or 1. @throws ConstraintError */
  update(type: string, changes: Row, target: Target): Promise<number>
  /** Removes the record in one statement that matches both key and condition. Gives the number removed: 0 or 1. @throws ConstraintError */
  remove(type: string, target: Target): Promise<number>
  /** Runs the work so that all of it is kept, or nothing where it throws. */
  transaction<T>(work: (tables: Tables) => Promise<T>): Promise<T>
}

/** A place for records that waits to be told which record types there are. */
export type Backend = (model: Model) => Tables
