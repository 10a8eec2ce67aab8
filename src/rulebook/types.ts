// What the compiler knows of a rulebook. Types only.
import type { Condition, Flat, Mistake, RoleSource, Source, Terms } from './term-types.js'

/**
 * A shape: a schema of any library that follows Standard Schema and can also give JSON Schema.
 * Only what is used here is asked for. Source: Standard Schema V1 and Standard JSON Schema V1, standardschema.dev.
 */
export interface Shape<T = any> {
  readonly '~standard': {
    readonly version: 1
    readonly vendor: string
    readonly validate: (value: unknown) => ShapeResult<T> | Promise<ShapeResult<T>>
    readonly types?: { readonly input: any; readonly output: T } | undefined
    readonly jsonSchema: {
      readonly output: (options: {
        readonly target: 'draft-2020-12'
        readonly libraryOptions?: Record<string, unknown>
      }) => Record<string, unknown>
    }
  }
}

type ShapeResult<T> = { readonly value: T; readonly issues?: undefined } | { readonly issues: readonly ShapeIssue[] }

/** What a shape finds wrong with a value. */
export interface ShapeIssue {
  readonly message: string
  readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined
}

/** What a shape gives out. */
export type Out<S> = S extends { readonly '~standard': { readonly types?: infer T } }
  ? NonNullable<T> extends { readonly output: infer O }
    ? Flat<O>
    : never
  : never

/** One kind of record: its shape, its key, and which of its fields are instants although the shape cannot say so. */
export interface RecordDefinition {
  readonly shape: Shape
  readonly key: string
  readonly times?: readonly string[]
}

/** Record types by name. */
export type RecordDefinitions = { readonly [type: string]: RecordDefinition }

/** The four things that are done to records. */
export type Action = 'read' | 'create' | 'update' | 'delete'

/**
 * What the compiler carries along of a rulebook. Plain data types only: the schemas themselves stay out of it, because
 * comparing two schema types of a library costs the compiler seconds.
 */
export interface World {
  readonly rows: { readonly [type: string]: object }
  readonly times: { readonly [type: string]: string }
  readonly keys: { readonly [type: string]: string }
  readonly me: object
  readonly role: string
  readonly standings: object
  readonly privilege: string
  /** The record types of which somebody may see some fields and not others. */
  readonly limited: string
}

/** The names of the record types. */
export type TypeName<W extends World> = keyof W['rows'] & string

/** A record of type K. */
export type RowOf<W extends World, K extends TypeName<W>> = W['rows'][K]

/** The names of its fields. */
export type FieldName<W extends World, K extends TypeName<W>> = keyof W['rows'][K] & string

/** A record as rules speak of it. */
export type RecordTerms<K extends TypeName<W>, W extends World> = Terms<W['rows'][K], W['times'][K]>

/** A key as one holds it in the hand. */
export type Key = string | number

/** The fields that a definition says are instants. */
export type TimesOf<D> = D extends { readonly times: readonly (infer N extends string)[] } ? N : never

type CheckedRecord<D> = {
  readonly shape: Shape
  readonly key: keyof Out<ShapeOf<D>> & string
  readonly times?: readonly (keyof Out<ShapeOf<D>> & string)[]
} & Beside<D, keyof RecordDefinition>
type ShapeOf<D> = D extends { readonly shape: infer S } ? S : never

// R is inferred through the one branch, and compared with the other.
/** The definitions R, with every key and time checked against the shape it belongs to. */
export type CheckedRecords<R extends RecordDefinitions> = [R] extends [never] ? R : { readonly [K in keyof R]: CheckedRecord<R[K]> }

/** The roles that the shape of me names by itself. */
export type RoleName<M> = M extends { roles?: infer L }
  ? L & {} extends readonly (infer E extends string)[]
    ? E
    : Mistake<'the shape of me has no list of roles'>
  : M extends { role?: infer E }
    ? E & {} extends string
      ? E & {}
      : Mistake<'the shape of me has no role in words'>
    : Mistake<'the shape of me has no roles: say where they are, with roles: (me) => ...'>

