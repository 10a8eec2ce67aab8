// What the compiler knows of a rulebook. Types only.
import type { ReachedStandings } from './clause-types.js'
import type { Condition, Flat, GroupOps, Mistake, Presence, RoleSource, Terms } from './term-types.js'

/**
 * A shape: a schema of any library that follows Standard Schema and can provide JSON Schema. Only the used parts are declared. Source:
 * Standard Schema V1 and Standard JSON Schema V1, standardschema.dev.
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

/** An issue that a shape finds in a value. */
export interface ShapeIssue {
  readonly message: string
  readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined
}

/** The output type of a shape. */
export type Out<S> = S extends { readonly '~standard': { readonly types?: infer T } }
  ? NonNullable<T> extends { readonly output: infer O }
    ? Flat<O>
    : never
  : never

declare const ARITY: unique symbol

/** How records lead to others: what `toOne` and `toMany` return. `Mine` and `Theirs` are the fields that it joins on. */
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
  /** Whether the person who sets the link has to see its target (the default), or may name any record. */
  readonly target?: 'visible' | 'any'
  /** The link joins texts without regard to letter case, A to Z: for email addresses. */
  readonly ignoringCase?: boolean
  /**
   * What happens to the records that hold the link when its target is deleted. `refuse` (the default): the deletion is refused while
   * there are any. `delete` and `unlink`: they are deleted or unlinked too, if the asker may do that to each. `follow`: they
   * are deleted too, and the asker needs no permission for it.
   */
  readonly onDelete?: 'refuse' | 'delete' | 'unlink' | 'follow'
}

/** Links by name. */
export type Links = { readonly [name: string]: Link }

/** One kind of record: its shape, its key, its links, and which of its fields are instants although the shape cannot say so. */
export interface RecordDefinition {
  readonly shape: Shape
  /** The field that identifies a record, or several together: `['guardianId', 'studentId']`. */
  readonly key: string | readonly string[]
  readonly times?: readonly string[]
  /** The fields that are days without a time, as text such as "2026-05-31": `date` columns, or `z.iso.date()`. */
  readonly days?: readonly string[]
  readonly links?: Links
  /**
   * The time that a deletion stamps, for records that are removed and not deleted. From then on, a record is there only for clauses with
   * `.includingRemoved()`. An update that clears the field brings it back.
   */
  readonly removal?: string
  /**
   * The fields whose values the database sets when a record is written: an identity, a default, a generated column. Nobody sends them, unless
   * `.overriding`, and the created record has them.
   */
  readonly generated?: readonly string[]
  /** Actions besides the four, as questions that rules answer: `approve`, say. */
  readonly actions?: readonly string[]
}

/** Record types by name. */
export type RecordDefinitions = { readonly [type: string]: RecordDefinition }

/** The four things that are done to records. */
export type Action = 'read' | 'create' | 'update' | 'delete'

/**
 * The type information of a rulebook. Plain data types only: comparing two schema types of a library takes the compiler seconds, so they
 * are left out.
 */
export interface World {
  readonly rows: { readonly [type: string]: object }
  readonly times: { readonly [type: string]: string }
  readonly days: { readonly [type: string]: string }
  readonly keys: { readonly [type: string]: string }
  readonly links: { readonly [type: string]: object }
  readonly actions: { readonly [type: string]: string }
  readonly me: object
  readonly meLinks: object
  readonly role: string | number
  readonly standings: object
  readonly privilege: string
  readonly routine: string
  /** The record types that some people may see only in part. */
  readonly limited: string
  /** The fields that the server sets when a record is created, as 'type.field'. */
  readonly stamped: string
}

/** The names of the record types. */
export type TypeName<W extends World> = keyof W['rows'] & string

/** A record of type K. */
export type RowOf<W extends World, K extends TypeName<W>> = W['rows'][K]

/** The names of its fields. */
export type FieldName<W extends World, K extends TypeName<W>> = keyof W['rows'][K] & string

/** A record in rules. */
export type RecordTerms<K extends TypeName<W>, W extends World> = Terms<
  W['rows'][K],
  W['times'][K],
  keyof RecordWords<K, W>,
  W['days'][K]
