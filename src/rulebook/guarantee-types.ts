// What the compiler knows of guarantees. Types only.
import type { GateWords, Words } from './rule-types.js'
import type { Condition } from './term-types.js'
import type { Action, Beside, RecordTerms, TypeName, World } from './types.js'

/** Something that must never be possible, for any person and any records. */
export interface Guarantee<F extends string = string, A extends string = string, R extends string = string> {
  /** The action that nobody may ever do, besides those that `unless` names. */
  readonly never: A
  /** The fields that nobody may ever see (`read`), send (`create`) or change (`update`). Default: the action itself. */
  readonly fields?: readonly F[]
  /** Where it has to hold. Default: for every record. */
  readonly provided?: Condition
  /** The people, and the records, that it does not concern. */
  readonly unless?: Condition
  /** Only what is done within this routine; false: outside of all routines. Default: all of it. */
  readonly within?: R | false
  /** How reports name it. Default: a sentence made of the rest. */
  readonly titled?: string
}

/** A privilege that nobody may ever have, or a routine that nobody may ever call. */
export interface GrantGuarantee<N extends string = string> {
  /** The privilege or routine. */
  readonly never: N
  /** For whose claims it has to hold. Default: for everyone's. */
  readonly provided?: Condition
  /** The people that it does not concern. */
  readonly unless?: Condition
  /** How reports name it. Default: a sentence made of the rest. */
  readonly titled?: string
}

/** The guarantees of privileges and routines. */
export interface GrantGuarantees<W extends World> {
  readonly privileges?: (words: GateWords<W>) => readonly GrantGuarantee<W['privilege']>[]
  readonly routines?: (words: GateWords<W>) => readonly GrantGuarantee<W['routine']>[]
}

type BesideEach<G> = G extends readonly (infer One)[] ? readonly Beside<One, keyof Guarantee>[] : unknown

/** The guarantees G with only known names. G is inferred through one branch, and checked by the other. */
type CheckedGuarantees<G, F extends string, A extends string, R extends string> = [G] extends [never]
  ? G
  : readonly Guarantee<F, A, R>[] & BesideEach<G>

/** The guarantees of record types, each checked at its place. */
export type GuaranteesBy<G, W extends World> = {
  readonly [K in keyof G & TypeName<W>]: (
    record: RecordTerms<K, W>,
    words: Words<K, W>,
  ) => CheckedGuarantees<G[K], keyof W['rows'][K] & string, Action | W['actions'][K], W['routine']>
} & { readonly [K in TypeName<W>]?: unknown }
