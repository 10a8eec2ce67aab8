// What the compiler knows of rules. Types only.
import type { AnyClause, LIMITED, LimitedClause, ReachedStanding, Standing, StandingsOf } from './clause-types.js'
import type { Condition, Mistake, Source, Terms, TodayTerm } from './term-types.js'
import type { Action, Beside, IsUnion, MeTerms, ReachWords, RecordTerms, StandingName, TypeName, World } from './types.js'

/** Whether read clauses have field limits. */
export type LimitsReading<O> = O extends { readonly may: { readonly read: readonly (infer C)[] } }
  ? [Extract<C, { readonly [LIMITED]: true }>] extends [never]
    ? false
    : true
  : false

/** The record types among the rules O whose read clauses have field limits. */
export type LimitedIn<O> = { readonly [K in keyof O]: LimitsReading<O[K]> extends true ? K : never }[keyof O] & string

/** The fields that rules stamp when a record is created. */
export type StampedBy<O> = O extends { readonly stamps: { readonly create: infer C } } ? keyof C & string : never

/** The same of all record types among the rules O, as 'type.field': such names are short in declaration files. */
export type StampedIn<O> = { readonly [K in keyof O & string]: `${K}.${StampedBy<O[K]>}` }[keyof O & string]
type StampedOf<Names, K extends string> = Names extends `${K}.${infer F}` ? F : never

/** The fields of a new record that the server sets: the key, unless it has several fields, and what is stamped. */
export type SetFields<W extends World, K extends TypeName<W>> =
  | (IsUnion<W['keys'][K]> extends true ? never : W['keys'][K])
  | StampedOf<W['stamped'], K>

/** A record R that is created: what its shape requires, except the fields that the server sets. */
export type NewRow<R, Set> = { readonly [F in RequiredOf<R, Set>]: R[F] } & { readonly [F in keyof R]?: R[F] | undefined }
type RequiredOf<R, Set> = { [F in keyof R]-?: F extends Set ? never : undefined extends R[F] ? never : F }[keyof R]

/** What a write gives back of a record R: what its writer sees, and always the key. */
export type WrittenRow<R, Key> = { readonly [F in keyof R & Key]: R[F] } & Partial<R>

/** A record as a person sees it: if its type has limited read clauses, any field except the key may be absent. */
export type SeenRow<W extends World, K extends TypeName<W>, R = W['rows'][K]> = K extends W['limited']
  ? { readonly [F in keyof R & W['keys'][K]]: R[F] } & { readonly [F in keyof R]?: R[F] | undefined }
  : R

/** The second argument of a callback of `standings`. */
export interface StandingWords<K extends TypeName<W>, W extends World> extends ReachWords<W> {
  readonly me: MeTerms<W>
  /** The day that it is in the time zone of the rulebook. Both ends count in `isAtLeast(today)` and `isAtMost(today)`. */
  readonly today: TodayTerm
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
  /** The day that it is in the time zone of the rulebook. Both ends count in `isAtLeast(today)` and `isAtMost(today)`. */
  readonly today: TodayTerm
  readonly signedIn: Condition
  role(...names: [W['role'], ...W['role'][]]): Condition
}

/** The fields that every record type has, except the types E. A field that some lack is a sentence that names them. */
export type SharedTerms<W extends World, E> = SharedOf<W['rows'], W['times'], W['days'], Exclude<TypeName<W>, E>>
type SharedOf<Rows, Times, Days, K extends keyof Rows & keyof Times & keyof Days & string> = Terms<
  { readonly [F in keyof Rows[K]]: Rows[K][F] },
  { readonly [N in K]: Times[N] }[K],
  never,
  { readonly [N in K]: Days[N] }[K]
> & {
  readonly [F in Exclude<
    AnyField<Rows[K]>,
    keyof Rows[K]
  >]: Mistake<`'${F & string}' is no field of ${Lacking<Rows, K, F>}: leave that type out`>
}
type AnyField<R> = R extends unknown ? keyof R : never
type Lacking<Rows, K extends keyof Rows & string, F> = { readonly [N in K]: F extends keyof Rows[N] ? never : N }[K]

/** The argument of a callback of `everyRecord`. */
export interface EveryRecordWords<W extends World, E> extends GateWords<W> {
  readonly record: SharedTerms<W, E>
}

/** The argument of a callback of `grant`. */
export interface GrantWords<W extends World, K extends TypeName<W>> extends Pick<ReachWords<W>, 'records'> {
  /** The fields that all of these types have. */
  readonly record: SharedTerms<W, Exclude<TypeName<W>, K>>
  readonly after: SharedTerms<W, Exclude<TypeName<W>, K>>
  readonly me: MeTerms<W>
  readonly today: TodayTerm
  readonly anyone: ReachedStanding<W['routine']>
  readonly signedIn: ReachedStanding<W['routine']>
  role(...names: [W['role'], ...W['role'][]]): ReachedStanding<W['routine']>
}

/** The clauses of a grant: only actions that all of these types have. */
export type Granted<O, A extends string> = { readonly [N in A]?: readonly AnyClause<any>[] } & Beside<O, A>

/** The standings of one record type, already checked. */
export interface StandingsFor<K extends string, N> {
  (record: any, words: any): N
  readonly type: K
}

/** The second argument of a callback of `rules`. */
export interface Words<K extends TypeName<W>, W extends World> extends ReachWords<W> {
  readonly me: MeTerms<W>
  /** The day that it is in the time zone of the rulebook. Both ends count in `isAtLeast(today)` and `isAtMost(today)`. */
  readonly today: TodayTerm
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

/** The values that the server sets, by field: a value, a claim, `now` or `today`; null clears an optional field. */
export type Stamps<T, Times> = {
  readonly [F in keyof T]?:
    | T[F]
    | Source<F extends Times ? Date | undefined : T[F] | null | undefined>
    | (undefined extends T[F] ? null : never)
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
  readonly stamps?: {
    readonly create?: Stamps<T, Times>
    readonly update?: Stamps<T, Times>
    /** For record types with a `removal`: who removed the record, say. */
    readonly delete?: Stamps<T, Times>
  }
}

// TypeScript does not report excess properties in the return value of a function, so `udpate: [...]` would pass. `Checked` infers O from
// the returned literal, then requires the rules and no other name. (O is inferred through one branch of the conditional type; the other
// branch does the check.)
type BesideIn<O, P extends string, Known> = O extends { readonly [Q in P]: infer I } ? { readonly [Q in P]: Beside<I, Known> } : unknown
type StampedAction = 'create' | 'update' | 'delete'
type BesideStamps<O, T> = O extends { readonly stamps: infer S }
  ? {
      readonly stamps: Beside<S, StampedAction> & { readonly [P in keyof S & StampedAction]: Beside<S[P], keyof T> }
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
export interface RulesFor<K extends string, Limited extends boolean = boolean, S extends string = string> {
  (
    record: any,
    words: any,
  ): (Limited extends true ? { readonly may: { readonly read: readonly LimitedClause<any>[] } } : {}) &
    ([S] extends [never] ? {} : { readonly stamps: { readonly create: { readonly [F in S]: any } } })
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
