// What the guesses of a draft open: each read clause, with how many records it lets which people read.
import { accessMatrix } from 'pachter/internal/review'
import type { OpenDatabase } from '../database.js'
import { load } from '../load.js'
import { columns, shortened } from '../table.js'

// Records of each type that are looked at, with those that they link to.
const SAMPLE = 200
const LONGEST = 50
const MOST_NAMED = 3

/** A line for each read clause of a drafted project. @throws UsageError if the project cannot be loaded where it is. */
export async function openingsOf(config: string, { db, dialect }: OpenDatabase): Promise<string> {
  const { book, layout, people, model } = await load(config)
  const { sample } = await import('pachter/kysely')
  const { readLayout } = await import('pachter/sql')
  const records = await sample(book, db, dialect, { of: SAMPLE, layout: await readLayout(db, dialect, book, layout) })
  const rows = Object.keys(model.types).flatMap((type) => {
    const matrix = accessMatrix(book, type, { people: { ...people, visitor: null }, records, actions: ['read'] })
    return (model.types[type]?.rules?.may.read ?? []).map(({ title }) => {
      const found = new Set<unknown>()
      const readers = matrix.people.filter((person) => {
        const mine = matrix
          .reached(person, 'read')
          .filter((key) => matrix.access(person, key).some(({ clauses }) => clauses.includes(title)))
        for (const key of mine) found.add(key)
        return mine.length > 0
      })
      return [type, shortened(title, LONGEST), `${found.size} of ${matrix.keys.length}`, shortList(readers)]
    })
  })
  return columns(['type', 'read by', 'records', 'people who read some of them'], rows)
}

function shortList(names: readonly string[]): string {
  const more = names.length - MOST_NAMED
  return more > 0 ? `${names.slice(0, MOST_NAMED).join(', ')} and ${more} more` : names.join(', ')
}