/** What `rulebook` is given. */
export interface Definition<R extends RecordDefinitions, S extends Shape, Role extends string> {
  /** The person asking. */
  readonly me: {
    readonly shape: S
    /** The claim that says who it is: present for whoever is signed in. */
    readonly key: keyof Out<S> & string
    /** Where the roles are. Without it, the claim `roles` or `role`. */
    readonly roles?: (me: Terms<Out<S>>) => RoleSource<Role>
  }
  readonly records: CheckedRecords<R>
}

// ───────────────────────────── clauses and rules

/** Who may do an action. `F` names the fields of the record type, so that a clause stays with its own type. */
export interface Clause<F extends string> {
  readonly fields: (field: F) => void
  /** Counts only where the condition holds too. */
  provided(...conditions: [Condition, ...Condition[]]): Clause<F>
  /** Lets see, send or change these fields only. The key is always seen, and never changed. */
  only(...fields: [F, ...F[]]): LimitedClause<F>
  /** Lets see, send or change every field but these. */
  except(...fields: [F, ...F[]]): LimitedClause<F>
  /** Lets give these fields, which the server stamps otherwise, or the key. */
  supplying(...fields: [F, ...F[]]): Clause<F>
  /** For an update: what must hold of the record as it becomes, in place of the clause itself. */
  afterwards(condition: Condition): Clause<F>
  /** The name by which verdicts and explanations speak of this clause. */
  titled(title: string): Clause<F>
}

declare const LIMITED: unique symbol

/** A clause that lets see, send or change some fields only. */
export interface LimitedClause<F extends string> extends Clause<F> {
  readonly [LIMITED]: true
  provided(...conditions: [Condition, ...Condition[]]): LimitedClause<F>
  supplying(...fields: [F, ...F[]]): LimitedClause<F>
  afterwards(condition: Condition): LimitedClause<F>
  titled(title: string): LimitedClause<F>
}

/** Whether rules limit the fields that somebody may see. */
export type LimitsReading<O> = O extends { readonly may: { readonly read: readonly (infer C)[] } }
  ? [Extract<C, LimitedClause<any>>] extends [never]
    ? false
    : true
  : false

/** The record types among the rules O of which somebody may see some fields and not others. */
export type LimitedIn<O> = { readonly [K in keyof O]: LimitsReading<O[K]> extends true ? K : never }[keyof O] & string

/** A record as somebody sees it: where its type has limited read clauses, any field but the key may be absent. */
export type SeenRow<W extends World, K extends TypeName<W>, R = W['rows'][K]> = K extends W['limited']
  ? { readonly [F in keyof R & W['keys'][K]]: R[F] } & { readonly [F in keyof R]?: R[F] | undefined }
  : R

/** A clause without limits yet, which is therefore also a condition. */
export interface Standing<F extends string> extends Clause<F>, Condition {}

/** Named, so that the compiler prints the names of the standings first. */
export type StandingsOf<N extends string, F extends string> = { readonly [P in N]: Standing<F> }

type StandingName<K, W extends World> = K extends keyof W['standings'] ? W['standings'][K] : never

/** What a callback of `standings` may speak of besides the record. */
export interface StandingWords<W extends World> {
  readonly me: Terms<W['me']>
}

/** What the gate of a whole rulebook may speak of. */
export interface GateWords<W extends World> {
  readonly me: Terms<W['me']>
  readonly signedIn: Condition
  role(...names: [W['role'], ...W['role'][]]): Condition
}

/** What a callback of `rules` may speak of besides the record. */
export interface Words<K extends TypeName<W>, W extends World> {
  readonly me: Terms<W['me']>
  /** The record as it would become: in rules of updates only. */
  readonly after: RecordTerms<K, W>
  /** The standings of this record type. */
  readonly standing: StandingsOf<StandingName<K, W> & string, keyof W['rows'][K] & string>
  /** Everybody, visitors too. */
  readonly anyone: Standing<keyof W['rows'][K] & string>
  /** Whoever is signed in. That somebody is known does not yet mean that they may. */
  readonly signedIn: Standing<keyof W['rows'][K] & string>
  /** Whoever has one of these roles. */
  role(...names: [W['role'], ...W['role'][]]): Standing<keyof W['rows'][K] & string>
  /** Whoever asks, where the condition holds: for rules that tie nobody to the record. */
  whoever(condition: Condition): Clause<keyof W['rows'][K] & string>
}

