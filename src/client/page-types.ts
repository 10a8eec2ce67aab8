// What the compiler knows about a rulebook in a page. Types only: a page imports the type of its rulebook without any code.
import type { Action, FieldName, RowOf, TypeName, World } from '../rulebook/types.js'
import type { WorldOf } from '../viewpoint/rulebook.js'

/** The world of a rulebook's type; any if there is none. */
export type WorldIn<B> = [B] extends [never] ? World : [WorldOf<B>] extends [never] ? World : WorldOf<B>

type InPage<T> = T extends Date
  ? string
  : T extends readonly (infer E)[]
    ? readonly InPage<E>[]
    : T extends object
      ? { readonly [F in keyof T]: InPage<T[F]> }
      : T

/** A record in a page, from JSON: times are text, and fields that the person may not see, or did not request, are absent. */
export type PageRecord<W extends World, K extends TypeName<W>> =
  string extends TypeName<W> ? object : { readonly [F in FieldName<W, K>]?: InPage<RowOf<W, K>[F]> | null }

/** The field names of a record. */
export type PageField<W extends World, K extends TypeName<W>> = string extends TypeName<W> ? string : FieldName<W, K>

/** The action names of a record type. */
export type PageAction<W extends World, K extends TypeName<W>> = Action | W['actions'][K]
