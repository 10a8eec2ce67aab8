// What the compiler knows of clauses. Types only.
import type { Condition } from './term-types.js'

export declare const LIMITED: unique symbol

// Neither kind of clause is a subtype of the other. Otherwise the compiler would reduce a list of both to the wider kind, and forget that
// some are limited.

/** A clause: who may do an action, with all fields. `F` contains the fields of the record type, so that a clause cannot be used for another. */
export interface Clause<F extends string, R extends string = any> {
  readonly [LIMITED]: false
  readonly fields: (field: F) => void
  /** Adds a condition. */
  provided(...conditions: [Condition, ...Condition[]]): Clause<F, R>
  /** Limits the clause to these fields. The key is always visible, and cannot be changed. */
  only(...fields: [F, ...F[]]): LimitedClause<F, R>
  /** Limits the clause to all fields except these. */
  except(...fields: [F, ...F[]]): LimitedClause<F, R>
  /** Allows the client to send these stamped fields, or the key. */
  overriding(...fields: [F, ...F[]]): Clause<F, R>
  /** For update: what has to hold on the record as it becomes, instead of the clause itself. */
  afterwards(condition: Condition): Clause<F, R>
  /** The clause also counts for removed records, if records of this type are removed and not deleted. */
  includingRemoved(): Clause<F, R>
  /** The name of this clause in verdicts and explanations. */
  titled(title: string): Clause<F, R>
  /** The clause applies only within one of these routines. */
  within(...routines: [R, ...R[]]): Clause<F, R>
}

/** A clause with a field limit. */
export interface LimitedClause<F extends string, R extends string = any> {
  readonly [LIMITED]: true
  readonly fields: (field: F) => void
  provided(...conditions: [Condition, ...Condition[]]): LimitedClause<F, R>
  overriding(...fields: [F, ...F[]]): LimitedClause<F, R>
  afterwards(condition: Condition): LimitedClause<F, R>
  includingRemoved(): LimitedClause<F, R>
  titled(title: string): LimitedClause<F, R>
  within(...routines: [R, ...R[]]): LimitedClause<F, R>
}

/** A clause without limits, which is also a condition. */
export interface Standing<F extends string, R extends string = any> extends Clause<F, R>, Condition {}

/** Named, so that the compiler prints the names of the standings first. */
export type StandingsOf<N extends string, F extends string, R extends string = any> = { readonly [P in N]: Standing<F, R> }

/**
 * A standing of a record that a rule reaches, as a clause. It belongs to no record type: the fields that it names are checked against the
 * type whose rules use it.
 */
export interface ReachedClause<F extends string, R extends string = any> {
  readonly [LIMITED]: false
  readonly named: F
  provided(...conditions: [Condition, ...Condition[]]): ReachedClause<F, R>
  only<N extends string>(...fields: [N, ...N[]]): ReachedLimitedClause<F | N, R>
  except<N extends string>(...fields: [N, ...N[]]): ReachedLimitedClause<F | N, R>
  overriding<N extends string>(...fields: [N, ...N[]]): ReachedClause<F | N, R>
  afterwards(condition: Condition): ReachedClause<F, R>
  includingRemoved(): ReachedClause<F, R>
  titled(title: string): ReachedClause<F, R>
  within(...routines: [R, ...R[]]): ReachedClause<F, R>
}

/** The same, with a field limit. */
export interface ReachedLimitedClause<F extends string, R extends string = any> {
  readonly [LIMITED]: true
  readonly named: F
  provided(...conditions: [Condition, ...Condition[]]): ReachedLimitedClause<F, R>
  overriding<N extends string>(...fields: [N, ...N[]]): ReachedLimitedClause<F | N, R>
  afterwards(condition: Condition): ReachedLimitedClause<F, R>
  includingRemoved(): ReachedLimitedClause<F, R>
  titled(title: string): ReachedLimitedClause<F, R>
  within(...routines: [R, ...R[]]): ReachedLimitedClause<F, R>
}

/** A standing of a record that a rule reaches: a clause, and a condition. */
export interface ReachedStanding<R extends string = any> extends ReachedClause<never, R>, Condition {}

/** The standings of a reached record, by name. */
export type ReachedStandings<N extends string, R extends string = any> = { readonly [P in N]: ReachedStanding<R> }

/** Any clause that an action of a record type with these fields may have. */
export type AnyClause<F extends string> = Clause<F> | LimitedClause<F> | ReachedClause<F> | ReachedLimitedClause<F>
