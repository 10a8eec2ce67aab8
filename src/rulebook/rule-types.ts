// What the compiler knows of rules. Types only.
import type { AnyClause, LIMITED, LimitedClause, Standing, StandingsOf } from './clause-types.js'
import type { Condition, Source } from './term-types.js'
import type { Action, Beside, MeTerms, ReachWords, RecordTerms, StandingName, TypeName, World } from './types.js'

/** Whether read clauses have field limits. */
export type LimitsReading<O> = O extends { readonly may: { readonly read: readonly (infer C)[] } }
  ? [Extract<C, { readonly [LIMITED]: true }>] extends [never]
    ? false
    : true
  : false

/** The record types among the rules O whose read clauses have field limits. */
export type LimitedIn<O> = { readonly [K in keyof O]: LimitsReading<O[K]> extends true ? K : never }[keyof O] & string

/** A record as a person sees it: if its type has limited read clauses, any field except the key may be absent. */
export type SeenRow<W extends World, K extends TypeName<W>, R = W['rows'][K]> = K extends W['limited']
  ? { readonly [F in keyof R & W['keys'][K]]: R[F] } & { readonly [F in keyof R]?: R[F] | undefined }
  : R

/** The second argument of a callback of `standings`. */
export interface StandingWords<K extends TypeName<W>, W extends World> extends ReachWords<W> {
  readonly me: MeTerms<W>
  /** The standings of this record type that are defined already. */
  readonly standing: StandingsOf<StandingName<K, W> & string, keyof W['rows'][K] & string>
  /** True for everyone who is signed in. */
  readonly signedIn: Condition
  /** True for everyone with one of these roles. */
  role(...names: [W['role'], ...W['role'][]]): Condition
}

/** The argument of the gate of a whole rulebook. */
export interface GateWords<W extends World> extends Pick<ReachWords<W>, 'records'> {
  readonly me: MeTerms<W>
  readonly signedIn: Condition
  role(...names: [W['role'], ...W['role'][]]): Condition
}

/** The second argument of a callback of `rules`. */
export interface Words<K extends TypeName<W>, W extends World> extends ReachWords<W> {
  readonly me: MeTerms<W>
  /** The record as it would become: for rules of update only. */
  readonly after: RecordTerms<K, W>
  /** The standings of this record type. */
  readonly standing: StandingsOf<StandingName<K, W> & string, keyof W['rows'][K] & string, W['routine']>
  /** Everyone, including visitors. */
  readonly anyone: Standing<keyof W['rows'][K] & string, W['routine']>
  /** Everyone who is signed in. Being signed in does not yet mean being allowed. */
  readonly signedIn: Standing<keyof W['rows'][K] & string, W['routine']>
  /** Everyone with one of these roles. */
  role(...names: [W['role'], ...W['role'][]]): Standing<keyof W['rows'][K] & string, W['routine']>
}

/** The values that the server sets, by field: a value, a claim or `now`. */
export type Stamps<T, Times> = {
  readonly [F in keyof T]?: T[F] | Source<F extends Times ? Date | undefined : T[F] | null | undefined>
}

/** Refuses actions even for people that a clause allows. Each veto has its own exception. */
export interface Veto<A extends string = Action> {
  readonly actions: readonly A[]
  /** Where it applies. Default: everywhere. */
  readonly provided?: Condition
  /** The people that it does not affect. */
  readonly unless?: Condition
  /** The message for the people that it refuses. */
  readonly message: string
}

/** A gate with its own message for the people that it refuses. */
export interface SpokenGate {
  readonly provided: Condition
  readonly message: string
}

/**
 * What has to hold for an action, or for all of them, before any clause counts. For an update, it has to hold on the record as it is and as
 * it becomes.
 */
export type Gate<A extends string = Action> = { readonly [N in A | 'all']?: Condition | SpokenGate }

/** The rules of one record type. */
export interface RuleSet<T, Times, A extends string = Action> {
  /** The clauses of each action. An action without a clause is refused. */
  readonly may?: { readonly [N in A]?: readonly AnyClause<keyof T & string>[] }
  /** The messages for people who are refused, by action. */
  readonly messages?: { readonly [N in A]?: string }
  /** What has to hold before any clause counts. */
  readonly gate?: Gate<A>
  readonly vetoes?: readonly Veto<A>[]
  /** The values that the server sets when a record is created or updated. Clients may send these fields only by `.overriding`. */
  readonly stamps?: { readonly create?: Stamps<T, Times>; readonly update?: Stamps<T, Times> }
}

// TypeScript does not report excess properties in the return value of a function, so `udpate: [...]` would pass. `Checked` infers O from
// the returned literal, then requires the rules and no other name. (O is inferred through one branch of the conditional type; the other
// branch does the check.)
type BesideIn<O, P extends string, Known> = O extends { readonly [Q in P]: infer I } ? { readonly [Q in P]: Beside<I, Known> } : unknown
type BesideStamps<O, T> = O extends { readonly stamps: infer S }
  ? {
      readonly stamps: Beside<S, 'create' | 'update'> & { readonly [P in keyof S & ('create' | 'update')]: Beside<S[P], keyof T> }
    }
  : unknown

type BesideVeto<O> = O extends { readonly vetoes: readonly (infer I)[] } ? { readonly vetoes: readonly Beside<I, keyof Veto>[] } : unknown

/** The rules O with only known names. */
export type Checked<O, T, Times, A extends string = Action> = [O] extends [never]
  ? O
  : RuleSet<T, Times, A> &
      Beside<O, keyof RuleSet<T, Times>> &
      BesideIn<O, 'may', A> &
      BesideIn<O, 'messages', A> &
      BesideStamps<O, T> &
      BesideIn<O, 'gate', A | 'all'> &
      BesideVeto<O>

/** The names of standings, by record type. */
export type Names<N> = { readonly [K in keyof N]: keyof N[K] & string }
/** The existing names and the new ones. */
export type Joined<A, B> = {
  readonly [K in keyof A | keyof B]: (K extends keyof A ? A[K] : never) | (K extends keyof B ? B[K] : never)
}

/**
 * The rules of one record type, already checked. It is a function type and never in a union with one: if `rules` took "a function or
 * something else", the compiler would report mistakes at the function instead of at the name.
 */
export interface RulesFor<K extends string, Limited extends boolean = boolean> {
  (record: any, words: any): Limited extends true ? { readonly may: { readonly read: readonly LimitedClause<any>[] } } : {}
  readonly type: K
}

/** The argument of `standings`. */
export type StandingsBy<N, W extends World> = {
  readonly [K in keyof N & TypeName<W>]: (record: RecordTerms<K, W>, words: StandingWords<K, W>) => N[K]
} & { readonly [K in TypeName<W>]?: unknown }

/** The argument of `rules`. */
export type RulesBy<O, W extends World> = {
  readonly [K in keyof O & TypeName<W>]: (
    record: RecordTerms<K, W>,
    words: Words<K, W>,
  ) => Checked<O[K], W['rows'][K], W['times'][K], Action | W['actions'][K]>
} & { readonly [K in TypeName<W>]?: unknown }