/** What the server sets, field by field: a value, a claim or `now`. */
export type Stamps<T, Times> = {
  readonly [F in keyof T]?: T[F] | Source<F extends Times ? Date | undefined : T[F] | null | undefined>
}

/** Withholds actions whoever a clause lets do them. Each veto has its own exception. */
export interface Veto {
  readonly actions: readonly Action[]
  /** Where it applies; everywhere if left out. */
  readonly provided?: Condition
  /** Whom it does not concern. */
  readonly unless?: Condition
  /** What to tell whoever is refused by it. */
  readonly saying: string
}

/** What must hold for an action, or for all of them, before any clause counts. */
export type Gate = { readonly [A in Action | 'all']?: Condition }

/** The rules of one record type. */
export interface RuleSet<T, Times> {
  /** Which clauses let each action happen. An action without a clause is refused. */
  readonly may?: { readonly [A in Action]?: readonly Clause<keyof T & string>[] }
  /** What to tell somebody who is refused. */
  readonly saying?: { readonly [A in Action]?: string }
  /** What must hold before any clause counts. */
  readonly gate?: Gate
  readonly vetoes?: readonly Veto[]
  /** What the server sets when a record is created or updated. Nobody else sends these fields, unless by `.supplying`. */
  readonly stamps?: { readonly create?: Stamps<T, Times>; readonly update?: Stamps<T, Times> }
}

// The compiler does not look for excess properties in what a function returns, so `udpate: [...]` would pass unseen.
// `Checked` infers O from the returned literal, then asks for the rules and for no name beside theirs.
// (Inference reaches O through the one branch of the conditional; the check is the other branch.)
type Beside<O, Known> = { readonly [P in Exclude<keyof O, Known>]: Mistake<`'${P & string}' is not known here`> }
type BesideIn<O, P extends string, Known> = O extends { readonly [Q in P]: infer I } ? { readonly [Q in P]: Beside<I, Known> } : unknown
type BesideStamps<O, T> = O extends { readonly stamps: infer S }
  ? {
      readonly stamps: Beside<S, 'create' | 'update'> & { readonly [P in keyof S & ('create' | 'update')]: Beside<S[P], keyof T> }
    }
  : unknown

type BesideVeto<O> = O extends { readonly vetoes: readonly (infer I)[] } ? { readonly vetoes: readonly Beside<I, keyof Veto>[] } : unknown

/** The rules O, with no name in them that means nothing. */
export type Checked<O, T, Times> = [O] extends [never]
  ? O
  : RuleSet<T, Times> &
      Beside<O, keyof RuleSet<T, Times>> &
      BesideIn<O, 'may', Action> &
      BesideIn<O, 'saying', Action> &
      BesideStamps<O, T> &
      BesideIn<O, 'gate', Action | 'all'> &
      BesideVeto<O>

/** The names of standings, by record type. */
export type Names<N> = { readonly [K in keyof N]: keyof N[K] & string }
/** Names of before and names of now. */
export type Joined<A, B> = {
  readonly [K in keyof A | keyof B]: (K extends keyof A ? A[K] : never) | (K extends keyof B ? B[K] : never)
}

/**
 * The rules of one record type, already checked. A function to the compiler, and never in a union with one:
 * where `rules` takes "a function or something else", mistakes are reported at the function instead of at the word.
 */
export interface RulesFor<K extends string, Limited extends boolean = boolean> {
  (record: any, words: any): Limited extends true ? { readonly may: { readonly read: readonly LimitedClause<any>[] } } : {}
  readonly type: K
}

/** What `standings` takes. */
export type StandingsBy<N, W extends World> = {
  readonly [K in keyof N & TypeName<W>]: (record: RecordTerms<K, W>, words: StandingWords<W>) => N[K]
} & { readonly [K in TypeName<W>]?: unknown }

/** What `rules` takes. */
export type RulesBy<O, W extends World> = {
  readonly [K in keyof O & TypeName<W>]: (record: RecordTerms<K, W>, words: Words<K, W>) => Checked<O[K], W['rows'][K], W['times'][K]>
} & { readonly [K in TypeName<W>]?: unknown }
