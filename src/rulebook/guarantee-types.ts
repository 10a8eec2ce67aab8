// What the compiler knows of guarantees. Types only.
import type { Words } from './rule-types.js'
import type { Condition } from './term-types.js'
import type { Action, Beside, RecordTerms, TypeName, World } from './types.js'

/** Something that must never be possible, for any person and any records. */
export interface Guarantee<F extends string = string, A extends string = string> {
  /** The action that nobody may ever do, besides those that `unless` names. */
  readonly never: A
  /** The fields that nobody may ever see (`read`), send (`create`) or change (`update`). Default: the action itself. */
  readonly fields?: readonly F[]
  /** Where it has to hold. Default: for every record. */
  readonly provided?: Condition
  /** The people, and the records, that it does not concern. */
  readonly unless?: Condition
  /** How reports name it. Default: a sentence made of the rest. */
  readonly titled?: string
}

type BesideEach<G> = G extends readonly (infer One)[] ? readonly Beside<One, keyof Guarantee>[] : unknown

/** The guarantees G with only known names. G is inferred through one branch, and checked by the other. */
type CheckedGuarantees<G, F extends string, A extends string> = [G] extends [never] ? G : readonly Guarantee<F, A>[] & BesideEach<G>

/** The guarantees of record types, each checked at its place. */
export type GuaranteesBy<G, W extends World> = {
  readonly [K in keyof G & TypeName<W>]: (
    record: RecordTerms<K, W>,
    words: Words<K, W>,
  ) => CheckedGuarantees<G[K], keyof W['rows'][K] & string, Action | W['actions'][K]>
} & { readonly [K in TypeName<W>]?: unknown }
