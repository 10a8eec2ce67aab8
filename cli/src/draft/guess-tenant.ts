import type { DraftType } from './draft.js'
import type { Tenant } from './guesses.js'
import { TENANT } from './words.js'

// A tenant's column is in most tables; a smaller part will do if the table is called so.
const MOST = 0.6
const SOME = 0.4
const FEWEST = 3

/** The column that keeps tenants apart: it is in most tables, under the same name, and leads to the same table. */
export function tenantOf(types: readonly DraftType[], people: DraftType | undefined): Tenant | undefined {
  const found = types
    // A record that belongs to a person is no tenant.
    .filter(
      ({ name, key, links }) => name !== people?.name && key.length === 1 && !links.some((link) => !link.many && link.to === people?.name),
    )
    .flatMap(({ name: type }) => {
      const counts = new Map<string, string[]>()
      for (const holder of types)
        for (const link of holder.links)
          if (!link.many && link.to === type && link.isByKey) {
            const field = link.by[0]?.[1] as string
            counts.set(field, [...(counts.get(field) ?? []), holder.name])
          }
      return [...counts].map(([field, holders]) => ({ type, field, holders }))
    })
    .filter(({ type, holders }) => {
      const part = holders.length / (types.length - 1)
      return holders.length >= FEWEST && part >= (TENANT.test(type) ? SOME : MOST)
    })
    .sort((a, b) => b.holders.length - a.holders.length)
  const [best] = found
  if (best === undefined) return undefined
  const { type, field, holders } = best
  // The gate compares the field of a record, so a tenant itself has none.
  const except = types.map(({ name }) => name).filter((name) => !holders.includes(name))
  return { type, field, except, isOfPerson: people !== undefined && holders.includes(people.name) }
}
