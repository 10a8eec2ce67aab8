// What the compiler knows of accepted promotions. Types only.
import type { Action, TypeName, World } from './types.js'

/** A way of giving oneself more by a write that the author knows of and accepts. */
export interface Acceptance<T extends string = string, A extends string = string> {
  /** What is done to a record of the type. */
  readonly write: 'create' | 'update' | 'delete'
  /** Who does it: the standing or role of the clause that allows the write, or its whole title. Default: whatever clause allows it. */
  readonly by?: string
  /** What the person may do afterwards to another record, as an action and the record types. */
  readonly gains: 'everything' | { readonly [K in A]?: T | readonly T[] }
  /** Why that is right. */
  readonly because: string
}

/** The accepted promotions by the record type that is written. */
export type AcceptancesBy<W extends World> = {
  readonly [K in TypeName<W>]?: readonly Acceptance<TypeName<W>, Exclude<Action, 'create'> | W['actions'][TypeName<W>]>[]
}
