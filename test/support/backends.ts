import type { Rulebook } from 'pachter'
import { overKysely } from 'pachter/kysely'
import { layoutOf } from 'pachter/sql'
import { type Backend, inMemory } from 'pachter/store'
import { engines } from './engines.js'

// Servers keep tables as an application may have them; in SQLite they are named as record types and fields are.
const NAMES = { names: 'snake_case', prefix: 'al_' } as const

/** Every place where records can be kept, empty, by name: what holds in one has to hold in all. */
export function backends(book: Pick<Rulebook, 'model'>): Record<string, () => Promise<Backend>> {
  const databases = engines.map(({ name, dialect, open }) => {
    const options = name === 'SQLite' ? {} : NAMES
    const layout = layoutOf(book, options)
    return [`in ${name}`, async () => overKysely(await open(book, { layout }), dialect, options)] as const
  })
  return { 'in memory': async () => inMemory(), ...Object.fromEntries(databases) }
}

/** How often a law is tried: on the slower backends a part of it, since what differs there is compared condition by condition. */
export function runsIn(where: string, full: number): number {
  return where === 'in memory' || where === 'in SQLite' ? full : Math.ceil(full / 5)
}
