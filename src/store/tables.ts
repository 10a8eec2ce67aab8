import type { Comparable, ConditionNode, Row } from '../condition/index.js'
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
  /** Whether the condition names one record by its key. */
  readonly single?: boolean
  /** The instant of the operation, in milliseconds since 1970. */
  readonly now: number
  /** Ends with the key, so that the order is the same on every engine. */
  readonly sort?: readonly SortStep[]
  readonly limit?: number
  /** Only what comes after these values in the order, one for each of its steps: null is missing, times are milliseconds. */
  readonly after?: readonly (Comparable | null)[]
  /** Conditions to be answered for each of the records. */
  readonly flags?: readonly ConditionNode[]
  /** Locks the records until the transaction ends: against everyone (`update`), or against writers only (`share`). */
  readonly lock?: 'share' | 'update'
}

/** How a transaction keeps others apart. */
export interface Isolation {
  /** As if they came one after the other: for rules by which something must not be there, which no lock can hold. */
  readonly serializable?: boolean
}

/** A record that was fetched, and the answers to the flags that were asked for. */
export interface Found {
  readonly row: Row
  readonly flags: readonly boolean[]
}

/** One record, provided that a condition holds on it. */
export interface Target {
  readonly key: Key
  readonly where: ConditionNode
  readonly now: number
}

/**
 * Where records are kept. It knows conditions and links, and no rules: which conditions to ask is the guarded store's business.
 * Rows come and go as the application holds them, times as Dates or text and lists as arrays.
 */
export interface Tables {
  select(type: string, selection: Selection): Promise<Found[]>
  count(type: string, selection: Pick<Selection, 'where' | 'now'>): Promise<number>
  /** How many records have each value of a field, in the order of the values. */
  countBy(
    type: string,
    field: string,
    selection: Pick<Selection, 'where' | 'now'>,
  ): Promise<{ readonly value: unknown; readonly count: number }[]>
  /** Answers conditions that ask about no record of their own: about what is stored, in one statement. */
  test(conditions: readonly ConditionNode[], now: number): Promise<boolean[]>
  /** Gives the record as it is kept. @throws DuplicateKeyError, ConstraintError */
  insert(type: string, row: Row): Promise<Row>
  /**
   * Changes the record in one statement that matches both key and condition; null clears. Gives it as it is kept; undefined
   * where none matched. @throws ConstraintError
   */
  update(type: string, changes: Row, target: Target): Promise<Row | undefined>
  /** Removes the record in one statement that matches both key and condition. Gives the number removed: 0 or 1. @throws ConstraintError */
  remove(type: string, target: Target): Promise<number>
  /** Whether a record had this key that was removed since. Known of record types whose keys clients may give. */
  wasRemoved(type: string, key: Key): Promise<boolean>
  /**
   * Runs the work so that all of it is kept, or nothing where it throws. Each statement sees what is committed when it begins.
   * It is run again if it conflicts with others. @throws BusyError if that does not help.
   */
  transaction<T>(work: (tables: Tables) => Promise<T>, isolation?: Isolation): Promise<T>
}

/** A place for records that waits to be told which record types there are. */
export type Backend = (model: Model) => Tables