> &
  LinkTerms<W['links'][K], W> &
  RecordWords<K, W>

/** The target of a link: the terms of one record, or `some` of many. */
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
  /** At least one of them matches. Without a function: there is at least one. */
  some(fits?: (record: RecordTerms<K, W>) => Condition): Condition
  /** At least this many of them match: `student.loans.atLeast(2)`. */
  atLeast(count: number, fits?: (record: RecordTerms<K, W>) => Condition): Condition
  /**
   * At most this many of them match. In a rule of create, the new record does not count itself: `student.loans.atMost(2)` lets a student have
   * three.
   */
  atMost(count: number, fits?: (record: RecordTerms<K, W>) => Condition): Condition
}

/** Properties of a whole record. */
export interface RecordWords<K extends TypeName<W>, W extends World> {
  /** The standings of this record: `entry.plot.standing.holder`, a clause like those of the type's own, and a condition. */
  readonly standing: ReachedStandings<StandingName<K, W> & string, W['routine']>
  /** The chain of records above this one, by a link of its type to itself. It does not include the record itself. */
  ancestors(link: SelfLink<K, W['links'][K]>): ManyTerm<K, W>
}
type SelfLink<K, L> = { [N in keyof L]: L[N] extends Link<'one', infer T, any, any> ? (T extends K ? N : never) : never }[keyof L] & string

/** The claims, and the records that they lead to. */
export type MeTerms<W extends World> = Terms<W['me']> & LinkTerms<W['meLinks'], W>

/** The claims for `roles`: of a link to many, the rows that count are named first. */
export type RoleTerms<W extends World> = Terms<W['me']> & { readonly [N in keyof W['meLinks']]: RoleTerm<W['meLinks'][N], W> }
type RoleTerm<L, W extends World> =
  L extends Link<infer A, infer T, any, any>
    ? T extends TypeName<W>
      ? 'one' extends A
        ? RecordTerms<T, W> & Presence
        : RoleRows<T, W>
      : never
    : never

/** The person's own rows, such as their memberships. */
export interface RoleRows<K extends TypeName<W>, W extends World> {
  /** The rows that count, each with a role: `me.memberships.where((one) => one.schoolId.is(me.schoolId)).role`. */
  where(fits?: (record: RecordTerms<K, W>) => Condition): RecordTerms<K, W>
}

/** Functions that reach other records. */
export interface ReachWords<W extends World> {
  /** Any record of a type: `records('member').some((member) => ...)`. */
  records<T extends TypeName<W>>(type: T): ManyTerm<T, W>
}

/** The type of a key in application code. A key of several fields is one text, as in addresses: `g-4~s-11`. */
export type Key = string | number

/** A key as calls take it, of a record R with the key fields F. Several fields can also be an object. */
export type KeyOf<R, F> = Key | (IsUnion<F> extends true ? { readonly [N in keyof R & F]: R[N] } : never)

/** Whether a type is a union of several. */
export type IsUnion<T, U = T> = [T] extends [never] ? false : T extends unknown ? ([U] extends [T] ? false : true) : never

/** The fields that the database sets, of all definitions, as 'type.field'. */
export type GeneratedIn<R> = {
  readonly [K in keyof R & string]: R[K] extends { readonly generated: readonly (infer N extends string)[] } ? `${K}.${N}` : never
}[keyof R & string]

/** The fields of the key of a definition. */
export type KeyFields<D> = D extends { readonly key: readonly (infer N extends string)[] }
  ? N
  : D extends { readonly key: infer N extends string }
    ? N
    : never

/** The fields that a definition declares as times. */
export type TimesOf<D> = D extends { readonly times: readonly (infer N extends string)[] } ? N : never

/** The fields that a definition declares as days. */
export type DaysOf<D> = D extends { readonly days: readonly (infer N extends string)[] } ? N : never

