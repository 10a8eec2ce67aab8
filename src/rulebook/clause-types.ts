// What the compiler knows of clauses. Types only.
import type { Condition } from './term-types.js'

export declare const LIMITED: unique symbol

// Neither of the two kinds of clauses is a subtype of the other: else the compiler would take a list of both for a list of the
// wider kind, and forget that some are limited.

/** Who may do an action, with all fields. `F` names the fields of the record type, so that a clause stays with its own type. */
export interface Clause<F extends string, R extends string = any> {
  readonly [LIMITED]: false
  readonly fields: (field: F) => void
  /** Counts only where the condition holds too. */
  provided(...conditions: [Condition, ...Condition[]]): Clause<F, R>
  /** Lets see, send or change these fields only. The key is always seen, and never changed. */
  only(...fields: [F, ...F[]]): LimitedClause<F, R>
  /** Lets see, send or change every field but these. */
  except(...fields: [F, ...F[]]): LimitedClause<F, R>
  /** Lets give these fields, which the server stamps otherwise, or the key. */
  overriding(...fields: [F, ...F[]]): Clause<F, R>
  /** For an update: what must hold of the record as it becomes, in place of the clause itself. */
  afterwards(condition: Condition): Clause<F, R>
  /** The name by which verdicts and explanations speak of this clause. */
  titled(title: string): Clause<F, R>
  /** Counts only within one of these routines, and not where the same is asked for directly. */
  within(...routines: [R, ...R[]]): Clause<F, R>
}

/** A clause that lets see, send or change some fields only. */
export interface LimitedClause<F extends string, R extends string = any> {
  readonly [LIMITED]: true
  readonly fields: (field: F) => void
  provided(...conditions: [Condition, ...Condition[]]): LimitedClause<F, R>
  overriding(...fields: [F, ...F[]]): LimitedClause<F, R>
  afterwards(condition: Condition): LimitedClause<F, R>
  titled(title: string): LimitedClause<F, R>
  within(...routines: [R, ...R[]]): LimitedClause<F, R>
}

/** A clause without limits yet, which is therefore also a condition. */
export interface Standing<F extends string, R extends string = any> extends Clause<F, R>, Condition {}

/** Named, so that the compiler prints the names of the standings first. */
export type StandingsOf<N extends string, F extends string, R extends string = any> = { readonly [P in N]: Standing<F, R> }

/**
 * A standing of a record that a rule reaches, as a clause. It belongs to no record type: what it names is compared with the fields of the
 * type whose rules it is put into.
 */
export interface ReachedClause<F extends string, R extends string = any> {
  readonly [LIMITED]: false
  readonly named: F
  provided(...conditions: [Condition, ...Condition[]]): ReachedClause<F, R>
  only<N extends string>(...fields: [N, ...N[]]): ReachedLimitedClause<F | N, R>
  except<N extends string>(...fields: [N, ...N[]]): ReachedLimitedClause<F | N, R>
  overriding<N extends string>(...fields: [N, ...N[]]): ReachedClause<F | N, R>
  afterwards(condition: Condition): ReachedClause<F, R>
  titled(title: string): ReachedClause<F, R>
  within(...routines: [R, ...R[]]): ReachedClause<F, R>
}

/** The same, for some fields only. */
export interface ReachedLimitedClause<F extends string, R extends string = any> {
  readonly [LIMITED]: true
  readonly named: F
  provided(...conditions: [Condition, ...Condition[]]): ReachedLimitedClause<F, R>
  overriding<N extends string>(...fields: [N, ...N[]]): ReachedLimitedClause<F | N, R>
  afterwards(condition: Condition): ReachedLimitedClause<F, R>
  titled(title: string): ReachedLimitedClause<F, R>
  within(...routines: [R, ...R[]]): ReachedLimitedClause<F, R>
}

/** A standing of a record that a rule reaches: a clause, and a condition. */
export interface ReachedStanding<R extends string = any> extends ReachedClause<never, R>, Condition {}

/** Those of a record type, by name. */
export type ReachedStandings<N extends string, R extends string = any> = { readonly [P in N]: ReachedStanding<R> }

/** Any clause that an action of a record type with these fields may have. */
export type AnyClause<F extends string> = Clause<F> | LimitedClause<F> | ReachedClause<F> | ReachedLimitedClause<F>
