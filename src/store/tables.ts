import type { ConditionNode, Row } from '../condition/index.js'
import type { Key, Model } from '../rulebook/index.js'
import type { Asker } from './asker-types.js'

/**
 * A value that records are sorted by, exactly as it is stored; null if it is missing or hidden. Its form depends on the backend.
 */
export type PlaceValue = string | number | boolean | null

/** One step of a sort order, by a field. Missing values come last in both directions. */
export interface SortStep {
  readonly field: string
  readonly descending: boolean
  /** If this is false, the field is hidden and counts as missing. */
  readonly visible?: ConditionNode
}

/** Which records to fetch. */
export interface Selection {
  readonly where: ConditionNode
  /** Only the record with this key. */
  readonly key?: Key
  /** The time of the operation, in milliseconds since 1970. */
  readonly now: number
  /** Ends with the key, so that the order is the same on every engine. */
  readonly sort?: readonly SortStep[]
  readonly limit?: number
  /** Only records after this place in the order: a value for each step. */
  readonly after?: readonly PlaceValue[]
  /** Also returns the place of each record in the order. */
  readonly places?: true
  /** Conditions to evaluate for each record. */
  readonly flags?: readonly ConditionNode[]
  /** Locks the records until the transaction ends: against everyone (`update`), or against writers only (`share`). */
  readonly lock?: 'share' | 'update'
}

/** The isolation of a transaction. */
export interface Isolation {
  /** Serializable: for rules that depend on absence, which no lock can hold. */
  readonly serializable?: boolean
}

/** A fetched record, and the results of the requested flags. */
export interface Found {
  readonly row: Row
  readonly flags: readonly boolean[]
  /** Its place in the order, if requested. */
  readonly place?: readonly PlaceValue[]
}

/** One record, if a condition holds on it. */
export interface Target {
  readonly key: Key
  readonly where: ConditionNode
  readonly now: number
}

/**
 * Where records are stored. It knows conditions and links but no rules: the guarded store decides which conditions to use. Rows have the
 * application's form: times as Dates or text, lists as arrays.
 */
export interface Tables {
  /** Inside a transaction: the connection, for SQL of the application. */
  readonly connection?: unknown
  /** Whether it answers two queries at once sooner than one after the other. */
  readonly answersAtOnce?: boolean
  select(type: string, selection: Selection): Promise<Found[]>
  count(type: string, selection: Pick<Selection, 'where' | 'now'>): Promise<number>
  /** The number of records for each value of a field, in the order of the values. */
  countBy(
    type: string,
    field: string,
    selection: Pick<Selection, 'where' | 'now'>,
  ): Promise<{ readonly value: unknown; readonly count: number }[]>
  /** Evaluates conditions that read no record of their own, only stored records, in one statement. */
  test(conditions: readonly ConditionNode[], now: number): Promise<boolean[]>
  /** Returns the stored record. @throws DuplicateKeyError, ConstraintError */
  insert(type: string, row: Row): Promise<Row>
  /**
   * Updates the record in one statement if it has the key and matches the condition; null clears a field. Returns the stored record;
   * undefined if none matched. @throws ConstraintError
   */
  update(type: string, changes: Row, target: Target): Promise<Row | undefined>
  /**
   * Deletes the record in one statement if it has the key and matches the condition. Returns the number of deleted records: 0 or 1. @throws
   * ConstraintError
   */
  remove(type: string, target: Target): Promise<number>
  /** Whether a deleted record had this key. Known for record types whose keys clients may choose. */
  wasRemoved(type: string, key: Key): Promise<boolean>
  /**
   * Runs the work in a transaction: everything is kept, or nothing if it throws. Each statement sees what is committed when it begins. It
   * runs again after conflicts. @throws BusyError if the conflicts continue
   */
  transaction<T>(work: (tables: Tables) => Promise<T>, isolation?: Isolation): Promise<T>
  /** Builders for a person's own queries. Absent where there is no SQL. */
  queries?(asking: Asking, options: unknown): Promise<object>
  /** The same tables inside a transaction of the application's own. Absent if there are no such transactions. */
  within?(transaction: unknown): Tables
}

/** Who asks queries of their own. */
export interface Asking {
  /** Their rules as they are when they begin. */
  before(): Promise<Asker>
  /** Asks about record types, by the rules as they are now. It is logged. */
  asked<T>(types: readonly string[], work: (asker: Asker) => Promise<T>): Promise<T>
}

/** A storage that is opened once the record types are known. */
export type Backend = (model: Model) => Tables
