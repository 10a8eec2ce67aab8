// What the compiler knows of a rulebook. Types only.
import type { Condition, Flat, GroupOps, Mistake, Presence, RoleSource, Source, Terms } from './term-types.js'

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

declare const ARITY: unique symbol

/** How records lead to others: what `toOne` and `toMany` give. `Mine` and `Theirs` are the fields that it goes by. */
export interface Link<
  A extends 'one' | 'many' = 'one' | 'many',
  T extends string = string,
  Mine extends string = string,
  Theirs extends string = string,
> {
  readonly [ARITY]: { readonly arity: A; readonly type: T; readonly mine: Mine; readonly theirs: Theirs }
}

/** What more there is to say of a link. */
export interface LinkOptions {
  /** Whether whoever sets the link has to see the record that it leads to (the default), or may name any. */
  readonly target?: 'visible' | 'any'
  /**
   * What becomes of the records that hold the link when the one that it leads to is deleted: the deletion is refused while
   * there are any (the default); they are deleted or unlinked along with it, if the asker may do that to each; or they
   * follow it, whoever asks.
   */
  readonly onDelete?: 'refuse' | 'delete' | 'unlink' | 'follow'
}

/** Links by name. */
export type Links = { readonly [name: string]: Link }

/** One kind of record: its shape, its key, its links, and which of its fields are instants although the shape cannot say so. */
export interface RecordDefinition {
  readonly shape: Shape
  readonly key: string
  readonly times?: readonly string[]
  readonly links?: Links
  /** Actions besides the four, as questions that rules answer: `approve`, say. */
  readonly actions?: readonly string[]
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
  readonly links: { readonly [type: string]: object }
  readonly actions: { readonly [type: string]: string }
  readonly me: object
  readonly meLinks: object
  readonly role: string
  readonly standings: object
  readonly privilege: string
  readonly routine: string
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
export type RecordTerms<K extends TypeName<W>, W extends World> = Terms<W['rows'][K], W['times'][K]> &
  LinkTerms<W['links'][K], W> &
  RecordWords<K, W>

/** Where a link leads: to the terms of one record, or to "some" of many. */
export type LinkTerms<L, W extends World> = { readonly [N in keyof L]: LinkTerm<L[N], W> }
type LinkTerm<L, W extends World> =
  L extends Link<infer A, infer T, any, any>
    ? T extends TypeName<W>
      ? 'one' extends A
        ? RecordTerms<T, W> & Presence
        : ManyTerm<T, W>
      : never
    : never

/** Several records. */
export interface ManyTerm<K extends TypeName<W>, W extends World> {
  /** At least one of them fits; without a function, there is one. */
  some(fits?: (record: RecordTerms<K, W>) => Condition): Condition
}

declare const TYPE: unique symbol

/** What may be said of a record as a whole. */
export interface RecordWords<K extends TypeName<W>, W extends World> {
  readonly [TYPE]: K
  /** The chain of records above this one, by a link of its type to itself; the record itself is not among them. */
  ancestors(link: SelfLink<K, W['links'][K]>): ManyTerm<K, W>
}
type SelfLink<K, L> = { [N in keyof L]: L[N] extends Link<'one', infer T, any, any> ? (T extends K ? N : never) : never }[keyof L] & string

/** The claims, and the records that they lead to. */
export type MeTerms<W extends World> = Terms<W['me']> & LinkTerms<W['meLinks'], W>

/** Words that reach other records. */
export interface ReachWords<W extends World> {
  /** Whether the person has a standing on a record that this one leads to: `stands(entry.plot, 'holder')`. */
  stands<T extends TypeName<W>>(record: { readonly [TYPE]: T }, standing: StandingName<T, W>): Condition
  /** Any record of a type: `records('member').some((member) => ...)`. */
  records<T extends TypeName<W>>(type: T): ManyTerm<T, W>
}

/** A key as one holds it in the hand. */
export type Key = string | number

/** The fields that a definition says are instants. */
export type TimesOf<D> = D extends { readonly times: readonly (infer N extends string)[] } ? N : never

type CheckedRecord<D, R> = {
  readonly shape: Shape
  readonly key: keyof Out<ShapeOf<D>> & string
  readonly times?: readonly (keyof Out<ShapeOf<D>> & string)[]
  readonly links?: CheckedLinks<LinksOf<D>, Out<ShapeOf<D>>, R>
  readonly actions?: readonly string[]
} & Beside<D, keyof RecordDefinition>
type ShapeOf<D> = D extends { readonly shape: infer S } ? S : never
type FieldsOf<D> = keyof Out<ShapeOf<D>> & string

/** The actions that a definition names besides the four. */
export type ActionsOf<D> = D extends { readonly actions: readonly (infer A extends string)[] } ? A : never

/** The links that a definition names. */
export type LinksOf<D> = D extends { readonly links: infer L } ? L : {}

/** The fields that a type names, without an index signature. */
type NamedKeys<T> = keyof { readonly [F in keyof T as string extends F ? never : F]: T[F] }

/** Links L from something with the fields of T, each checked against the record types R. */
export type CheckedLinks<L, T, R> = {
  readonly [N in keyof L]: N extends NamedKeys<T>
    ? Mistake<`'${N & string}' is a field already`>
    : N extends keyof RecordWords<any, any> | keyof GroupOps<any> | keyof Presence
      ? Mistake<`'${N & string}' is a word of the rules already`>
      : L[N] extends Link<infer A, infer To, any, any>
        ? To extends keyof R
          ? Link<A, To, keyof T & string, FieldsOf<R[To]>>
          : Link<A, keyof R & string>
        : Link
}

// R is inferred through the one branch, and compared with the other.
/** The definitions R, with every key and time checked against the shape it belongs to. */
export type CheckedRecords<R extends RecordDefinitions> = [R] extends [never] ? R : { readonly [K in keyof R]: CheckedRecord<R[K], R> }

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
export interface Definition<R extends RecordDefinitions, S extends Shape, L extends Links, Role extends string> {
  /** The person asking. */
  readonly me: {
    readonly shape: S
    /** The claim that says who it is: present for whoever is signed in. */
    readonly key: keyof Out<S> & string
    /** Links from the claims to records, which are read afresh for each operation. */
    readonly links?: [L] extends [never] ? L : CheckedLinks<L, Out<S>, R>
    /** Where the roles are. Without it, the claim `roles` or `role`. */
    readonly roles?: (me: MeTerms<Begun<R, S, L>>) => RoleSource<Role>
  }
  readonly records: CheckedRecords<R>
}

/** The world of a rulebook that has just begun. */
type Begun<R extends RecordDefinitions, S, L> = {
  readonly rows: { readonly [K in keyof R & string]: Out<R[K]['shape']> }
  readonly times: { readonly [K in keyof R & string]: TimesOf<R[K]> }
  readonly keys: { readonly [K in keyof R & string]: R[K]['key'] }
  readonly links: { readonly [K in keyof R & string]: LinksOf<R[K]> }
  readonly actions: { readonly [K in keyof R & string]: ActionsOf<R[K]> }
  readonly me: Out<S>
  readonly meLinks: L
  readonly role: string
  readonly standings: {}
  readonly privilege: never
  readonly routine: never
  readonly limited: never
}

// ───────────────────────────── clauses and rules

declare const LIMITED: unique symbol

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
  supplying(...fields: [F, ...F[]]): Clause<F, R>
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
  supplying(...fields: [F, ...F[]]): LimitedClause<F, R>
  afterwards(condition: Condition): LimitedClause<F, R>
  titled(title: string): LimitedClause<F, R>
  within(...routines: [R, ...R[]]): LimitedClause<F, R>
}

