import type { Layout } from 'pachter/sql'
import type { OpenDatabase } from './database.js'
import type { Loaded } from './load.js'

/** Warns of links of the rulebook that differ from the foreign keys of a database. */
export async function warnOfLinks({ db, dialect }: OpenDatabase, { book }: Pick<Loaded, 'book'>, layout: Layout): Promise<void> {
  const { linkDifferences } = await import('pachter/sql')
  for (const { link, message } of await linkDifferences(db, dialect, book, layout)) process.stderr.write(`warning: ${link}: ${message}\n`)
}
