import { isMissing, type Row } from '../condition/index.js'
import { allOf, type Condition, type LinkModel } from '../rulebook/index.js'

type Terms = { readonly [name: string]: Terms } & { readonly [by in 'is' | 'has' | 'isOneOf' | 'overlaps']: (value: unknown) => Condition }

/**
 * The field values that a record of the other type needs so that the link leads to it. Undefined if the link cannot be set from there: it
 * leads to one record, joins on a list, or starts from a missing value.
 */
export function linkSet(link: LinkModel, from: Row): Row | undefined {
  const set: Record<string, unknown> = {}
  for (const { to, from: place } of link.by) {
    const value = from[place.path[0] as string]
    if (!link.many || to.list || place.list || isMissing(value, place.type)) return undefined
    set[to.path[0] as string] = value
  }
  return set
}

/** The filter for the records that a link leads to; undefined if it leads nowhere. */
export function linkedTo(link: LinkModel, from: Row): ((record: unknown) => Condition) | undefined {
  const pairs = link.by.map(({ to, from: place }) => {
    const value = place.path.reduce<unknown>((at, step) => (at as Row | undefined)?.[step], from)
    const by = Array.isArray(value) ? (to.list ? 'overlaps' : 'isOneOf') : to.list ? 'has' : 'is'
    return { path: to.path, by, value, missing: isMissing(value, place.type) } as const
  })
  if (pairs.some(({ missing }) => missing)) return undefined
  return (record) =>
    allOf(
      ...pairs.map(({ path, by, value }) =>
        path.reduce<Terms>((terms, step) => (terms.field as unknown as (name: string) => Terms)(step), record as Terms)[by](value),
      ),
    )
}