/** Whether rules limit the fields that somebody may see. */
export type LimitsReading<O> = O extends { readonly may: { readonly read: readonly (infer C)[] } }
  ? [Extract<C, { readonly [LIMITED]: true }>] extends [never]
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
export interface Standing<F extends string, R extends string = any> extends Clause<F, R>, Condition {}

/** Named, so that the compiler prints the names of the standings first. */
export type StandingsOf<N extends string, F extends string, R extends string = any> = { readonly [P in N]: Standing<F, R> }

type StandingName<K, W extends World> = K extends keyof W['standings'] ? W['standings'][K] : never

/** What a callback of `standings` may speak of besides the record. */
export interface StandingWords<K extends TypeName<W>, W extends World> extends ReachWords<W> {
  readonly me: MeTerms<W>
  /** The standings of this record type that are there already. */
  readonly standing: StandingsOf<StandingName<K, W> & string, keyof W['rows'][K] & string>
}

/** What the gate of a whole rulebook may speak of. */
export interface GateWords<W extends World> extends Pick<ReachWords<W>, 'records'> {
  readonly me: MeTerms<W>
  readonly signedIn: Condition
  role(...names: [W['role'], ...W['role'][]]): Condition
}

/** What a callback of `rules` may speak of besides the record. */
export interface Words<K extends TypeName<W>, W extends World> extends ReachWords<W> {
  readonly me: MeTerms<W>
  /** The record as it would become: in rules of updates only. */
  readonly after: RecordTerms<K, W>
  /** The standings of this record type. */
  readonly standing: StandingsOf<StandingName<K, W> & string, keyof W['rows'][K] & string, W['routine']>
  /** Everybody, visitors too. */
  readonly anyone: Standing<keyof W['rows'][K] & string, W['routine']>
  /** Whoever is signed in. That somebody is known does not yet mean that they may. */
  readonly signedIn: Standing<keyof W['rows'][K] & string, W['routine']>
  /** Whoever has one of these roles. */
  role(...names: [W['role'], ...W['role'][]]): Standing<keyof W['rows'][K] & string, W['routine']>
  /** Whoever asks, where the condition holds: for rules that tie nobody to the record. */
  whoever(condition: Condition): Clause<keyof W['rows'][K] & string, W['routine']>
}

