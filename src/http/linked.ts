import { isMissing, type Row } from '../condition/index.js'
import { allOf, type Condition, type LinkModel } from '../rulebook/index.js'

type Terms = { readonly [name: string]: Terms } & { readonly [by in 'is' | 'has' | 'isOneOf' | 'overlaps']: (value: unknown) => Condition }

/** Which records of the other type a link leads to from a record, as a list takes it; undefined where it leads nowhere. */
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
