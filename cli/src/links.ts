import type { Layout } from 'pachter/sql'
import type { OpenDatabase } from './database.js'
import type { Loaded } from './load.js'

/** Warns of links of the rulebook that differ from the foreign keys of a database, except of those that are accepted. */
export async function warnOfLinks(
  { db, dialect }: OpenDatabase,
  { book, accepted }: Pick<Loaded, 'book' | 'accepted'>,
  layout: Layout,
): Promise<void> {
  const { linkDifferences } = await import('pachter/sql')
  const warnings = (await linkDifferences(db, dialect, book, layout)).map(({ link, message }) => `${link}: ${message}`)
  for (const one of warnings) if (!accepted.some((part) => one.includes(part))) process.stderr.write(`warning: ${one}\n`)
}