/** What the server sets, field by field: a value, a claim or `now`. */
export type Stamps<T, Times> = {
  readonly [F in keyof T]?: T[F] | Source<F extends Times ? Date | undefined : T[F] | null | undefined>
}

/** Withholds actions whoever a clause lets do them. Each veto has its own exception. */
export interface Veto<A extends string = Action> {
  readonly actions: readonly A[]
  /** Where it applies; everywhere if left out. */
  readonly provided?: Condition
  /** Whom it does not concern. */
  readonly unless?: Condition
  /** What to tell whoever is refused by it. */
  readonly saying: string
}

/** A gate with words of its own for whoever it refuses. */
export interface SpokenGate {
  readonly provided: Condition
  readonly saying: string
}

/**
 * What must hold for an action, or for all of them, before any clause counts. Of a record that is updated it must hold as it is and as
 * it becomes.
 */
export type Gate<A extends string = Action> = { readonly [N in A | 'all']?: Condition | SpokenGate }

/** The rules of one record type. */
export interface RuleSet<T, Times, A extends string = Action> {
  /** Which clauses let each action happen. An action without a clause is refused. */
  readonly may?: { readonly [N in A]?: readonly (Clause<keyof T & string> | LimitedClause<keyof T & string>)[] }
  /** What to tell somebody who is refused. */
  readonly saying?: { readonly [N in A]?: string }
  /** What must hold before any clause counts. */
  readonly gate?: Gate<A>
  readonly vetoes?: readonly Veto<A>[]
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
export type Checked<O, T, Times, A extends string = Action> = [O] extends [never]
  ? O
  : RuleSet<T, Times, A> &
      Beside<O, keyof RuleSet<T, Times>> &
      BesideIn<O, 'may', A> &
      BesideIn<O, 'saying', A> &
      BesideStamps<O, T> &
      BesideIn<O, 'gate', A | 'all'> &
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
  readonly [K in keyof N & TypeName<W>]: (record: RecordTerms<K, W>, words: StandingWords<K, W>) => N[K]
} & { readonly [K in TypeName<W>]?: unknown }

/** What `rules` takes. */
export type RulesBy<O, W extends World> = {
  readonly [K in keyof O & TypeName<W>]: (
    record: RecordTerms<K, W>,
    words: Words<K, W>,
  ) => Checked<O[K], W['rows'][K], W['times'][K], Action | W['actions'][K]>
} & { readonly [K in TypeName<W>]?: unknown }
