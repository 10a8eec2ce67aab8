// Tables that the user of the connection may not read: they are drafted from the catalog alone.
import type { Question } from './draft.js'

/** What the database said of each table that could not be read. */
export type Unread = Set<string>

/** The result of a read, or a stand-in if the database refuses it. */
export async function orElse<T>(read: () => Promise<T>, otherwise: T, unread: Unread): Promise<T> {
  try {
    return await read()
  } catch (error) {
    unread.add(error instanceof Error ? error.message : String(error))
    return otherwise
  }
}

/** What is left to ask if something could not be read. */
export function unreadQuestions(unread: Unread): Question[] {
  if (unread.size === 0) return []
  const said = [...unread].slice(0, 3).join('; ')
  return [
    {
      weight: 90,
      about: 'rights',
      text: `This user of the database may not read everything: ${said}. So people, lists in JSON and samples are missing. Run init as a user who may read the tables.`,
    },
  ]
}