type CheckedRecord<D, R> = {
  readonly shape: Shape
  readonly key: CheckedKey<KeyIn<D>, keyof Out<ShapeOf<D>> & string>
  readonly times?: readonly (keyof Out<ShapeOf<D>> & string)[]
  readonly days?: readonly (keyof Out<ShapeOf<D>> & string)[]
  readonly links?: CheckedLinks<LinksOf<D>, Out<ShapeOf<D>>, R>
  readonly removal?: keyof Out<ShapeOf<D>> & string
  readonly generated?: readonly (keyof Out<ShapeOf<D>> & string)[]
  readonly actions?: readonly string[]
} & Beside<D, keyof RecordDefinition>
/** One field, or a list of fields, each checked at its place. */
type CheckedKey<K, F extends string> = K extends readonly unknown[] ? readonly [F, F, ...F[]] : F
type KeyIn<D> = D extends { readonly key: infer K } ? K : never
type ShapeOf<D> = D extends { readonly shape: infer S } ? S : never
type FieldsOf<D> = keyof Out<ShapeOf<D>> & string

/** The actions that a definition names besides the four. */
export type ActionsOf<D> = D extends { readonly actions: readonly (infer A extends string)[] } ? A : never

/** The links of a definition. */
export type LinksOf<D> = D extends { readonly links: infer L } ? L : {}

/** The field names of a type, without an index signature. */
type NamedKeys<T> = keyof { readonly [F in keyof T as string extends F ? never : F]: T[F] }

/** The links L of a type with the fields T, each checked against the record types R. */
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

// R is inferred through one branch and checked by the other.
/** The definitions R, with every key and time checked against its shape. */
export type CheckedRecords<R extends RecordDefinitions> = [R] extends [never] ? R : { readonly [K in keyof R]: CheckedRecord<R[K], R> }

/** The roles that the shape of me lists. */
export type RoleName<M> = M extends { roles?: infer L }
  ? L & {} extends readonly (infer E extends string)[]
    ? E
    : Mistake<'the shape of me has no list of roles'>
  : M extends { role?: infer E }
    ? E & {} extends string
      ? E & {}
      : Mistake<'the shape of me has no role in words'>
    : Mistake<'the shape of me has no roles: say where they are, with roles: (me) => ...'>

/** The argument of `rulebook`. */
export interface Definition<R extends RecordDefinitions, S extends Shape, L extends Links, Role extends string | number> {
  /** The person asking. */
  readonly me: {
    readonly shape: S
    /** The claim that identifies the person. Everyone who is signed in has it. */
    readonly key: keyof Out<S> & string
    /** Links from the claims to records, which are read afresh for each operation. */
    readonly links?: [L] extends [never] ? L : CheckedLinks<L, Out<S>, R>
    /** Where the roles are. Without it, the claim `roles` or `role`. */
    readonly roles?: (me: RoleTerms<Begun<R, S, L>>) => RoleSource<Role>
    /** The time zone of `today`, as in the IANA Time Zone Database: `Europe/Dublin`. */
    readonly timeZone?: string
  }
  readonly records: CheckedRecords<R>
}

/** The world of a new rulebook. */
type Begun<R extends RecordDefinitions, S, L> = {
  readonly rows: { readonly [K in keyof R & string]: Out<R[K]['shape']> }
  readonly times: { readonly [K in keyof R & string]: TimesOf<R[K]> }
  readonly days: { readonly [K in keyof R & string]: DaysOf<R[K]> }
  readonly keys: { readonly [K in keyof R & string]: KeyFields<R[K]> }
  readonly links: { readonly [K in keyof R & string]: LinksOf<R[K]> }
  readonly actions: { readonly [K in keyof R & string]: ActionsOf<R[K]> }
  readonly me: Out<S>
  readonly meLinks: L
  readonly role: string | number
  readonly standings: {}
  readonly privilege: never
  readonly routine: never
  readonly limited: never
  readonly stamped: GeneratedIn<R>
}

/** Refuses unknown names, each at its place. */
export type Beside<O, Known> = { readonly [P in Exclude<keyof O, Known>]: Mistake<`'${P & string}' is not known here`> }

/** The names of the standings of a record type. */
export type StandingName<K, W extends World> = K extends keyof W['standings'] ? W['standings'][K] : never
